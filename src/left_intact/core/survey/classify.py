"""Adding the evidence up: a class and a certainty for every entry.

Two passes: what each entry says by itself, then what its siblings add where that was not enough. A pure
function of its arguments. Entries with the same evidence share one verdict, so 100,000 entries cost a few
thousand sums.
"""

from __future__ import annotations

import math
import stat
from array import array
from collections import Counter
from collections.abc import Callable, Iterable, Sequence

from left_intact.core.files.headers import is_binary_program
from left_intact.core.files.workers import forks, share_out
from left_intact.core.model.classes import SORTABLE, FileClass
from left_intact.core.model.entry import Evidence
from left_intact.core.model.findings import SortedPages, Verdict
from left_intact.core.model.pages import COLUMNS, DIGEST_BYTES, NO_DIGEST, Page
from left_intact.core.model.place import TOP, At
from left_intact.core.model.progress import CancelToken
from left_intact.core.settings.formats.registry import is_settings_text
from left_intact.core.survey import evidence as sources
from left_intact.core.survey.company import ALONE, Company
from left_intact.core.survey.inputs import SurveyInputs
from left_intact.core.survey.names import nearest_name, split_name
from left_intact.core.survey.patterns import Pattern
from left_intact.core.survey.releases import beside_arrival, beside_baseline
from left_intact.core.survey.said import said
from left_intact.core.survey.siblings import PICTURE_FORMATS, Siblings, Titles, alike_in
from left_intact.core.survey.spelling import normalised_name
from left_intact.core.survey.standing import FolderContents
from left_intact.core.survey.times import UNTOUCHED, read_times
from left_intact.core.survey.weights import PICTURES, weights

P, S = FileClass.PROGRAM, FileClass.SETTINGS
_KEPT = frozenset((S, FileClass.SAVES, FileClass.STATES, FileClass.CONTENT, FileClass.EXTRAS))
"""The classes of what people keep."""
_SURE = 0.9
_SECOND = 10**9
_MODES_SAY_NOTHING = 0.9
"""With so many of all files runnable, the file system knows no modes."""
_COPY_LEAST = 16
_DENIED, _LOOKS_SHIPPED = -2.0, 1.0
HELPED_FROM, _PARTS = 20_000, 32
"""Below so many entries one process is quicker; above, the pages are shared out in so many parts."""
LARGE = 1 << 20
NO_TIME, NO_SHAPE = ("", 0), (0, 0)
SHAPED = frozenset(("bytes", "zeros", "ones"))
_PROOF = frozenset(("ruling", "keepsheet"))
_BY_DIGEST = frozenset(("baseline", "list", "arrival"))
Why = tuple[Evidence, ...]
Spoken = tuple[str, Sequence[tuple[Pattern, FileClass]], Callable[[str], int]]
"""(source, its patterns, what tells the pattern that a name meets) where words speak of a folder."""


def sort_out(pages: Sequence[Page], known: SurveyInputs, cancel: CancelToken | None = None) -> SortedPages:
    """A verdict for every entry of some pages."""
    return _Sorting(pages, known, cancel or CancelToken()).run()


_at_work: _Sorting | None = None


def _first_of(
    _: None, part: tuple[int, int]
) -> tuple[list[bytes], dict[int, list[tuple[str, str, str, float]]]]:
    """The first pass over some pages, in a fork: columns of verdicts, and the evidence behind each number."""
    sorting = _at_work
    assert sorting is not None
    columns = [sorting._first(page) for page in sorting.pages[part[0] : part[1]]]
    used = {verdict for column in columns for verdict in set(column)}
    whys = {n: [(e.source, e.says, e.speaks_for.value, e.weight) for e in sorting.table[n].why] for n in used}
    return [column.tobytes() for column in columns], whys


