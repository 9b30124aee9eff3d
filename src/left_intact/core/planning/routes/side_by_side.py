"""Side by side: the new build gets a folder of its own, and what is the person's is carried over.

What would lie in the install after an update in place is what is to lie in the new folder: the same table
decides for every path. The old folder stays whole. Where the new one was started before, the files that the
start wrote under the names of the person's are stubs: the person's win, and the stubs are set aside.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from blake3 import blake3

from left_intact.core.files.names import parents
from left_intact.core.files.roots import is_apart, labelled
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Folder, Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.kept import CLASS_NUMBER, CLASSES, Kept, KeptPage
from left_intact.core.model.pages import Page
from left_intact.core.model.place import At
from left_intact.core.model.plan import Merge, Move, Question, Route, RouteChoice, Verb
from left_intact.core.model.release import Release
from left_intact.core.model.stages import Carry, FromRoot, Made, Shipped, Source
from left_intact.core.model.survey import Survey
from left_intact.core.planning.inputs import Drawing, PlanInputs
from left_intact.core.planning.later import LaterPlanner
from left_intact.core.planning.routes.in_place import InPlace
from left_intact.core.planning.side import OLD, Side, Stubs
from left_intact.core.planning.three_way import SAME_ROW
from left_intact.core.settings.formats.registry import is_settings_text, may_merge
from left_intact.core.settings.merge import merge_settings

CONTENT, USED = "content", "used-both"
"""The questions: how content is carried, and which of two files counts that both were used."""
_DEAR = 2 << 30
"""From so many bytes of content on it is asked whether to copy them."""
_BULK = (FileClass.CONTENT, FileClass.EXTRAS)
_UNPROVEN = 20
"""The row of what is not proven to be the program's."""
_HERE = 0.5
"""So much of what comes must lie in a folder that is not empty for it to be the new build's."""
_STAYS, _THERE, _BESIDE = 1, 2, 3
_BECAUSE = (
    "",
    "the old folder stays whole until you let go of it",
    "in the new folder already",
    "in a folder of its own, where it stays",
)


class SideBySide:
    """The route."""

    name = Route.SIDE_BY_SIDE
    later: Mapping[str, LaterPlanner] = MappingProxyType({})

    def fits(self, inputs: PlanInputs) -> RouteChoice:
        whole = InPlace().fits(_undonated(inputs))
        if not whole.fits:
            return RouteChoice(name=self.name, fits=False, because=whole.because)
        because = "in a folder of its own, the old one stays whole until you let go of it"
        return RouteChoice(name=self.name, fits=True, because=because)

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        return (*InPlace().blockers(_undonated(inputs), known), *_folder_faults(inputs))

    def draw(self, inputs: PlanInputs) -> Drawing:
        side = inputs.side
        assert side is not None, "the service gathers the new folder for this route"
        sketch = _Sketch(inputs, side, InPlace().draw(_undonated(inputs)))
        _gather(sketch)
        _rehome(sketch)
        used = _used_on_both_sides(sketch)
        _over_stubs(sketch, used)
        content = _content_question(sketch)
        _lead_paths(sketch)
        moves = _moves(sketch)
        survey = _joined_survey(sketch)
        labels = [label for label, _ in survey.roots]
        stubs = tuple(p for p in sketch.replaced if p in sketch.came and sketch.is_the_arrival)
        return Drawing(
            stages=(
                Carry(
                    moves=tuple(m for m in moves if m.is_step),
                    shipped=Shipped(arrival=0, without=stubs),
                    times=_times(sketch),
                ),
            ),
            kept=_kept(sketch, labels, [m for m in moves if not m.is_step]),
            merges=MappingProxyType(sketch.merges),
            questions=(*sketch.drawing.questions, *used, *content),
            blockers=(*sketch.drawing.blockers, *sketch.blockers),
            warnings=(*sketch.drawing.warnings, *sketch.warnings),
            baseline=sketch.drawing.baseline,
            facts=side.facts,
            survey=survey,
            told=_told(sketch),
        )


@dataclass(slots=True)
class _Wanted:
    """What is to lie at a path of the new folder."""

    entry: Entry
    verb: Verb
    file_class: FileClass
    because: str
    source: Source | None
    old: str = ""
    """Where it lies in the old folder; empty for what comes from the arrival."""
    question: str = ""
    before: Entry | None = None
    joins: At | None = None
    by_name: bool = False


