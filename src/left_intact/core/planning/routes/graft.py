"""Graft: the program's files are taken out of a tree from another machine; what is somebody's stays out.

Such a tree holds saves, settings, an account and caches of its own. Only what is the program's comes to
lie in the install, and from there on it is an update in place.
"""

from __future__ import annotations

from dataclasses import replace
from types import MappingProxyType

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import Grafted
from left_intact.core.model.place import At
from left_intact.core.model.plan import Move, Question, Route, RouteChoice, Verb
from left_intact.core.model.release import Arrival, Release
from left_intact.core.model.stages import ChangeSet, Shipped
from left_intact.core.model.telling import LaneRule, Stroke, Telling
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.planning.donors import counted
from left_intact.core.planning.inputs import Drawing, PlanInputs, RoutePlanner
from left_intact.core.planning.routes.in_place import InPlace
from left_intact.words import count

QUESTION = "donor-unsorted"
"""What becomes of what nobody can tell in the donor's tree."""
_STAYS_OUT = "as it is here; the donor's own of this name stays out"
_LEANS = 0.5
"""Where so much of it leans to the program, it is taken unless the person says otherwise."""


class Graft(RoutePlanner):
    """The route."""

    name = Route.GRAFT
    lays_a_build = keeps_ids = reads_donor = True
    telling = Telling(
        lanes=(
            LaneRule(
                name="donor's own",
                stroke=Stroke.LEFT_OUT,
                verbs=frozenset({Verb.DROP}),
                says="{count} of another's stay out",
                means="The donor's own: another person's saves, settings and account. They stay out.",
            ),
        )
    )

    def fits(self, inputs: PlanInputs) -> RouteChoice:
        donor = inputs.donor
        if donor is None or not donor.is_somebodys:
            because = "nothing in it is somebody's: it comes from who makes the program"
            return RouteChoice(name=self.name, fits=False, because=because)
        own = (*donor.own, *(() if donor.is_sure else donor.unsorted))
        how = "it is" if donor.is_sure else "by its times it is"
        because = f"{how} somebody's: {counted(own)} {'stays' if len(own) == 1 else 'stay'} out"
        return RouteChoice(name=self.name, fits=True, because=because, weight=0.9 if donor.is_sure else 0.8)

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        if inputs.donor is None or not inputs.donor.is_somebodys:
            says = "nothing in this tree is somebody's: it comes from who makes the program"
            return (Fault(code="no-donor", says=says, way_out="Lay it in place."),)
        taken = _taken(inputs)
        if not taken.release.entries:
            says = "nothing in this tree can be told to be the program's"
            return (Fault(code="empty-arrival", says=says, way_out="Check that it is the right tree."),)
        return InPlace().blockers(replace(inputs, arrival=taken, donor=None), known)

    def draw(self, inputs: PlanInputs) -> Drawing:
        taken = _taken(inputs)
        out = _left_out(inputs, taken)
        drawing = InPlace().draw(replace(inputs, arrival=_as_here(inputs, taken, out), donor=None))
        question = _question(inputs)
        kept = drawing.kept.speaking((At("", f.at.path) for f in out), _STAYS_OUT)
        rest = (*kept.rest, *_drops(inputs, out, drawing))
        warnings = list(drawing.warnings)
        if out:
            says = f"the donor's own stays out: {counted(out)}"
            warnings.insert(0, Fault(code="donor", says=says, way_out="Take by hand what you want of it."))
        without = tuple(f.at.path for f in out)
        stages = tuple(
            _on_record(stage, without) if isinstance(stage, ChangeSet) else stage for stage in drawing.stages
        )
        return replace(
            drawing,
            stages=stages,
            kept=Unchanged(kept.pages, kept.because, rest),
            questions=(*drawing.questions, *question),
            warnings=tuple(warnings),
            arrival=taken,
            comes={path: digest for path, digest in drawing.comes.items() if path in taken.release.entries},
            way=Grafted(),
        )


def _on_record(stage: ChangeSet, without: tuple[str, ...]) -> ChangeSet:
    shipped = stage.shipped or Shipped(arrival=0)
    return replace(stage, shipped=replace(shipped, without=without))


def _question(inputs: PlanInputs) -> tuple[Question, ...]:
    unsorted = inputs.donor.unsorted if inputs.donor else ()
    if not unsorted:
        return ()
    leaning = sum(1 for f in unsorted if f.leaning is FileClass.PROGRAM or f.file_class is FileClass.PROGRAM)
    options = ("leave", "take")
    answer = inputs.answers.get(QUESTION)
    number = count(len(unsorted), "file")
    it = "it" if len(unsorted) == 1 else "them"
    return (
        Question(
            id=QUESTION,
            asks=f"{number} of the donor's, as {unsorted[0].at.shown}: nobody can tell whose; take {it}?",
            options=options,
            leads_to=(f"the program does without {it}", f"{it} may be the donor's own"),
            default="take" if leaning >= len(unsorted) * _LEANS else "leave",
            answer=answer if answer in options else None,
            paths=tuple(f.at for f in unsorted),
            note=f"{leaning} lean to the program",
        ),
    )


def _taken(inputs: PlanInputs) -> Arrival:
    """What came, without what is the donor's own."""
    arrival, donor = inputs.arrival, inputs.donor
    if donor is None:
        return arrival
    wanted = donor.taken
    for question in _question(inputs):
        if question.choice == "take":
            wanted |= {at.path for at in question.paths}
    entries: dict[str, Entry] = {p: e for p, e in arrival.release.entries.items() if p in wanted}
    texts = {p: t for p, t in arrival.release.texts.items() if p in wanted}
    release = replace(arrival.release, entries=MappingProxyType(entries), texts=MappingProxyType(texts))
    return replace(arrival, release=release)


def _as_here(inputs: PlanInputs, taken: Arrival, out: tuple[Finding, ...]) -> Arrival:
    """What is taken, and what is the program's here where the donor has something of their own: it stays as
    it is. Nobody can say that the new version does without it.
    """
    here = {
        f.at.path: mine for f in out if (mine := inputs.survey.findings.find(At("", f.at.path))) is not None
    }
    same = {
        path: mine.entry
        for path, mine in here.items()
        if mine.file_class is FileClass.PROGRAM and mine.entry.kind is Kind.FILE
    }
    if not same:
        return taken
    entries = MappingProxyType({**taken.release.entries, **same})
    return replace(taken, release=replace(taken.release, entries=entries))


def _left_out(inputs: PlanInputs, taken: Arrival) -> tuple[Finding, ...]:
    if inputs.donor is None:
        return ()
    every = sorted((*inputs.donor.own, *inputs.donor.unsorted), key=lambda f: f.at)
    return tuple(f for f in every if f.at.path not in taken.release.entries)


def _drops(inputs: PlanInputs, out: tuple[Finding, ...], drawing: Drawing) -> list[Move]:
    """What is left out and has no counterpart here, as lines of the plan."""
    spoken = {m.at.path for m in drawing.kept.rest}
    spoken |= {m.at.path for stage in drawing.stages if isinstance(stage, ChangeSet) for m in stage.moves}
    return [
        Move(
            at=At("", f.at.path),
            verb=Verb.DROP,
            file_class=f.file_class,
            because="the donor's own: it stays out",
            bytes=f.entry.bytes,
        )
        for f in out
        if f.at.path not in spoken and inputs.survey.findings.find(At("", f.at.path)) is None
    ]
