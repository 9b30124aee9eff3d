"""Over what lies in the new folder already: the person's win over stubs, and what was used twice is asked."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from left_intact.core.files.names import parents
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.place import At
from left_intact.core.model.plan import Question, Verb
from left_intact.core.planning.new_root.lying import Stubs
from left_intact.core.planning.new_root.merging import merge_into
from left_intact.core.planning.new_root.sketch import NewRootSketch, Wanted
from left_intact.core.settings.formats.registry import is_settings_text

_MINUTE = 60 * 10**9
USED = "used-both"
"""The question which of two files counts that both were used."""


def _collisions(sketch: NewRootSketch) -> Iterator[tuple[str, Wanted, Entry]]:
    """(path, what is to lie there, what lies there now), where those differ."""
    for path, one in sketch.wanted.items():
        there = sketch.new_root.entry(path)
        if there is not None and not there.same_content(one.entry):
            yield path, one, there


def _written(sketch: NewRootSketch, mine: Iterable[str]) -> Iterable[str]:
    """The paths of the new folder that a first start, or somebody since, may have written."""
    if not sketch.is_the_arrival:
        return [page.path(at) for page in sketch.new_root.pages for at in range(len(page.names))]
    donor = sketch.inputs.donor
    return {*mine, *(f.at.path for f in (*donor.own, *donor.unsorted))} if donor is not None else mine


def _digest(sketch: NewRootSketch, path: str) -> str:
    entry = sketch.new_root.entry(path)
    return entry.digest if entry is not None else ""


def used_on_both_sides(sketch: NewRootSketch) -> tuple[Question, ...]:
    """One question about what was used in both folders: nobody can guess which counts."""
    base = sketch.in_place.baseline
    shipped = {e.digest for e in base.entries.values()} if base else set()
    if not sketch.is_the_arrival:
        shipped |= {e.digest for e in sketch.came.values()}
    shipped.discard("")
    mine = {path: one for path, one, there in _collisions(sketch) if one.old and there.kind is Kind.FILE}
    donor = sketch.inputs.donor
    built = donor.built + _MINUTE if donor is not None and sketch.is_the_arrival else 0
    written = [path for path in _written(sketch, mine) if _digest(sketch, path) not in shipped]
    stubs = Stubs(sketch.new_root, shipped, written, built)
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
            paths=tuple(At("", path) for path in used),
            lets_go=("new",),
        ),
    )


def over_stubs(sketch: NewRootSketch, used: tuple[Question, ...]) -> None:
    """Lay all over what lies in the new folder."""
    asked = {at.path: question for question in used for at in question.paths}
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
            if merge_into(sketch, one.old, one, path, sketch.new_root.read(path)):
                one.because += "; what a first start wrote more is in it"
            elif one.verb is not Verb.MERGE:
                one.because += "; the stub of a first start is set aside"
        else:
            one.because += "; used in both folders: you chose the old one's" if question.answer else ""
    for path, one in sketch.wanted.items():
        same = sketch.new_root.entry(path) if one.before is None else None
        if same is not None:
            one.before = one.entry = same
            one.verb, one.because = Verb.KEEP, "the very same lies there already"
            sketch.merges.pop(path, None)
        elif one.before is None:
            _refuse_blocked_way(sketch, path)


def _refuse_blocked_way(sketch: NewRootSketch, path: str) -> None:
    """A blocker where something of the new folder that is no folder lies on the way to a path."""
    for folder in parents(path):
        there = sketch.new_root.entry(folder)
        if there is not None and there.kind is not Kind.FOLDER and folder not in sketch.wanted:
            _in_the_way(sketch, folder, there)
            return


def _leave_there(sketch: NewRootSketch, path: str, one: Wanted) -> None:
    del sketch.wanted[path]
    sketch.merges.pop(path, None)
    sketch.behind[one.file_class] += 1


def _in_the_way(sketch: NewRootSketch, path: str, there: Entry) -> None:
    what = "a folder" if there.kind is Kind.FOLDER else "a file"
    says = f"{path} is {what} in the new folder and something else in the old one"
    way = f"Move {path} out of {sketch.new_root.place} first."
    sketch.block("in-the-way", says, way)