@dataclass(slots=True)
class _Sketch:
    inputs: PlanInputs
    side: Side
    drawing: Drawing
    wanted: dict[str, _Wanted] = field(default_factory=dict)
    behind: Counter[FileClass] = field(default_factory=Counter)
    """What stays in the old folder alone."""
    merges: dict[str, Merge] = field(default_factory=dict)
    moved: dict[str, str] = field(default_factory=dict)
    """Old paths and new ones, where those differ."""
    replaced: set[str] = field(default_factory=set)
    """Paths of the new folder where something else lies now."""
    left: list[str] = field(default_factory=list)
    """Folders of content that stay where they are, with a link to them."""
    blockers: list[Fault] = field(default_factory=list)
    warnings: list[Fault] = field(default_factory=list)

    @property
    def came(self) -> Mapping[str, Entry]:
        return self.inputs.arrival.release.entries

    @property
    def is_the_arrival(self) -> bool:
        """Whether what came is the new folder itself, unpacked by hand."""
        return self.inputs.arrival.source == self.side.place


def _undonated(inputs: PlanInputs) -> PlanInputs:
    """What came is no donor's tree where it is the new folder, with what a first start made in it."""
    at_home = inputs.side is not None and inputs.arrival.source == inputs.side.place
    return replace(inputs, donor=None) if at_home else inputs


def _folder_faults(inputs: PlanInputs) -> list[Fault]:
    """A blocker where the new folder holds something else."""
    side, coming = inputs.side, inputs.arrival.release.entries
    if side is None or side.is_empty or inputs.arrival.source == side.place:
        return []
    files = [path for path, entry in coming.items() if entry.kind is Kind.FILE]
    here = sum(1 for path in files if side.entry(path) is not None)
    if here >= len(files) * _HERE:
        return []
    says = f"{side.place} holds something else: {here} of {len(files)} files of what came lie there"
    return [Fault(code="into-taken", says=says, way_out="Name another folder with --into.")]


# ---------------------------------------------------------------- what is to lie there


def _gather(sketch: _Sketch) -> None:
    """What an update in place would leave, by the path that it has there."""
    for move in (m for stage in sketch.drawing.stages if isinstance(stage, Carry) for m in stage.moves):
        if move.at.root or move.after is None:
            sketch.behind[move.file_class] += move.after is None
            continue
        merged = isinstance(move.source, Made)
        if merged:
            sketch.merges[move.path] = sketch.drawing.merges[move.path]
        sketch.wanted[move.path] = _Wanted(
            replace(move.after, stamp=(0, 0, 0)),
            move.verb if merged else Verb.ADD,
            move.file_class,
            move.because,
            move.source,
            old=move.path if merged else "",
            question=move.question,
        )
    for page in sketch.drawing.kept.pages:
        root, above = sketch.drawing.kept.folder_at(page)
        if not root:
            for at in page.places:
                name = page.page.names[at]
                path = f"{above}/{name}" if above else name
                _stays(sketch, path, page.page.entry(at), CLASSES[page.classes[at]], page.reasons[at])
    for move in sketch.drawing.kept.rest:
        if not move.at.root and move.before is not None:
            _stays(sketch, move.path, move.before, move.file_class, 0, move)


def _stays(
    sketch: _Sketch, path: str, entry: Entry, kind: FileClass, reason: int, move: Move | None = None
) -> None:
    """One thing that an update in place would leave as it is."""
    coming = sketch.came.get(path)
    if coming is not None and reason == SAME_ROW.number:
        from left_intact.core.planning.laid import laid, member_of

        after = laid(coming, entry if entry.kind is Kind.FILE else None)
        source = member_of(sketch.inputs.arrival, path) if entry.kind is Kind.FILE else None
        sketch.wanted[path] = _Wanted(after, Verb.ADD, kind, "as {new} ships it", source)
        return
    if entry.kind is Kind.FAULT or entry.kind is Kind.OTHER:
        says = f"{path} cannot be carried over: {entry.fault or 'it is no file, folder or link'}"
        sketch.warnings.append(Fault(code="not-carried", says=says, way_out="It stays in the old folder."))
        return
    if kind is FileClass.CACHE or (kind is FileClass.PROGRAM and reason == _UNPROVEN and coming is None):
        sketch.behind[kind] += 1
        return
    after = replace(entry, stamp=(0, 0, 0))
    if entry.kind is Kind.LINK:
        after = replace(after, link=_led(sketch, entry.link))
    here = FromRoot(At(OLD, path)) if entry.kind is Kind.FILE else None
    because = move.because if move is not None and move.question else "yours: carried over"
    question = move.question if move is not None else ""
    sketch.wanted[path] = _Wanted(after, Verb.CARRY, kind, because, here, old=path, question=question)


