"""What a person wishes always is said in every plan, and in stages that are drawn when their turn comes."""

from __future__ import annotations

import configparser
from dataclasses import replace

from blake3 import blake3

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.place import At, Root
from left_intact.core.model.plan import Verb
from left_intact.core.model.proof import Verdict
from left_intact.core.model.stages import Made
from left_intact.core.planning.deferred import Situation
from left_intact.core.planning.draw import draw_up
from left_intact.core.planning.restoring import draw_restoring
from tests.builders import Mock, release

PLACE = At("", "mocklet.ini")
SHIPPED, MINE = "[video]\nsmooth = on\nscale = 2\n", "[video]\nsmooth = on\nscale = 4\n"
COMES = "[video]\nsmooth = auto\nscale = 3\n\n[pad]\nspeed = 1\n"
WISHES = {PLACE: b"[video]\nsmooth = off\n"}


def read(text: bytes | str) -> dict[str, dict[str, str]]:
    reader = configparser.ConfigParser()
    reader.read_string(text if isinstance(text, str) else text.decode())
    return {name: dict(section) for name, section in reader.items() if section}


def test_a_plan_says_what_is_wished_and_asks_nothing_about_it(mock: Mock) -> None:
    mock.edit({"mocklet.ini": MINE})
    mock.base.joinpath("mocklet.ini").write_text(SHIPPED)
    mock.arrive(release("1.1") | {"mocklet.ini": COMES})
    before = mock.state()
    draft = mock.draft()
    wished = replace(draft.inputs, wishes={PLACE: b"[video]\nsmooth = off\nscale = 8\n"})
    plan = draw_up(wished)
    assert {line.path: line.decided for line in plan.merges[PLACE].lines}["video", "scale"] == "wished"
    assert not [q for q in plan.questions if PLACE in q.paths]
    outcome = mock.bench.updates.update(plan, mock.install)
    assert read(mock.read("mocklet.ini")) == {"video": {"smooth": "off", "scale": "8"}, "pad": {"speed": "1"}}
    assert outcome.proof.verdict is Verdict.INTACT, outcome.proof
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


def test_a_stage_that_is_drawn_later_says_it_too() -> None:
    def lies(text: str, when: int) -> Entry:
        data = text.encode()
        return Entry(
            path=PLACE.path,
            bytes=len(data),
            mtime_ns=when,
            digest=blake3(data).hexdigest(),
            format="text ini",
        )

    stub = lies(COMES, 9)
    situation = Situation(
        install="Mocklet",
        roots=(Root(label="", place="/mocklet"),),
        tree={PLACE: (stub, FileClass.SETTINGS)},
        made={PLACE: stub},
        saved={PLACE: (lies(MINE, 1), FileClass.SETTINGS)},
        context={},
        arrival=lambda number: NotImplemented,
        read=lambda at: COMES.encode(),
        read_saved=lambda digest: MINE.encode(),
        wishes=WISHES,
    )
    (move,) = draw_restoring(situation).change_set.moves
    assert move.verb is Verb.MERGE and isinstance(move.source, Made)
    said = read(move.source.content)
    assert said == {"video": {"smooth": "off", "scale": "4"}, "pad": {"speed": "1"}}
    (plain,) = draw_restoring(replace(situation, wishes={})).change_set.moves
    assert isinstance(plain.source, Made) and read(plain.source.content)["video"]["smooth"] == "on"
