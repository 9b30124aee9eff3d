"""A content pack's share: a few owned files replaced, all else left intact."""

from __future__ import annotations

from left_intact.core.model.classes import OF_A_PACK, FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import FromPack
from left_intact.core.model.place import At
from left_intact.core.model.plan import Move, Route, RouteChoice, Verb
from left_intact.core.model.release import Release
from left_intact.core.model.stages import ChangeSet, LayerKind, Shipped
from left_intact.core.model.unchanged import unchanged_of
from left_intact.core.planning.inputs import Drawing, PlanInputs, RoutePlanner
from left_intact.core.planning.laid import laid, member_of
from left_intact.core.planning.sketch import Sketch


class ContentPack(RoutePlanner):
    """The route. The person chose the pack, which is what lets content of theirs be replaced; the old files
    go into the strongbox and count there as theirs.
    """

    name = Route.CONTENT_PACK
    command = "pack"
    may_leave_program = True
    is_drawn_again = False

    def fits(self, inputs: PlanInputs) -> RouteChoice:
        chosen = inputs.route is self.name
        because = (
            "your share of a pack, laid over what you own" if chosen else "no share of a pack was chosen"
        )
        return RouteChoice(name=self.name, fits=chosen, because=because)

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        return ()

    def draw(self, inputs: PlanInputs) -> Drawing:
        """Replace what the share has under the same path, add what was asked for, keep the rest."""
        sketch, survey, moves = Sketch(inputs=inputs), inputs.survey, list[Move]()
        for path, coming in inputs.arrival.release.entries.items():
            finding = survey.findings.find(At("", path))
            before = finding.entry if finding else None
            if before is not None and coming.same_content(before):
                continue
            if finding is not None and finding.file_class not in OF_A_PACK:
                says = f"{path} is {finding.file_class.value} here, and no pack replaces that: it stays"
                sketch.warn("not-content", says)
                continue
            replaces = "the pack has another one of this name; the old one is set aside"
            after = laid(coming, before)
            moves.append(
                Move(
                    at=At("", path),
                    verb=Verb.ADD if before is None else Verb.REPLACE,
                    file_class=finding.file_class if finding else FileClass.CONTENT,
                    because="you asked for it" if before is None else replaces,
                    bytes=coming.bytes,
                    before=before,
                    after=after,
                    source=member_of(inputs.arrival, path),
                )
            )
        moves += _rest_of_the_pocket(inputs)
        moves.sort(key=lambda m: m.at)
        kept = unchanged_of(survey.findings, "not in the pack").without(m.at for m in moves)
        laid_paths = tuple(m.at.path for m in moves if m.verb in (Verb.ADD, Verb.REPLACE))
        shipped = Shipped(arrival=0, over=True, paths=laid_paths, kind=LayerKind.PACK, raises=False)
        chosen = tuple(sorted({*inputs.arrival.release.entries, *(m.at.path for m in moves)}))
        return sketch.drawing(
            ChangeSet(moves=tuple(moves), shipped=shipped),
            kept=kept,
            to_version=survey.version_text,
            way=FromPack(chosen=chosen),
        )


def _rest_of_the_pocket(inputs: PlanInputs) -> list[Move]:
    """What lies in a pack that was unpacked inside the install is set aside, once what replaces something of
    the person's has gone up.
    """
    if not inputs.pocket:
        return []
    inside = (f for f in inputs.survey.findings if At("", inputs.pocket).holds(f.at))
    return [
        Move(
            at=finding.at,
            verb=Verb.RETIRE,
            file_class=finding.file_class,
            because="the rest of the pack, set aside",
            bytes=finding.entry.bytes,
            before=finding.entry,
            unproven=True,
        )
        for finding in inside
        if finding.file_class in OF_A_PACK and finding.entry.kind in (Kind.FILE, Kind.LINK)
    ]