def _led(sketch: _Sketch, link: str) -> str:
    """Where a link of the person's leads from the new folder: what led into the old one leads into this."""
    was = sketch.side.was
    return sketch.side.place + link[len(was) :] if link == was or link.startswith(was + "/") else link


# ---------------------------------------------------------------- what the new layout keeps elsewhere


def _rehome(sketch: _Sketch) -> None:
    """Give what the new build keeps elsewhere the path that it has there."""
    told = [(old, new) for old, new, _ in sketch.inputs.sheet.moved]
    ways = {**_folders_that_moved(sketch), **_files_that_moved(sketch)}
    for path in [p for p, w in sketch.wanted.items() if w.old and w.entry.kind is not Kind.FOLDER]:
        target = _by_sheet(path, told) or ways.get(path, "")
        if not target or target == path:
            continue
        mine, there = sketch.wanted.pop(path), sketch.wanted.get(target)
        mine.entry, mine.verb = replace(mine.entry, path=target), Verb.REHOME
        mine.because = f"yours; the new build keeps it at {target}"
        sketch.moved[path] = target
        if there is not None:
            _merge_into(sketch, path, mine, target, sketch.inputs.arrival.release.texts.get(target))
        sketch.wanted[target] = mine


def _by_sheet(path: str, told: Iterable[tuple[str, str]]) -> str:
    for old, new in told:
        old, new = old.rstrip("/"), new.rstrip("/")
        if path == old:
            return new
        if path.startswith(old + "/"):
            return new + path[len(old) :]
    return ""


def _new_folders(sketch: _Sketch) -> dict[str, set[str]]:
    """Names by folder of what the new build has, by its release and by its first start."""
    found: dict[str, set[str]] = defaultdict(set)
    for path, entry in sketch.came.items():
        if entry.kind is Kind.FILE:
            folder, _, name = path.rpartition("/")
            found[folder].add(name)
    for page in sketch.side.pages:
        if page.names:
            found[page.folder].update(page.names)
    return found


def _folders_that_moved(sketch: _Sketch) -> dict[str, str]:
    """Where whole folders of the person's are kept elsewhere: the new build has none of that name, and just
    one other that holds files of the same names.
    """
    there = _new_folders(sketch)
    known = {*there, *(folder for path in there for folder in parents(path + "/x"))}
    mine: dict[str, set[str]] = defaultdict(set)
    for path, one in sketch.wanted.items():
        folder, _, name = path.rpartition("/")
        if folder and one.old and one.verb is Verb.CARRY and one.entry.kind is Kind.FILE:
            mine[folder].add(name)
    found = {}
    for folder, names in mine.items():
        if folder in known:
            continue
        alike = [other for other, theirs in there.items() if len(names & theirs) >= min(2, len(names))]
        if len(alike) == 1 and not _is_shipped_so(sketch, folder, names):
            found.update({f"{folder}/{name}": f"{alike[0]}/{name}" if alike[0] else name for name in names})
    return found


def _is_shipped_so(sketch: _Sketch, folder: str, names: set[str]) -> bool:
    """Whether names are those of documents and the like, which lie in many folders."""
    common = {"readme.txt", "readme.md", "index.html", "licence.txt", "license.txt", "version", ".keep"}
    return {name.lower() for name in names} <= common


def _files_that_moved(sketch: _Sketch) -> dict[str, str]:
    """Settings that the release before had elsewhere: this one has just one of that name."""
    base = sketch.drawing.baseline
    if base is None:
        return {}
    there = _new_folders(sketch)
    found = {}
    for path, one in sketch.wanted.items():
        folder, _, name = path.rpartition("/")
        if not one.old or path not in base.entries or name in there.get(folder, ()):
            continue
        if one.file_class is FileClass.SETTINGS or is_settings_text(one.entry.format):
            places = [other for other, names in there.items() if name in names]
            if len(places) == 1:
                found[path] = f"{places[0]}/{name}" if places[0] else name
    return found


