"""Ways to start the program from outside that lead to the old folder: led to the new one on a yes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from blake3 import blake3

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.place import SPOT, At, Root
from left_intact.core.model.plan import Move, Question, Verb
from left_intact.core.model.stages import Made
from left_intact.core.planning.new_root.leading import led_link, led_text
from left_intact.core.planning.new_root.sketch import NewRootSketch
from left_intact.words import count, listed

SHORTCUTS = "shortcuts"
"""The question whether they are led to the new folder."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Led:
    """What becomes of them."""

    questions: tuple[Question, ...] = ()
    warnings: tuple[Fault, ...] = ()
    moves: tuple[Move, ...] = ()
    roots: tuple[Root, ...] = ()
    """The folders that they lie in; nothing else there is read or touched."""


def led_starts(sketch: NewRootSketch) -> Led:
    """The question, and what an answer leads to. Nothing outside is touched without a yes."""
    found = sketch.new_root.starts
    if not found:
        return Led()
    number = count(len(found), "shortcut leads", "shortcuts lead")
    them = "it is" if len(found) == 1 else "they are"
    answer = sketch.inputs.answers.get(SHORTCUTS)
    options = ("leave", "lead")
    labels = {folder: f"{SPOT}{n}" for n, folder in enumerate(sorted({s.folder for s in found}), 1)}
    question = Question(
        id=SHORTCUTS,
        asks=f"{number} to the old folder, as {found[0].place}",
        options=options,
        leads_to=("as it is now: it starts the old build", f"{them} changed to lead to the new folder"),
        default="leave",
        answer=answer if answer in options else None,
        note=listed(sorted(labels)),
        paths=tuple(At(labels[one.folder], one.place) for one in found),
        lets_go=("lead",),
    )
    if question.choice == "leave":
        says = f"{number} to the old folder and will start the old build: {found[0].place}"
        return Led(questions=(question,), warnings=(Fault(code="old-starts", says=says),))
    roots = {s.folder: Root(label=labels[s.folder], place=s.folder, identity=s.identity) for s in found}
    moves = tuple(_moves(sketch, labels))
    led = {(labels[s.folder], s.place) for s in found} & {tuple(m.at) for m in moves}
    rest = [s.place for s in found if (labels[s.folder], s.place) not in led]
    says = f"{listed(rest)} {'leads' if len(rest) == 1 else 'lead'} to the old folder by another path"
    warnings = (Fault(code="old-starts", says=says, way_out="Change it by hand."),) if rest else ()
    return Led(questions=(question,), warnings=warnings, moves=moves, roots=tuple(roots.values()))


def _moves(sketch: NewRootSketch, labels: dict[str, str]) -> Iterator[Move]:
    was, place = sketch.new_root.was, sketch.new_root.place
    for one in sketch.new_root.starts:
        before = one.entry
        source = None
        if before.kind is Kind.LINK:
            after = replace(before, link=led_link(before.link, one.folder, was, place), stamp=(0, 0, 0))
        else:
            led = led_text(one.content, was, place)
            source = Made(blake3(led).hexdigest(), led)
            after = replace(before, bytes=len(led), digest=source.digest, stamp=(0, 0, 0))
        if after.same_content(before):
            continue
        yield Move(
            at=At(labels[one.folder], one.place),
            verb=Verb.REPLACE,
            file_class=FileClass.EXTRAS,
            because="it leads to the new folder, as you wished",
            before=before,
            after=after,
            source=source,
            bytes=after.bytes,
            unproven=True,
            question=SHORTCUTS,
        )
