"""Reading installs and arrivals, and what is known about a program: rulings, keepsheets, runs, roots."""

from __future__ import annotations

import json
import os
import time
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict, replace
from functools import cache
from typing import TYPE_CHECKING

from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.pattern import is_pattern, why_no_pattern
from left_intact.core.model.place import At, Root, from_words
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.version import Version
from left_intact.services.home import Home, Service

if TYPE_CHECKING:
    from left_intact.core.arrival.root import Names
    from left_intact.core.keepsheet.sheet import Keepsheet
    from left_intact.core.model.entry import Finding
    from left_intact.core.model.findings import SortedPages
    from left_intact.core.model.found import Likeness, OtherRoot, Run
    from left_intact.core.model.install import Install, Ruling
    from left_intact.core.model.pages import Page
    from left_intact.core.model.release import Arrival, Reading, Release
    from left_intact.core.model.survey import Lesson, Survey
    from left_intact.core.planning.circumstances import Circumstances
    from left_intact.core.survey.donor import Donor
    from left_intact.core.survey.inputs import SurveyInputs
    from left_intact.core.survey.read import PreviousSurvey

from left_intact.services.records import Records
from left_intact.services.values import Preview, VersionRead


class Surveys(Service):
    """Reading installs and arrivals, and what is known about a program: rulings, keepsheets, runs, roots."""

    def __init__(self, home: Home, records: Records) -> None:
        super().__init__(home)
        self.records = records

    def survey(
        self,
        install: Install,
        *,
        baseline: str | None = None,
        sheet: str | None = None,
        under_way: bool = False,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Survey:
        """Read and classify an install; changes nothing of it. With `under_way` it may lie there half, or not
        at all, as a step by hand takes it away: what was last known of it stays on record.
        """
        known_sheet = self.sheet_of(install, sheet)
        known = cache(lambda: self.inputs_for(install, self.baseline(install, baseline), known_sheet, None))
        survey = self.read(install, known, known_sheet, report, cancel, under_way=under_way)
        if baseline is not None and (release := known().baseline) is not None:
            refuse_other_version(release, survey, baseline)
        return survey

    def inputs_for(
        self, install: Install, base: Release | None, sheet: Keepsheet, arrival: Release | None
    ) -> SurveyInputs:
        """All that an install is sorted by, beside what lies there."""
        from left_intact.core.survey.inputs import SurveyInputs
        from left_intact.core.survey.patterns import Pattern

        labels = [label for label, _ in self.library.roots(install)]
        ruled = self.library.rulings(install)
        rulings = [(Pattern.of(ruling.pattern, labels), ruling.file_class) for ruling in ruled]
        return SurveyInputs(
            baseline=base,
            arrival=arrival,
            rulings=rulings,
            sheet=[(Pattern.of(pattern, labels), kind) for pattern, kind in sheet.classes],
            runs=self._runs(install, sheet),
        )

    def _runs(self, install: Install, sheet: Keepsheet) -> dict[At, tuple[str, str]]:
        """What runs made or changed: as watched, and as the keepsheet says of a first start."""
        labels = [label for label, _ in self.library.roots(install)]
        return {
            from_words(path, labels): ("made", "") for path in sheet.first_start if not path.endswith("/")
        } | self.library.runs(install)

    def read(
        self,
        install: Install,
        known: SurveyInputs | Callable[[], SurveyInputs],
        sheet: Keepsheet,
        report: Report,
        cancel: CancelToken | None,
        just_read: Survey | None = None,
        *,
        under_way: bool = False,
    ) -> Survey:
        """Walk and sort an install, and keep what was found; `known` may be a function, called while it is
        walked. What was `just_read` is not walked again.
        """
        from left_intact.core.files.tree import Tree
        from left_intact.core.survey.read import survey_install

        roots = self.library.roots(install)
        tree: Tree | None = None
        if just_read is not None and (just_read.root, just_read.roots) == (install.root, roots):
            tree = Tree(root=just_read.root, pages=tuple(just_read.findings.pages))
        is_gone = not os.path.lexists(install.root)
        if is_gone and not under_way:
            raise LeftIntactError(
                "no-folder",
                f"there is no folder here, and {install.name} lay in it",
                path=install.root,
                way_out=f'Bring it back; what can still be had: left-intact remains "{install.name}".',
            )
        if is_gone:
            tree = Tree(root=install.root, pages=())

        @cache
        def before() -> PreviousSurvey:
            left = self.library.before(install)
            return left.seen_as(tree.pages) if tree is not None else left

        survey, _, context = survey_install(
            install.root,
            known,
            name=install.name,
            before=before if self.library.was_surveyed(install) else None,
            roots=roots,
            rules=sheet.version_places,
            extra_readings=self._said_by_itself(install),
            tree=tree,
            report=report,
            cancel=cancel,
        )
        if under_way:
            return survey
        by = known() if callable(known) else known
        self.library.set_surveyed(install, survey, context, before(), planned=by.arrival is not None)
        survey = self._as_read(install, survey)
        self._note_summary(install, survey)
        return survey

    def _as_read(self, install: Install, survey: Survey) -> Survey:
        """A survey with the version that the person read in the program; what they read of another build, as
        its files say, counts no more.
        """
        noted = self.version_read(install)
        if noted is None:
            return survey
        if noted.files_say != survey.version_text:
            self.drop_version_read(install)
            return survey
        return replace(survey, readings=(noted.reading, *survey.readings))

    # ------------------------------------------------------------ the version, as the person reads it

    def version_read(self, install: Install) -> VersionRead | None:
        """What the person noted as the version that the program shows; None where nothing is noted."""
        said = self.library.choice(f"version-{install.id}")
        return VersionRead(**json.loads(said)) if said else None

    def note_version_read(self, install: Install, text: str) -> VersionRead:
        """Note the version that the person reads in the program itself: it counts from now on, until another
        build lies here. Raises `Misuse` (`no-version`).
        """
        text = " ".join(text.split())
        if Version.parse(text) is None:
            raise Misuse("no-version", f"{text!r} is no version", way_out="Give it as the program shows it.")
        self.drop_version_read(install)
        noted = VersionRead(text=text, when=time.time(), files_say=self.survey(install).version_text)
        self.library.set_choice(f"version-{install.id}", json.dumps(asdict(noted)))
        self.survey(install)
        return noted

    def drop_version_read(self, install: Install) -> None:
        """Forget what was noted: what the files say counts again."""
        self.library.set_choice(f"version-{install.id}", "")

    def other_folder(
        self,
        install: Install,
        place: str,
        baseline: Release | None,
        *,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Survey:
        """Read and sort a folder that is not the install's now, as if it were; nothing of it is kept."""
        from left_intact.core.survey.read import survey_install

        sheet = self.sheet_of(install)
        known = self.inputs_for(install, baseline, sheet, None)
        rules = sheet.version_places
        return survey_install(place, known, name=install.name, rules=rules, report=report, cancel=cancel)[0]

    def asked(self, install: Install) -> tuple[Reading, ...]:
        """What the person read in the program, and what it says of itself where it may be run for that."""
        noted = self.version_read(install)
        return (*([noted.reading] if noted is not None else ()), *self._said_by_itself(install))

    def _said_by_itself(self, install: Install) -> tuple[Reading, ...]:
        from left_intact.core.proving.ask_program import ask_program

        said = ask_program(install.root, install.version_command)
        return (said,) if said else ()

    def _note_summary(self, install: Install, survey: Survey) -> None:
        from left_intact.core.files.labels import that_only_name
        from left_intact.presentation.as_json import total_json

        newest = survey.findings.newest(FileClass.SAVES, that_only_name)
        summary = {
            "version": survey.version_text,
            "platform": survey.platform,
            "totals": {c.value: total_json(t) for c, t in survey.totals().items()},
            "newest_save": [newest.path, newest.mtime_ns] if newest else None,
            "read_at": time.time(),
            "baseline": survey.baseline,
            "unread": len(survey.unread()),
        }
        self.library.set_summary(install, summary)

    def sort_again(
        self,
        install: Install,
        survey: Survey,
        arrival: Arrival | None = None,
        cancel: CancelToken | None = None,
    ) -> Survey:
        """The same entries with the rulings of now; of the disk only settings that name folders are read."""
        from left_intact.core.files.tree import Tree
        from left_intact.core.model.findings import SortedPages
        from left_intact.core.survey.classify import sort_out
        from left_intact.core.survey.read import with_self_description

        assert isinstance(survey.findings, SortedPages)
        tree = Tree(root=survey.root, pages=tuple(survey.findings.pages))
        known = self.inputs_for(
            install,
            self.baseline(install, None),
            self.sheet_of(install),
            arrival.release if arrival else None,
        )
        known = with_self_description(tree, known, survey.roots)
        again = replace(survey, findings=sort_out(tree.pages, known, cancel))
        self._note_summary(install, again)
        return again

    def arrival(
        self,
        install: Install,
        path: str,
        *,
        sheet: str | None = None,
        names: Collection[str] | Names | None = None,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Arrival:
        """Look into what came. Raises `archive-hostile`, `archive-broken`, `no-arrival`.

        `names` are those of the install, where they are at hand.
        """
        from left_intact.core.arrival.look import look_into

        return look_into(
            path,
            installed=self.names_of(install) if names is None else names,
            name=install.name,
            rules=self.sheet_of(install, sheet).version_places,
            known=self.library.release_pages,
            keep=self._keep_pages,
            report=report,
            cancel=cancel,
        )

    def programs_paths(self, path: str) -> tuple[str, ...]:
        """The paths of the program's files in something that came, whomever it is for. Raises what looking
        into it raises.
        """
        from left_intact.core.arrival.look import look_into
        from left_intact.core.keepsheet.sheet import NO_SHEET

        arrival = look_into(path)
        donor = self.donor(arrival, NO_SHEET)
        return tuple(sorted(donor.taken if donor is not None else arrival.release.entries))

    def donor(self, arrival: Arrival, sheet: Keepsheet, *, always: bool = False) -> Donor | None:
        """What is whose in what came; None where neither names nor times in it speak of a person, unless
        `always`.
        """
        from left_intact.core.model.pages import pages_in
        from left_intact.core.survey.classify import sort_out
        from left_intact.core.survey.donor import donor_of, may_be_somebodys, was_used
        from left_intact.core.survey.inputs import SurveyInputs
        from left_intact.core.survey.patterns import Pattern

        if arrival.shape == "file":
            return None
        pages = pages_in(arrival.release.entries)
        used = arrival.shape == "folder" and was_used(pages)
        if not always and not used and not may_be_somebodys(pages):
            return None
        classes = [(Pattern.of(pattern, ()), kind) for pattern, kind in sheet.classes]
        return donor_of(sort_out(pages, SurveyInputs(sheet=classes)), used=used)

    def _keep_pages(self, place: str, pages: Sequence[Page]) -> None:
        with suppress(LeftIntactError):  # only spares the next look; this one is whole without it
            self.library.set_release_pages(place, pages)

    def names_of(self, install: Install) -> Collection[str] | Names:
        """What lies in an install: names by folder as last surveyed, else its paths."""
        seen = self.library.seen(install)
        if seen:
            return {page.folder: page.names for page in seen if page.names and not page.root}
        found = []
        for folder, _, names in os.walk(install.root):
            below = os.path.relpath(folder, install.root).replace(os.sep, "/")
            found += [name if below == "." else f"{below}/{name}" for name in names]
        return found

    def baseline(
        self, install: Install, path: str | None, names: Collection[str] | Names | None = None
    ) -> Release | None:
        """The release the install came from: as given, or as on record. Raises `baseline-mismatch`."""
        if path is None:
            return self.records.on_record(install)
        release = self._lying(install, self.arrival(install, path, names=names))
        _refuse_other(install, release, path)
        return release

    def _lying(self, install: Install, arrival: Arrival) -> Release:
        """A release as it lies in an install: one that is a single file, with a version or a platform in its
        name, lies there under the name that the program goes by.
        """
        from left_intact.core.planning.counterparts import as_named_here

        if arrival.shape != "file" or any(
            os.path.lexists(os.path.join(install.root, path)) for path in arrival.release.entries
        ):
            return arrival.release
        return as_named_here(arrival.release, self.survey(install))

    def set_baseline(self, install: Install, path: str) -> Release:
        """Put on record which release an install came from. Raises `baseline-mismatch`."""
        release = self._lying(install, self.arrival(install, path))
        _refuse_other(install, release, path)
        refuse_other_version(release, self.survey(install), path)
        self.library.set_baseline(install, release)
        return release

    def circumstances(
        self, install: Install, survey: Survey, arriving: str = "", *, sheet: Keepsheet | None = None
    ) -> Circumstances:
        """What the machine says of an install; `sheet` is its keepsheet where another was given."""
        from left_intact.core.carrying.boxes import strongbox_for
        from left_intact.core.files import host
        from left_intact.core.files.identity import identity_of
        from left_intact.core.files.names import lies_in
        from left_intact.core.files.place import able
        from left_intact.core.planning.circumstances import BOX, Circumstances

        root = install.root
        folders = ["", *(f.path for f in survey.folders if not f.root)]
        places = (("", root), *survey.roots)
        roots = tuple(
            Root(label=label, place=os.path.realpath(p), identity=identity_of(os.path.realpath(p)))
            for label, p in places
        )
        clear = (sheet or self.sheet_of(install)).clear
        box = strongbox_for(
            root, install.name, self.home, self.library.box(install), outside=clear is not None
        )
        name_bytes, path_bytes = host.longest_names(root)
        return Circumstances(
            free=host.free_bytes(os.path.dirname(root)),
            unwritable=host.unwritable(root, folders),
            running=host.running_from(root),
            narrow_names=host.narrow_names(root),
            folds_case=host.folds_case(root),
            held=self.held_because(install, arriving),
            name_bytes=name_bytes,
            path_bytes=path_bytes,
            links=able().links,
            box_beside=box.folder if lies_in(box.folder, os.path.dirname(root)) else "",
            ghost=_ghost(root, clear.ghost) if clear is not None else None,
            roots=roots,
            rooms=host.rooms({BOX: box.folder, **{r.label: r.place for r in roots}}),
        )

    def held_because(self, install: Install, arriving: str) -> str:
        """Why an arriving version is held back; empty where it is not."""
        from left_intact.core.model.version import Version

        hold = self.library.hold(install)
        version = Version.parse(arriving) if arriving else None
        if hold is None or version is None or not hold.forbids(version):
            return ""
        limit = f"at {hold.beyond}" if hold.beyond else "as it is"
        end = f", until {hold.until}" if hold.until else ""
        return f"{install.name} is held {limit}{end}" + (f": {hold.reason}" if hold.reason else "")

    def rule(self, install: Install, pattern: str, file_class: FileClass) -> None:
        """Write down the person's word on a path or pattern. It holds for all versions to come. Raises
        `no-pattern`.
        """
        self.rule_all(install, {pattern: file_class})

    def rule_all(self, install: Install, ruled: Mapping[str, FileClass]) -> None:
        """Write several rulings down that were made as one. Raises `no-pattern`."""
        for pattern in filter(is_pattern, ruled):
            if why := why_no_pattern(pattern):
                raise Misuse("no-pattern", f"this is no pattern: {why}", way_out="Give a simpler one.")
        self.library.rule(install, ruled)

    def take_back(self, install: Install) -> tuple[str, ...]:
        """Take the ruling back that was made last, or all of those that were made as one; their patterns."""
        return self.library.unrule_last(install)

    def unrule(self, install: Install, pattern: str) -> None:
        """Take a ruling back. Raises `no-ruling`."""
        if not any(ruling.pattern == pattern for ruling in self.rulings(install)):
            raise LeftIntactError(
                "no-ruling",
                f"{install.name} has no ruling on this",
                path=pattern,
                way_out="See `left-intact rulings`.",
            )
        self.library.unrule(install, pattern)

    def rulings(self, install: Install) -> list[Ruling]:
        return self.library.rulings(install)

    @staticmethod
    def met_by(survey: Survey, pattern: str, limit: int) -> tuple[list[Finding], int]:
        """(the first entries that a ruling on a pattern would speak of, how many there are)."""
        findings, places = _met(survey, pattern)
        return [findings.at(number, at) for _, number, at in places[:limit]], len(places)

    @staticmethod
    def preview(survey: Survey, pattern: str, file_class: FileClass) -> Preview:
        """What a ruling would speak of, and how much it would change."""
        findings, places = _met(survey, pattern)
        changing = [path for path, *at in places if findings.class_at(*at) is not file_class]
        return Preview(
            pattern=pattern,
            file_class=file_class,
            meets=len(places),
            changes=len(changing),
            examples=tuple(at.shown for at in changing[:5]),
            by_class=tuple(Counter(findings.class_at(*at) for _, *at in places).most_common()),
        )

    def sheet_of(self, install: Install, given: str | None = None, *, text: str = "") -> Keepsheet:
        """The install's own keepsheet under one that is given as a file, or as text. Raises `bad-sheet`."""
        from left_intact.core.keepsheet.sheet import NO_SHEET, parse_sheet, read_text

        own = self.library.sheet(install)
        known = parse_sheet(own, f"the keepsheet of {install.name}") if own else NO_SHEET
        text = read_text(given) if given else text
        return replace(parse_sheet(text, given or "the sheet"), given=text).over(known) if text else known

    def sheet_text(self, install: Install) -> str:
        """All that is known about a program as a keepsheet: its own, its rulings, what runs made."""
        from left_intact.core.keepsheet.learn import Learnt, with_learnt

        runs = self.library.runs(install).items()
        made = [at.written for at, (change, _) in runs if change == "made"]
        rulings = {r.pattern: r.file_class for r in self.rulings(install)}
        return with_learnt(
            self.library.sheet(install), Learnt(program=install.name, classes=rulings, first_start=made)
        )

    def take_sheet(self, install: Install, text: str, where: str = "the sheet") -> None:
        """Make a text the install's own keepsheet. Raises `bad-sheet` and changes nothing then."""
        from left_intact.core.keepsheet.sheet import parse_sheet

        if text.strip():
            parse_sheet(text, where)
        self.library.set_sheet(install, text if text.strip() else "")

    def take_edited(self, install: Install, text: str) -> None:
        """Take `sheet_text` as somebody changed it. Raises `bad-sheet` and changes nothing then.

        A line that is a ruling stays one; a ruling whose line is gone or says otherwise is taken back.
        """
        from left_intact.core.keepsheet.learn import without_classes
        from left_intact.core.keepsheet.sheet import NO_SHEET, parse_sheet

        said = dict((parse_sheet(text, "what you wrote") if text.strip() else NO_SHEET).classes)
        rulings = self.rulings(install)
        kept = [r.pattern for r in rulings if said.get(r.pattern) is r.file_class]
        self.take_sheet(install, without_classes(text, kept) if kept else text)
        for ruling in rulings:
            if ruling.pattern not in kept:
                self.library.unrule(install, ruling.pattern)

    def import_sheet(self, install: Install, path: str, *, merge: bool = False) -> list[str]:
        """Take a keepsheet from a file, or add what it knows; gives what both say differently."""
        from left_intact.core.keepsheet.learn import merged
        from left_intact.core.keepsheet.sheet import parse_sheet, read_text

        text = read_text(path)
        parse_sheet(text, path)
        if not merge:
            self.take_sheet(install, text, path)
            return []
        together, differ = merged(self.library.sheet(install), text)
        self.take_sheet(install, together, path)
        return differ

    def export_sheet(self, install: Install, path: str = "") -> str:
        """Write all that is known as a keepsheet; below `--home/exports` where no path is given. Returns
        the path.
        """
        from left_intact.core.files.private import write_private

        path = path or self.export_path(install, "keepsheet", ".toml")
        write_private(path, self.sheet_text(install))
        return path

    def export_path(self, install: Install, what: str, ending: str) -> str:
        from left_intact.core.files.private import private_folder

        folder = private_folder(os.path.join(self.home, "exports"))
        name = "".join(c if c.isalnum() else "-" for c in install.name.lower())
        return os.path.join(folder, f"{what}-{name}{ending}")

    def learn_from_update(
        self, install: Install, survey: Survey, shipped: Iterable[Page]
    ) -> dict[str, FileClass]:
        """Write down the folders that an update has shown to be the person's, for the versions to come."""
        from left_intact.core.keepsheet.learn import Learnt, folders_of_one_class, with_learnt

        found = folders_of_one_class(survey, shipped)
        known = dict(self.sheet_of(install).classes)
        fresh = {pattern: kind for pattern, kind in found.items() if pattern not in known}
        if fresh:
            text = with_learnt(self.library.sheet(install), Learnt(program=install.name, classes=fresh))
            self.library.set_sheet(install, text)
        return fresh

    def watch(
        self,
        install: Install,
        *,
        command: Sequence[str] = (),
        wait: Callable[[], None] | None = None,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Run:
        """Watch one run of the program and remember what it made and changed. Raises `no-start`, `Stopped`.

        A command is run because the person gave it, in the install's folder, and never otherwise.
        """
        from left_intact.core.survey.watch import watch_run

        run = watch_run(
            install.root,
            self.library.roots(install),
            command=command,
            wait=wait,
            report=report,
            cancel=cancel,
        )
        made, digests = set(run.made), dict(run.digests)
        changes = {at: ("made" if at in made else "changed", digests.get(at, "")) for at in run.touched}
        self.library.note_run(install, changes)
        return run

    def stubs(self, install: Install, survey: Survey) -> list[Finding]:
        """What a watched run made and nobody used since."""
        found = []
        for at, (change, digest) in sorted(self.library.runs(install).items()):
            finding = survey.findings.find(at) if change == "made" and digest else None
            if finding is not None and finding.entry.digest == digest:
                found.append(finding)
        return found

    def infer_baseline(
        self,
        install: Install,
        places: Sequence[str] = (),
        *,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> list[Likeness]:
        """Old releases that the install may have come from, the likest first; nothing is put on record."""
        from left_intact.core.arrival.infer import infer_baseline

        survey = self.survey(install, report=report, cancel=cancel)
        mine = {f.at.path: f.entry for f in survey.findings if not f.at.root}
        wanted = list(places) or self.usual_archive_places(install)
        return infer_baseline(install.name, survey.version_text, mine, wanted, report=report, cancel=cancel)

    def usual_archive_places(self, install: Install) -> list[str]:
        """Where old archives lie: beside the install, in downloads, in folders that are followed, among
        what was fetched.
        """
        import platformdirs

        followed = [o.place for o in self.library.outlets(install) if o.kind.value == "folder"]
        fetched = os.path.join(self.home, "fetched")
        inside = (
            [os.path.join(fetched, name) for name in sorted(os.listdir(fetched))]
            if os.path.isdir(fetched)
            else []
        )
        return [os.path.dirname(install.root), platformdirs.user_downloads_dir(), *followed, fetched, *inside]

    def lessons(
        self, install: Install, survey: Survey, waiting: str | None, cancel: CancelToken | None = None
    ) -> tuple[Lesson, ...]:
        """What a survey in doubt could learn from, the best first: an old archive of its release, what waits
        for it, a watched run; empty where it is not in doubt.
        """
        from left_intact.core.arrival.infer import archives_about, most_settling
        from left_intact.core.model.survey import Helps, Lesson

        if not survey.is_in_doubt:
            return ()
        places = survey.findings.unsorted_places()
        unsorted = frozenset(at.path for at in places if not at.root)
        mine = [page.path(at) for page in survey.findings.own_pages for at in range(len(page.names))]
        about = archives_about(install.name, survey.version_text, self.usual_archive_places(install))
        archives = [p for p in about if waiting is None or os.path.realpath(p) != os.path.realpath(waiting)]
        found = []
        for kind, paths in ((Helps.ARCHIVE, archives), (Helps.ARRIVAL, [waiting] if waiting else [])):
            for settles, path in most_settling(paths, unsorted, mine, cancel)[:1]:
                found.append(Lesson(kind=kind, path=path, settles=settles, unsorted=len(places)))
        return (*found, Lesson(kind=Helps.RUN, unsorted=len(places)))

    def adopt_baseline(self, install: Install, release: Release) -> None:
        """Put a release on record as the one the install came from."""
        self.library.set_baseline(install, release)

    def find_roots(self, install: Install, *, home: str = "", report: Report = silent) -> list[OtherRoot]:
        """Folders elsewhere that look like the install's; nothing is taken up before the person confirms
        it.
        """
        from left_intact.core.files.roots import roots_reader
        from left_intact.core.survey.drives import users_beside
        from left_intact.core.survey.elsewhere import other_roots, program_names, usual_places
        from left_intact.core.survey.references import read_references
        from left_intact.core.survey.standing import FolderContents

        self.survey(install, report=report)
        pages = self.library.seen(install)
        read = roots_reader(install.root, self.library.roots(install))
        references = read_references(install.root, pages, read, FolderContents(pages).is_foreign)
        person = home or os.path.expanduser("~")
        places = usual_places(person, {} if home else os.environ, users=users_beside(install.root, person))
        known = [place for _, place in self.library.roots(install)]
        others = [other.root for other in self.library.installs()]
        names = program_names(pages, install.name) | {os.path.basename(install.root)}
        return other_roots(install.root, names, references, places, [*known, *others], home or "~")

    def roots(self, install: Install) -> tuple[tuple[str, str], ...]:
        """(label, absolute path) of the roots beside the first."""
        return self.library.roots(install)

    def add_root(self, install: Install, label: str, place: str) -> None:
        """Take a folder elsewhere up as a root of an install. Raises `no-folder`, `bad-label`,
        `roots-overlap`.
        """
        from left_intact.core.files.names import lies_in

        place = os.path.abspath(os.path.expanduser(place))
        if not label or not all(c.isalnum() or c == "-" for c in label):
            raise LeftIntactError(
                "bad-label", f"{label!r} is no label", way_out="Letters, digits and dashes."
            )
        if not os.path.isdir(place):
            raise LeftIntactError(
                "no-folder", "there is no folder here", path=place, way_out="Check the path."
            )
        for one in (install.root, *(p for known, p in self.library.roots(install) if known != label)):
            mine, new = os.path.realpath(one), os.path.realpath(place)
            if lies_in(mine, new) or lies_in(new, mine):
                raise LeftIntactError(
                    "roots-overlap",
                    f"this and {one} lie in each other",
                    path=place,
                    way_out="Name a folder apart from the others.",
                )
        self.library.set_root(install, label, place)

    def drop_root(self, install: Install, label: str) -> None:
        """Let go of a root; nothing of it on disk is touched. Raises `no-root`."""
        if label not in dict(self.library.roots(install)):
            raise LeftIntactError(
                "no-root", f"{install.name} has no root called {label}", way_out="See `left-intact roots`."
            )
        self.library.set_root(install, label, None)

    def peek(self, install: Install, survey: Survey, at: At, limit: int = 64 * 1024) -> bytes | None:
        """The first bytes of a file of an install; None where it cannot be read. No link is followed."""
        from left_intact.core.files.roots import absolute
        from left_intact.core.files.tree import first_bytes

        return first_bytes(absolute(install.root, survey.roots, at), limit)


def _met(survey: Survey, pattern: str) -> tuple[SortedPages, list[tuple[At, int, int]]]:
    """The columns of a survey, and the places in them that a pattern meets."""
    from left_intact.core.model.findings import SortedPages
    from left_intact.core.survey.patterns import Pattern

    findings = survey.findings
    assert isinstance(findings, SortedPages)
    means = Pattern.of(pattern, [label for label, _ in survey.roots])
    return findings, findings.where(means.speaks_of)


def refuse_other_version(release: Release, survey: Survey, path: str) -> None:
    """A baseline that somebody names must not be another release of the same program: all that changed
    between the two would count as the person's. Raises `baseline-mismatch`.
    """
    from left_intact.core.arrival.infer import likeness
    from left_intact.core.model.pages import PagedEntries

    here, there = survey.reading, release.reading
    if here is None or there is None or here.version is None or there.version is None:
        return
    if here.version.compare(there.version) == 0:
        return
    found = likeness(path, release, PagedEntries(survey.findings.own_pages))
    if found.code_equal >= _LEAST * found.code and found.share >= _LEAST:
        return
    says = f"{found.equal:,} of {found.shipped:,} of its files lie here as shipped"
    raise LeftIntactError(
        "baseline-mismatch",
        f"this is {there.text}, and what lies here is {here.text}: {says}",
        path=path,
        way_out="Name the release that lies here, or leave it out: what is known goes on without.",
    )


_LOOKED_FOR, _LEAST = 4_000, 0.5
"""Entries of a baseline that are looked for, and the share of them that must be there."""


def _refuse_other(install: Install, release: Release, path: str) -> None:
    """A baseline that somebody names must be what the install came from: most of it lies there."""
    paths = list(release.entries)
    some = paths[:: max(1, len(paths) // _LOOKED_FOR)]
    here = sum(os.path.lexists(os.path.join(install.root, one)) for one in some)
    if some and here >= _LEAST * len(some):
        return
    says = f"{here} of {len(some)} of its files lie here" if some else "there is nothing in it"
    raise LeftIntactError(
        "baseline-mismatch",
        f"this is not the release that {install.name} came from: {says}",
        path=path,
        way_out="Name another, or leave it out: what is known goes on without.",
    )


def _ghost(root: str, path: str) -> Root | None:
    """The folder in which a former install may have left something, also where it is yet to be made."""
    from left_intact.core.files.identity import identity_of

    if not path:
        return None
    folder = os.path.realpath(os.path.join(root, os.path.dirname(path)))
    identity = identity_of(folder)
    return Root(label="ghost", place=folder, identity=identity, existed=identity is not None)