# ---------------------------------------------------------------- over what lies in the new folder


def _collisions(sketch: _Sketch) -> Iterator[tuple[str, _Wanted, Entry]]:
    """(path, what is to lie there, what lies there now), where those differ."""
    for path, one in sketch.wanted.items():
        there = sketch.side.entry(path)
        if there is not None and not there.same_content(one.entry):
            yield path, one, there


def _written(sketch: _Sketch, mine: Iterable[str]) -> Iterable[str]:
    """The paths of the new folder that a first start, or somebody since, may have written."""
    if not sketch.is_the_arrival:
        return [page.path(at) for page in sketch.side.pages for at in range(len(page.names))]
    donor = sketch.inputs.donor
    return {*mine, *(f.path for f in (*donor.own, *donor.unsorted))} if donor is not None else mine


def _digest(sketch: _Sketch, path: str) -> str:
    entry = sketch.side.entry(path)
    return entry.digest if entry is not None else ""


def _used_on_both_sides(sketch: _Sketch) -> tuple[Question, ...]:
    """One question about what was used in both folders: nobody can guess which counts."""
    base = sketch.drawing.baseline
    shipped = {e.digest for e in base.entries.values()} if base else set()
    if not sketch.is_the_arrival:
        shipped |= {e.digest for e in sketch.came.values()}
    shipped.discard("")
    mine = {path: one for path, one, there in _collisions(sketch) if one.old and there.kind is Kind.FILE}
    stubs = Stubs(
        sketch.side, shipped, [p for p in _written(sketch, mine) if _digest(sketch, p) not in shipped]
    )
    used = tuple(sorted(path for path, one in mine.items() if stubs.was_used(path, one.file_class)))
    if not used:
        return ()
    options = ("old", "new")
    answer = sketch.inputs.answers.get(USED)
    what = used[0] if len(used) == 1 else f"{len(used)} files, as {used[0]},"
    verb = "was" if len(used) == 1 else "were"
    its = "its own name" if len(used) == 1 else "their own names"
    return (
        Question(
            id=USED,
            asks=f"{what} {verb} used in the old folder and in the new one: which counts?",
            options=options,
            leads_to=(
                f"the old folder's; what lies in the new one is kept in the strongbox, under {its}",
                "the new folder's; what lies in the old one stays there",
            ),
            default="old",
            answer=answer if answer in options else None,
            paths=used,
        ),
    )


def _over_stubs(sketch: _Sketch, used: tuple[Question, ...]) -> None:
    """Lay all over what lies in the new folder."""
    asked = {path: question for question in used for path in question.paths}
    for path, one, there in list(_collisions(sketch)):
        question = asked.get(path)
        if question is not None:
            one.question, one.by_name = question.id, True
            if question.choice == "new":
                _leave_there(sketch, path, one)
                continue
        if there.kind is Kind.FOLDER or one.entry.kind is Kind.FOLDER:
            _in_the_way(sketch, path, there)
            continue
        if not one.old and is_settings_text(there.format) and one.file_class is not FileClass.PROGRAM:
            del sketch.wanted[path]  # what its own first start made of its own defaults
            continue
        one.before = there
        sketch.replaced.add(path)
        if not one.old:
            one.verb, one.because = Verb.REPLACE, "as {new} ships it; what lay there is set aside"
            continue
        if question is None:
            _merge_into(sketch, one.old, one, path, sketch.side.read(path))
            stub = "; the stub of a first start is set aside"
            one.because += (
                stub if one.verb is not Verb.MERGE else "; what a first start wrote beside yours is in it"
            )
        else:
            one.because += "; used in both folders: you chose the old one's" if question.answer else ""
    for path, one in sketch.wanted.items():
        same = sketch.side.entry(path) if one.before is None else None
        if same is not None:
            one.before = one.entry = same
            one.verb, one.because = Verb.KEEP, "the very same lies there already"
            sketch.merges.pop(path, None)
        elif one.before is None:
            _refuse_blocked_way(sketch, path)