class _Sorting:
    def __init__(self, pages: Sequence[Page], known: SurveyInputs, cancel: CancelToken) -> None:
        self.pages, self.known, self.cancel = pages, known, cancel
        names = known.names
        self.standing = known.standing or FolderContents(pages, names=names)
        self.times = known.times or read_times(pages, self.standing)
        self.namesakes = _program_names(pages) if names else frozenset()
        self.modes = _modes_speak(pages)
        self.shipped = beside_baseline(known.baseline) if known.baseline is not None else None
        self.coming = (
            beside_arrival(known.arrival, pages, self.times, knows_before=self.shipped is not None)
            if known.arrival is not None
            else None
        )
        self.company = self._company()
        self.table: list[Verdict] = []
        self._by_why: dict[tuple[int, ...], int] = {}
        self._keep: list[Why] = []
        self._by_key: dict[tuple[object, ...], int] = {}
        self._folder_ids: dict[Why, int] = {}

    def _company(self) -> Company | None:
        """What is asked where neither times nor a baseline tell what came with the program."""
        known = self.known
        if self.shipped is not None or known.listed is not None or known.mentions is None or not known.names:
            return None
        if self.times.builds and not self._leaves_open():
            return None
        return Company(self.pages, self.standing, known.mentions())

    def _leaves_open(self) -> bool:
        """Whether something that looks shipped has a time that does not tell whose it is."""
        tells, bucket = self.times.tells, self.times.bucket
        return any(
            look and not tells(bucket(mtime))
            for page in self.pages
            for look, mtime in zip(self.standing.looks(page.at), page.numbers[2::COLUMNS], strict=True)
        )

    def run(self) -> SortedPages:
        verdicts = self._first_pass()
        siblings = Siblings()
        own = [self._own(verdict) for verdict in self.table]
        for page, found in zip(self.pages, verdicts, strict=True):
            sure: Counter[FileClass] = Counter()
            for verdict in set(found):
                if (kind := own[verdict]) is not None:
                    sure[kind] += found.count(verdict)
            siblings.add(page.at, sure, len(page.names))
        titles = self._titles(verdicts)
        weak_digests: set[bytes] = set()
        copies = any(self._own(v) not in (None, P) for v in self.table)
        for number, (page, found) in enumerate(zip(self.pages, verdicts, strict=True)):
            if number % 64 == 0:
                self.cancel.check()
            self._second(page, found, siblings, titles, weak_digests, copies=copies)
        self._third(verdicts, weak_digests)
        folders = {page.at: self._of_folder(page) for page in self.pages if page.is_entry}
        return SortedPages(self.pages, verdicts, self.table, folders)

    # ------------------------------------------------------------ what each entry says by itself

    def _first_pass(self) -> list[array[int]]:
        size = sum(len(page.names) for page in self.pages)
        if size < HELPED_FROM or not forks():
            verdicts = []
            for number, page in enumerate(self.pages):
                if number % 64 == 0:
                    self.cancel.check()
                verdicts.append(self._first(page))
            return verdicts
        global _at_work  # noqa: PLW0603 (forks have no other way to know what to do without a copy)
        _at_work = self
        step = max(1, len(self.pages) // _PARTS)
        tasks = [(start, min(start + step, len(self.pages))) for start in range(0, len(self.pages), step)]
        try:
            done = dict(share_out(_first_of, None, tasks, self.cancel))
        finally:
            _at_work = None
        return [self._taken_over(column, done[n][1]) for n in range(len(tasks)) for column in done[n][0]]

    def _taken_over(self, column: bytes, whys: dict[int, list[tuple[str, str, str, float]]]) -> array[int]:
        """A column of verdicts that another process numbered, in our numbers."""
        numbered = array("I")
        numbered.frombytes(column)
        ours = {
            n: self._weigh(tuple(said(s, t, FileClass(c), w) for s, t, c, w in whys[n]))
            for n in set(numbered)
        }
        return array("I", map(ours.__getitem__, numbered))

    def _first(self, page: Page) -> array[int]:
        known, folder, numbers = self.known, page.at, page.numbers
        spoken = [
            (source, table, find)
            for source, table, patterns in (
                ("ruling", known.rulings, known.ruling_table),
                ("keepsheet", known.sheet, known.sheet_table),
            )
            if table and (find := patterns.in_folder(folder)) is not None
        ]
        of_folder = self._of_the_folder(folder)
        number = self._folder_ids.setdefault(of_folder, len(self._folder_ids))
        by_path = bool(spoken or known.listed or known.runs)
        count = len(page.names)
        shallow = folder == TOP
        result, keyed, odd = array("I"), self._by_key, page.said
        by_time = bool(self.times.builds)
        modes_speak, bucket = self.modes, self.times.bucket if self.times.speak else None
        extra: Why = ()
        when, shape, rights, at = NO_TIME, NO_SHAPE, 0, -1
        nothing: list[Why] = [()] * count
        columns = zip(
            page.names,
            self.standing.spoken(folder),
            numbers[::COLUMNS],
            numbers[1::COLUMNS],
            numbers[2::COLUMNS],
            page.formats or [""] * count,
            page.marks or bytes(count),
            self.shipped.evidence(page) if self.shipped else nothing,
            self.coming.evidence(page) if self.coming else nothing,
            self.company.evidence(page) if self.company else nothing,
            strict=True,
        )
        for name, own, mode, size, mtime, file_format, mark, shipped, coming, company in columns:
            at += 1
            if bucket is not None:
                when = bucket(mtime)
            if company and by_time and self.times.tells(when):
                company = ()
            shape = (
                sources.shape_key(file_format, size, mark)
                if mark or (file_format in SHAPED and speaking_size(size))
                else NO_SHAPE
            )
            if modes_speak:
                rights = (1 if mode & 0o111 else 0) | (0 if mode & 0o222 else 2)
            if not mode or by_path or shallow or odd:
                extra = self._odd(page, at, mode) if not mode or at in odd else ()
                if by_path:
                    extra += self._by_path(page, at, file_format, spoken)
                if shallow and is_settings_text(file_format):
                    extra += self._namesake(name)
                elif shallow and is_binary_program(file_format):
                    weight = weights().spoken["code-at-root"]
                    extra += (said("siblings", "code at the root of the install", P, weight),)
            key = (
                *(number, id(own), file_format, when, shape, rights),
                *(id(shipped), id(coming), id(company), extra),
            )
            found = keyed.get(key)
            if found is None:
                more = (*extra, *shipped, *coming, *company)
                found = keyed[key] = self._weigh(
                    self._why(of_folder, own, file_format, when, shape, rights, more)
                )
            result.append(found)
        return result

    def _why(
        self,
        of_folder: Why,
        own: Why,
        file_format: str,
        when: tuple[str, int],
        shape: tuple[int, int],
        rights: int,
        extra: Why,
    ) -> Why:
        if any(e.source == "fault" for e in extra):
            return tuple(e for e in extra if e.source in _PROOF)
        binary = is_binary_program(file_format)
        header = sources.from_header(file_format)
        if binary or file_format.startswith("script "):
            own = tuple(
                e for e in own if e.speaks_for is not P or e.weight < 0
            )  # the ending of code says what its header said
        of_folder = _yielding(of_folder, (*own, *header))
        if file_format in SHAPED and any(e.says.endswith(PICTURES) for e in of_folder):
            says = "no picture, though it lies where pictures should"
            extra += (said("structure", says, FileClass.EXTRAS, weights().spoken["no-picture"]),)
        timed = self.times.evidence(when, binary=binary)
        if self.shipped is not None:  # what the release shipped is known: its minutes say no more
            timed = tuple(e for e in timed if e.speaks_for is not P or e.weight < 0)
        if _is_own_of_its_kind((*extra, *timed), (*header, *of_folder, *own)):
            weight = weights().spoken["own-bytes" if file_format in SHAPED else "own-of-its-kind"]
            extra += (
                said(
                    "siblings",
                    "of a kind that releases ship, but not as this one did",
                    FileClass.EXTRAS,
                    weight,
                ),
            )
        return (
            *extra,
            *header,
            *sources.from_shape(shape),
            *of_folder,
            *own,
            *timed,
            *sources.from_rights(
                bool(rights & 1) and (binary or file_format.startswith("script ")), bool(rights & 2)
            ),
        )

    def _of_the_folder(self, folder: At) -> Why:
        found = self.standing.evidence(folder)
        if folder.root:
            found += (said("place", "lies apart from the program", P, weights().spoken["apart"]),)
        named = self.known.references.of(folder)
        if named is None:
            return found
        spoken, (place, reference) = weights().spoken, named
        says = reference.says(place)
        if reference.file_class is P:
            return (*found, said("reference", says, P, spoken["reference-program"]))
        nearer = nearest_name(folder.path) if place != folder.path else None
        other = (
            nearer is not None and nearer[0].startswith(f"{place}/") and nearer[1] is not reference.file_class
        )
        weight = spoken["reference"] * (spoken["outer-folder"] if other else 1)
        return (
            *found,
            said("reference", says, reference.file_class, weight),
            said("reference", says, P, spoken["reference-not-program"]),
        )

    def _odd(self, page: Page, at: int, mode: int) -> Why:
        if mode and stat.S_ISLNK(mode):
            return sources.from_link(page.said.get(at, ""), page.folder)
        return (said("fault", "could not be read", FileClass.UNSORTED, 0.0),)

    def _by_path(self, page: Page, at: int, file_format: str, spoken: list[Spoken]) -> Why:
        known, place = self.known, page.place(at)
        found: Why = ()
        for source, table, find in spoken:
            if (line := find(page.names[at])) >= 0:
                pattern, kind = table[line]
                found += sources.from_pattern(source, pattern.shown, kind, place.shown)
        if known.listed is not None and known.baseline is None:
            state = known.listed.state(place)
            found += sources.from_list(known.listed.source, state, is_settings_text(file_format))
        if (run := known.runs.get(place)) is not None:
            untouched = run[0] == "made" and bool(run[1]) and run[1] == page.digest(at).hex()
            found += sources.from_run("stub" if untouched else run[0])
        return found

    def _namesake(self, name: str) -> Why:
        if normalised_name(name.rsplit(".", 1)[0]) not in self.namesakes:
            return ()
        return (said("name", "settings text that bears the program's name", S, weights().spoken["namesake"]),)

    def _of_folder(self, page: Page) -> int:
        """The verdict on a folder that is itself an entry: empty, or not to be listed."""
        folder = page.at
        why: Why = ()
        for source, table, patterns in (
            ("ruling", self.known.rulings, self.known.ruling_table),
            ("keepsheet", self.known.sheet, self.known.sheet_table),
        ):
            find = patterns.in_folder(folder.folder) if table else None
            if find is not None and (line := find(folder.name)) >= 0:
                pattern, kind = table[line]
                why += sources.from_pattern(source, pattern.shown, kind, folder.shown)
        if not page.fault:
            why += self._of_the_folder(folder)
            if self.known.baseline is not None:
                base = self.known.baseline
                shipped = None if page.root else base.entries.get(page.folder)
                key = (
                    "baseline-equal"
                    if shipped is not None and shipped.kind.value == "folder"
                    else "baseline-absent"
                )
                says = "shipped this empty folder" if key == "baseline-equal" else "did not ship it"
                why += (
                    said(
                        "baseline", f"{base.version_text or 'the baseline'} {says}", P, weights().spoken[key]
                    ),
                )
        return self._weigh(why)

    # ------------------------------------------------------------ what its siblings adds

    def _titles(self, verdicts: list[array[int]]) -> Titles:
        table, names = self.table, []
        playable = [v.file_class is FileClass.CONTENT and v.certainty >= _SURE for v in table]
        for page, found in zip(self.pages, verdicts, strict=True):
            names += [split_name(page.names[at]) for at, verdict in enumerate(found) if playable[verdict]]
        return Titles(names)

    def _is_weak(self, verdict: Verdict) -> bool:
        return verdict.file_class is FileClass.UNSORTED or verdict.certainty < weights().replace

    def _second(
        self,
        page: Page,
        found: array[int],
        siblings: Siblings,
        titles: Titles,
        weak_digests: set[bytes],
        *,
        copies: bool,
    ) -> None:
        table = self.table
        is_weak = {verdict for verdict in set(found) if self._is_weak(table[verdict])}
        if not is_weak:
            return
        weak = (
            range(len(found))
            if len(is_weak) == len(set(found))
            else [at for at, v in enumerate(found) if v in is_weak]
        )
        numbers = page.numbers
        alike = alike_in(page, weak)
        beside = self._beside(page, found) if len(found) > 1 else {}
        nearer = nearest_name(page.at.shown)
        by_verdict = {
            verdict: _heeded(
                siblings.evidence(page.at, self._own(table[verdict])), table[verdict].why, nearer
            )
            for verdict in is_weak
        }
        if not alike and not beside and not titles and not copies and not any(by_verdict.values()):
            return
        done: dict[tuple[int, Why], int] = {}
        for at in weak:
            now = found[at]
            more = by_verdict[now]
            if (
                (alike or beside or titles or more)
                and stat.S_ISREG(numbers[at * COLUMNS])
                and at not in page.said
            ):
                if at in alike:
                    more += _heeded(alike[at], table[now].why)
                if beside:
                    more += self._named_after(page, at, beside)
                if titles:
                    of_title = titles.evidence(
                        page.names[at], page.formats[at] if page.formats else "", numbers[at * COLUMNS + 1]
                    )
                    more += _heeded(of_title, table[now].why)
                if more:
                    key = (now, more)
                    again = done.get(key)
                    if again is None:
                        again = done[key] = self._weigh((*table[now].why, *more))
                    found[at] = again
            if copies and numbers[at * COLUMNS + 1] >= _COPY_LEAST and page.digests:
                weak_digests.add(page.digests[at * DIGEST_BYTES : (at + 1) * DIGEST_BYTES])

    def _beside(self, page: Page, found: array[int]) -> dict[str, tuple[FileClass, str]]:
        """By stem: the class and name of a sure one of the person's; a picture of a state bears its name."""
        sure = {v: kind for v in set(found) if (kind := self._own(self.table[v])) not in (None, P)}
        if not sure or len(sure) == len(set(found)):
            return {}
        return {
            split_name(page.names[at])[0]: (kind, page.names[at])
            for at, verdict in enumerate(found)
            if (kind := sure.get(verdict)) is not None
        }

    def _named_after(self, page: Page, at: int, beside: dict[str, tuple[FileClass, str]]) -> Why:
        """What a sure one of the same name beside something says; endings that speak for themselves are
        left to it.
        """
        name, file_format = page.names[at], page.formats[at] if page.formats else ""
        stem, ending = split_name(name)
        near = beside.get(stem)
        if (
            near is None
            or near[1] == name
            or normalised_name(stem) in self.namesakes
            or is_binary_program(file_format)
        ):
            return ()
        if near[0] is FileClass.CONTENT and ending != split_name(near[1])[1]:
            return ()  # beside what is played lie its saves, settings and pictures, under its name
        if (
            file_format not in PICTURE_FORMATS
            and ending in weights().suffix
            and weights().suffix[ending][1] >= 1
        ):
            return ()
        return (
            said("siblings", f"bears the name of {near[1]}, beside it", near[0], weights().spoken["beside"]),
        )

    def _own(self, verdict: Verdict) -> FileClass | None:
        """The class that an entry is counted under among the sure ones of its folder."""
        return (
            verdict.file_class
            if verdict.certainty >= _SURE and verdict.file_class is not FileClass.UNSORTED
            else None
        )

    def _third(self, verdicts: list[array[int]], weak_digests: set[bytes]) -> None:
        """What copies say: the same bytes lie where things are surely of a class of the person's."""
        weak_digests.discard(NO_DIGEST)
        is_weak = [self._is_weak(v) for v in self.table]
        speaks = {n for n, v in enumerate(self.table) if not is_weak[n] and v.file_class is not P}
        if not weak_digests or not speaks:
            return
        sure: dict[bytes, tuple[FileClass, str]] = {}
        for page, found in zip(self.pages, verdicts, strict=True):
            if not page.digests or speaks.isdisjoint(found):
                continue
            for at, verdict in enumerate(found):
                digest = page.digests[at * DIGEST_BYTES : (at + 1) * DIGEST_BYTES]
                if verdict in speaks and digest in weak_digests:
                    sure.setdefault(digest, (self.table[verdict].file_class, page.place(at).shown))
        if not sure:
            return
        for page, found in zip(self.pages, verdicts, strict=True):
            for at, verdict in enumerate(found):
                known = sure.get(page.digest(at)) if is_weak[verdict] else None
                if known is not None:
                    more = said("copy", f"the same bytes as {known[1]}", known[0], weights().spoken["copy"])
                    found[at] = self._weigh((*self.table[verdict].why, more))

    # ------------------------------------------------------------ sums

    def _weigh(self, why: Why) -> int:
        key = tuple(map(id, why))
        found = self._by_why.get(key)
        if found is None:
            self._keep.append(why)  # identities stand for evidence only while it lives
            found = self._by_why[key] = len(self.table)
            self.table.append(verdict_of(why))
        return found


def speaking_size(size: int) -> bool:
    """Whether a size alone may say something of unknown bytes."""
    return not size & (size - 1) or size > LARGE


def _yielding(of_folder: Why, own: Why) -> Why:
    """What a folder says, less of it where the ending of something in it says better what that is: a save
    beside what it belongs to is no content.
    """
    named = [e for e in own if e.speaks_for in _KEPT and e.weight >= weights().spoken["ending-tells"]]
    if not named:
        return of_folder
    share, kinds = weights().spoken["folder-yields"], {e.speaks_for for e in named}
    return tuple(
        said(e.source, e.says, e.speaks_for, e.weight * share)
        if e.speaks_for in _KEPT and e.speaks_for not in kinds and e.weight > 0
        else e
        for e in of_folder
    )


def _heeded(more: Why, why: Why, nearer: tuple[str, FileClass] | None = None) -> Why:
    """What others say of something, without what its own name gives the lie to: an ending that tells, or,
    where the others lie above, the name of the folder `nearer` to it.
    """
    least = weights().spoken["ending-tells"]
    own = {
        e.speaks_for
        for e in why
        if e.source == "name" and e.says.startswith("ends in") and e.weight >= least and e.speaks_for in _KEPT
    }
    if own:
        return tuple(e for e in more if e.speaks_for in own or e.speaks_for is P)
    if nearer is not None:
        return tuple(e for e in more if " in and below " not in e.says or e.speaks_for in (nearer[1], P))
    return more


def _is_own_of_its_kind(knows: Why, looks: Why) -> bool:
    """Whether something looks like the program's, and what knows of it says that it did not come with the
    release.
    """
    if any(e.source in ("run", "ruling", "keepsheet") for e in knows):
        return False
    denied = any(
        e.speaks_for is P and e.weight <= _DENIED and e.source in ("baseline", "list", "time") for e in knows
    )
    changed = any(e.source in ("baseline", "list") and e.speaks_for is S for e in knows)
    return denied and not changed and sum(e.weight for e in looks if e.speaks_for is P) >= _LOOKS_SHIPPED


def _program_names(pages: Iterable[Page]) -> frozenset[str]:
    """Bare names of the programs that lie at or near the root."""
    return frozenset(
        normalised_name(page.names[at].rsplit(".", 1)[0])
        for page in pages
        if page.folder.count("/") < 1 and not page.root
        for at, file_format in enumerate(page.formats)
        if is_binary_program(file_format) or file_format.startswith("script ")
    )


def _modes_speak(pages: Iterable[Page]) -> bool:
    runnable = files = 0
    for page in pages:
        modes = page.numbers[::COLUMNS]
        files += len(modes)
        runnable += sum(1 for mode in modes if mode & 0o111)
    return runnable < _MODES_SAY_NOTHING * files


def scores(why: Iterable[Evidence]) -> dict[FileClass, float]:
    """The probability of each class: a softmax over the summed log-odds.

    Among the classes of the person's, one that nothing speaks for counts less; against the
    program's every class counts in full, so that calling something so takes more.
    """
    sums: dict[FileClass, float] = dict.fromkeys(SORTABLE, 0.0)
    spoken_for: set[FileClass] = set()
    for evidence in why:
        sums[evidence.speaks_for] = sums.get(evidence.speaks_for, 0.0) + evidence.weight
        if evidence.weight > 0:
            spoken_for.add(evidence.speaks_for)
    if max(sums, key=lambda c: sums[c]) is not P:
        for kind in sums:
            if kind not in spoken_for:
                sums[kind] += weights().spoken["without-reason"]
    top, heat = max(sums.values()), weights().temperature
    powers = {c: math.exp((s - top) / heat) for c, s in sums.items()}
    whole = sum(powers.values())
    return {c: power / whole for c, power in powers.items()}


def vouches_for_bytes(evidence: Evidence) -> bool:
    """Whether something shows that what is in a file is as the program's makers wrote it.

    Names and places only say whose a path is; somebody may have mended what lies there.
    """
    if evidence.speaks_for is not P or evidence.weight <= 0:
        return False
    if evidence.source in _BY_DIGEST:
        return evidence.weight >= weights().spoken["arrival-equal"]
    return evidence.source == UNTOUCHED or evidence.source in _PROOF


def _is_told(why: Why) -> bool:
    """Whether something beside names and places says that a file came with the program."""
    least = weights().spoken["arrival-path"]
    return any(
        e.speaks_for is P and (e.source in _PROOF or (e.source in _BY_DIGEST and e.weight >= least))
        for e in why
    )


def verdict_of(why: Why) -> Verdict:
    """What some evidence leads to.

    Kept on little, called the program's only on much; and nothing but a word, a sheet or a
    digest makes more certain than `most`.
    """
    w, by_class = weights(), scores(why)
    best = max(by_class, key=lambda c: by_class[c])
    certainty = by_class[best]
    proven = any(e.source in _PROOF or (e.source in ("baseline", "list") and e.weight >= 9) for e in why)
    if not proven:
        certainty = min(certainty, w.most)
    if best is P and certainty > w.unvouched and not any(map(vouches_for_bytes, why)):
        certainty = w.unvouched
    if best is P and certainty > w.alone and any(e.source == ALONE for e in why) and not _is_told(why):
        certainty = w.alone
    positive = any(e.speaks_for is best and e.weight > 0 for e in why)
    least = w.program if best is P else w.cache if best is FileClass.CACHE else w.sort
    enough = certainty >= (least if best is P else max(least, by_class[P] * w.lead))
    file_class = best if enough and positive else FileClass.UNSORTED
    return Verdict(file_class=file_class, certainty=round(certainty, 4), leaning=best, why=why)
