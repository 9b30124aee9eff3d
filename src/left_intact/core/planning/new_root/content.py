"""How content gets into the new folder where copying is dear: copied, with two names, or left where it is."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from left_intact.core.files.names import parents
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.place import OLD
from left_intact.core.model.plan import Question, Verb
from left_intact.core.model.stages import FromRoot
from left_intact.core.planning.new_root.sketch import BULK, NewRootSketch, Wanted
from left_intact.words import size

CONTENT = "content"
"""The question."""
DEAR = 2 << 30
"""From so many bytes of content on it is asked whether to copy them."""


def content_question(sketch: NewRootSketch) -> tuple[Question, ...]:
    """How tens of gigabytes get there; asked only where copying them is dear."""
    bulk = {p: w for p, w in sketch.wanted.items() if w.old and w.file_class in BULK and w.before is None}
    amount = sum(one.entry.bytes for one in bulk.values() if one.entry.kind is Kind.FILE)
    circumstances = sketch.new_root.circumstances
    rooms = circumstances.rooms
    new, old = rooms.get("", (0, circumstances.free)), rooms.get(OLD, rooms.get("", (0, 0)))
    if amount < min(DEAR, new[1]):
        return ()
    told = size(amount)
    ways = {"copy": f"{told} are copied: the old folder can be let go of whole"}
    if new[0] == old[0]:
        ways["links"] = "one copy under two names: no room, but a program that writes into one changes both"
    folders = _whole_folders(sketch, bulk)
    if folders and circumstances.links:
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


def _whole_folders(sketch: NewRootSketch, bulk: Mapping[str, Wanted]) -> list[str]:
    """The topmost folders of which all that is carried is content or extras, and of which nothing comes."""
    other = {folder for path in sketch.wanted if path not in bulk for folder in parents(path)}
    other |= {folder for page in sketch.new_root.pages for folder in (page.folder, *parents(page.folder))}
    found: set[str] = set()
    for path in bulk:
        top = next((folder for folder in parents(path) if folder not in other), "")
        if top and not any(f == top or top.startswith(f + "/") for f in found):
            found.add(top)
    return sorted(found)


def _leave(sketch: NewRootSketch, folders: Iterable[str]) -> None:
    for folder in folders:
        for path in [p for p in sketch.wanted if p.startswith(folder + "/")]:
            del sketch.wanted[path]
        sketch.wanted[folder] = Wanted(
            Entry(path=folder, kind=Kind.LINK, link=f"{sketch.new_root.was}/{folder}"),
            Verb.CARRY,
            FileClass.CONTENT,
            "yours: it stays in the old folder, with a link to it",
            None,
            old=folder,
        )
        sketch.left.append(folder)