def _refuse_blocked_way(sketch: _Sketch, path: str) -> None:
    """A blocker where something of the new folder that is no folder lies on the way to a path."""
    for folder in parents(path):
        there = sketch.side.entry(folder)
        if there is not None and there.kind is not Kind.FOLDER and folder not in sketch.wanted:
            _in_the_way(sketch, folder, there)
            return


def _leave_there(sketch: _Sketch, path: str, one: _Wanted) -> None:
    del sketch.wanted[path]
    sketch.merges.pop(path, None)
    sketch.behind[one.file_class] += 1


def _in_the_way(sketch: _Sketch, path: str, there: Entry) -> None:
    what = "a folder" if there.kind is Kind.FOLDER else "a file"
    says = f"{path} is {what} in the new folder and something else in the old one"
    way = f"Move {path} out of {sketch.side.place} first."
    sketch.blockers.append(Fault(code="in-the-way", says=says, way_out=way))


def _merge_into(sketch: _Sketch, old: str, mine: _Wanted, path: str, coming: bytes | None) -> None:
    """Add to the person's settings what the new ones have more; theirs stay whole where that is not sure."""
    there = sketch.side.entry(path) or sketch.came.get(path)
    yours = mine.source.content if isinstance(mine.source, Made) else sketch.inputs.read(old)
    if there is None or coming is None or yours is None or not may_merge(mine.entry.format, there.format):
        return
    if mine.file_class not in (FileClass.SETTINGS, FileClass.UNSORTED, FileClass.PROGRAM):
        return
    base = sketch.drawing.baseline
    shipped = base.texts.get(old) if base and not isinstance(mine.source, Made) and old != path else None
    merge = merge_settings(
        shipped, yours, coming, file_format=mine.entry.format, renames=sketch.inputs.sheet.renames_in(old)
    )
    if merge.trouble or merge.content == yours or any(line.decided == "conflict" for line in merge.lines):
        return
    before = sketch.merges.get(path)
    lines = merge.lines if before is None else _both(before, merge)
    sketch.merges[path] = Merge(lines=lines, content=merge.content)
    digest = blake3(merge.content).hexdigest()
    mine.source = Made(digest, merge.content, lines)
    mine.entry = replace(mine.entry, bytes=len(merge.content), digest=digest)
    mine.verb = Verb.MERGE


def _both(first: Merge, second: Merge) -> tuple[Any, ...]:
    """The lines of two mergings, one on the other: what the second added comes after those of the first."""
    known = {line.path for line in first.lines}
    return (*first.lines, *(line for line in second.lines if line.path not in known))


# ---------------------------------------------------------------- content that is dear to copy


def _content_question(sketch: _Sketch) -> tuple[Question, ...]:
    """How tens of gigabytes get there; asked only where copying them is dear."""
    bulk = {p: w for p, w in sketch.wanted.items() if w.old and w.file_class in _BULK and w.before is None}
    amount = sum(one.entry.bytes for one in bulk.values() if one.entry.kind is Kind.FILE)
    facts = sketch.side.facts
    rooms = facts.rooms
    new, old = rooms.get("", (0, facts.free)), rooms.get(OLD, rooms.get("", (0, 0)))
    if amount < min(_DEAR, new[1]):
        return ()
    told = f"{amount / 1e9:.1f} GB"
    ways = {"copy": f"{told} are copied: the old folder can be let go of whole"}
    if new[0] == old[0]:
        ways["links"] = "one copy under two names: no room, but a program that writes into one changes both"
    folders = _whole_folders(sketch, bulk)
    if folders and facts.links:
        ways["leave"] = "it stays where it is, with a link to it: no room, but the old folder must stay"
    answer = sketch.inputs.answers.get(CONTENT)
    default = "copy" if amount <= new[1] // 2 or len(ways) == 1 else "links" if "links" in ways else "leave"
    question = Question(
        id=CONTENT,
        asks=f"{told} of content and extras: how do they get into the new folder?",
        options=tuple(ways),
        leads_to=tuple(ways.values()),
        default=default,
        answer=answer if answer in ways else None,
    )
    if question.choice == "links":
        for one in bulk.values():
            if one.entry.kind is Kind.FILE and isinstance(one.source, FromRoot):
                one.joins = one.source.at
                one.because = "yours: one copy under two names"
    elif question.choice == "leave":
        _leave(sketch, folders)
    return (question,)


def _whole_folders(sketch: _Sketch, bulk: Mapping[str, _Wanted]) -> list[str]:
    """The topmost folders of which all that is carried is content or extras, and of which nothing comes."""
    other = {folder for path in sketch.wanted if path not in bulk for folder in parents(path)}
    other |= {folder for page in sketch.side.pages for folder in (page.folder, *parents(page.folder))}
    found: set[str] = set()
    for path in bulk:
        top = next((folder for folder in parents(path) if folder not in other), "")
        if top and not any(f == top or top.startswith(f + "/") for f in found):
            found.add(top)
    return sorted(found)


def _leave(sketch: _Sketch, folders: Iterable[str]) -> None:
    for folder in folders:
        for path in [p for p in sketch.wanted if p.startswith(folder + "/")]:
            del sketch.wanted[path]
        sketch.wanted[folder] = _Wanted(
            Entry(path=folder, kind=Kind.LINK, link=f"{sketch.side.was}/{folder}"),
            Verb.CARRY,
            FileClass.CONTENT,
            "yours: it stays in the old folder, with a link to it",
            None,
            old=folder,
        )
        sketch.left.append(folder)


# ---------------------------------------------------------------- paths in settings


def _lead_paths(sketch: _Sketch) -> None:
    """Settings that name the old folder name the new one, but where content stays there."""
    was, place = sketch.side.was, sketch.side.place
    stays = "|".join(re.escape("/" + folder) for folder in sketch.left)
    away = f"(?!(?:{stays})(?:/|\\b))" if stays else ""
    named = re.compile(re.escape(was.encode()) + away.encode() + rb"(?=[/\\\"'\s;,:)\]}]|$)")
    count = 0
    for path, one in sketch.wanted.items():
        if not one.old or not is_settings_text(one.entry.format) or one.file_class in _BULK:
            continue
        data = one.source.content if isinstance(one.source, Made) else sketch.inputs.read(one.old)
        if data is None or not named.search(data):
            continue
        led = named.sub(lambda _: place.encode(), data)
        digest = blake3(led).hexdigest()
        lines = tuple(
            replace(line, result=line.result.replace(was, place)) if line.result else line
            for line in (one.source.lines if isinstance(one.source, Made) else ())
        )
        one.source = Made(digest, led, lines)
        one.entry = replace(one.entry, bytes=len(led), digest=digest)
        one.because += "; paths in it lead to the new folder"
        if path in sketch.merges:
            sketch.merges[path] = Merge(lines=lines, content=led)
        count += 1
    if count:
        number = "1 settings file" if count == 1 else f"{count} settings files"
        says = f"{number} named the old folder, and will name the new one"
        sketch.warnings.append(Fault(code="paths-led", says=says))


# ---------------------------------------------------------------- the plan's own values


def _moves(sketch: _Sketch) -> list[Move]:
    new = sketch.inputs.arrival.release.version_text or "the arrival"
    found = [
        Move(
            at=At("", path),
            verb=one.verb,
            file_class=one.file_class,
            because=one.because.replace("{new}", new),
            before=one.before,
            after=one.entry,
            source=one.source,
            bytes=one.entry.bytes,
            question=one.question,
            joins=one.joins,
            by_name=one.by_name,
            unproven=one.before is not None,
        )
        for path, one in sketch.wanted.items()
    ]
    found += _folders(sketch)
    return sorted(found, key=lambda m: m.at)


def _folders(sketch: _Sketch) -> list[Move]:
    """The new folder itself, and folders of the person's that fewer may open than others."""
    survey, found = sketch.inputs.survey, []
    modes = {f.path: f for f in survey.folders if not is_apart(f.path)}
    if not sketch.side.existed:
        top = modes.get("") or Folder(path="", mode=0o755, mtime_ns=0)
        entry = Entry(path="", kind=Kind.FOLDER, mode=top.mode)
        found.append(
            Move(
                at=At("", ""),
                verb=Verb.ADD,
                file_class=FileClass.PROGRAM,
                because="the new folder",
                after=entry,
            )
        )
    needed = {folder for path in sketch.wanted for folder in parents(path)}
    for path in sorted(needed):
        known = modes.get(path)
        if (
            known is None
            or known.mode == 0o755
            or sketch.side.entry(path) is not None
            or path in sketch.wanted
        ):
            continue
        after = Entry(path=path, kind=Kind.FOLDER, mode=known.mode)
        found.append(
            Move(
                at=At("", path),
                verb=Verb.CARRY,
                file_class=FileClass.UNSORTED,
                because="with the rights that you gave it",
                after=after,
            )
        )
    return found


def _times(sketch: _Sketch) -> tuple[tuple[At, int], ...]:
    """Folders that are made for nothing but what is carried have the time that they had."""
    known = {f.path: f.mtime_ns for f in sketch.inputs.survey.folders if not is_apart(f.path)}
    mixed = {path.rpartition("/")[0] for path, one in sketch.wanted.items() if not one.old}
    folders = {path.rpartition("/")[0] for path, one in sketch.wanted.items() if one.old} - mixed
    new = [f for f in sorted(folders) if f in known and f and sketch.side.entry(f) is None]
    return tuple((At("", f), known[f]) for f in new)


def _kept(sketch: _Sketch, labels: list[str], rest: list[Move]) -> Kept:
    """The old folder whole, what lies in the new one and stays, and the roots elsewhere."""
    findings = sketch.inputs.survey.findings
    assert isinstance(findings, SortedPages)
    numbers = [CLASS_NUMBER[v.file_class] for v in findings.table]
    pages = []
    for page, verdicts in zip(findings.pages, findings.verdicts, strict=True):
        if page.names:
            apart = is_apart(page.folder)
            classes = bytes(numbers[v] for v in verdicts)
            reason = _BESIDE if apart else _STAYS
            pages.append(
                KeptPage(page=_behind(page), classes=classes, reasons=bytes([reason]) * len(classes))
            )
    unsorted = CLASS_NUMBER[FileClass.UNSORTED]
    for page in sketch.side.pages:
        if page.names:
            one = KeptPage(
                page=page,
                classes=bytes([unsorted]) * len(page.names),
                reasons=bytes([_THERE]) * len(page.names),
            )
            pages.append(_classed(sketch, one))
    changing = [At("", path) for path in sketch.wanted]
    empty = [
        _as_it_is(At(OLD, folder), finding)
        for folder in sorted(findings.folders)
        if not is_apart(folder) and (finding := findings.find(folder)) is not None
    ]
    return Kept(pages, _BECAUSE, labels, (*rest, *empty)).without(changing)


def _classed(sketch: _Sketch, kept: KeptPage) -> KeptPage:
    """What lies in the new folder is the program's where it comes so, else what nobody has sorted yet."""
    program = CLASS_NUMBER[FileClass.PROGRAM]
    classes = bytearray(kept.classes)
    for at in range(len(classes)):
        if kept.page.path(at) in sketch.came:
            classes[at] = program
    return replace(kept, classes=bytes(classes))


def _as_it_is(at: At, finding: Finding) -> Move:
    entry = finding.entry
    return Move(
        at=at,
        verb=Verb.KEEP,
        file_class=finding.file_class,
        because=_BECAUSE[_STAYS],
        before=entry,
        after=entry,
    )


def _behind(page: Page) -> Page:
    """A page of the old folder, as the plan calls it."""
    return page if is_apart(page.folder) else replace(page, folder=labelled(OLD, page.folder))


def _joined_survey(sketch: _Sketch) -> Survey:
    """What lies in the new folder and, under its label, in the old one."""
    survey, findings = sketch.inputs.survey, sketch.inputs.survey.findings
    assert isinstance(findings, SortedPages)
    pages = [_behind(page) for page in findings.pages]
    folders = {labelled(OLD, f) if not is_apart(f) else f: number for f, number in findings.folders.items()}
    return replace(
        survey,
        root=sketch.side.place,
        roots=((OLD, sketch.side.was), *survey.roots),
        findings=SortedPages(pages, findings.verdicts, findings.table, folders),
        folders=tuple(
            f if is_apart(f.path) else replace(f, path=labelled(OLD, f.path)) for f in survey.folders
        ),
    )


def _told(sketch: _Sketch) -> Mapping[str, Any]:
    """For the journal: which root is left behind, what has another path now, and what stays there."""
    said = {"moved": sorted(map(list, sketch.moved.items())), "left": sketch.left, "label": OLD}
    return MappingProxyType({"behind": said})
