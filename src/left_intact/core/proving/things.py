"""Counting things: from what is there, and from the program's own lists where a keepsheet tells of them.

The same code counts before the update and after it, so that a difference is one of the disk.
"""

from __future__ import annotations

import json
import tomllib
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from typing import Any

from left_intact.core.model.classes import FileClass
from left_intact.core.model.things import Counted, Start, Thing, ThingLine, ThingRule
from left_intact.core.proving.mod_lists import MARKS, ORDER, marked_lines, ordered
from left_intact.core.settings.document import NotReadable, shown
from left_intact.core.survey.patterns import matches

Item = tuple[str, FileClass, str]
"""(path, class, format) of one file."""
THINGS_OF = {
    "titles": Thing.TITLES,
    "pictures": Thing.PICTURED,
    "saves": Thing.SAVES,
    "states": Thing.STATES,
    "mods": Thing.MODS_ON,
    "profiles": Thing.PROFILES,
    "starts": Thing.STARTS,
}
_OFF = (".off", ".disabled", ".old")
_TRUE = ("1", "true", "yes", "on")
_PICTURES = frozenset({"png", "jpeg", "gif", "qoi", "webp"})
_STARTERS = (".desktop", ".lnk", ".sh", ".cmd", ".bat", ".command")


def count_things(
    items: Iterable[Item],
    read: Callable[[str], bytes | None],
    rules: Sequence[ThingRule] = (),
    starts: Sequence[Start] = (),
    *,
    lists_only: bool = False,
) -> tuple[Counted, ...]:
    """All kinds of which there are any. `read` gives the bytes of a file of the install, or None.

    `lists_only` leaves out what is counted from the files alone.
    """
    found = [counted for rule in rules if rule.file for counted in _from_list(rule, read)]
    context = {one.thing for one in found}
    if starts and Thing.STARTS not in context:
        names = tuple(sorted(f"{s.path} ({s.version})" if s.version else s.path for s in starts))
        found.append(Counted(thing=Thing.STARTS, rule="what leads to it from outside", names=names))
    if not lists_only:
        found += _from_files(items, [rule for rule in rules if rule.files], context)
    return joined(found)


def joined(counted: Iterable[Counted]) -> tuple[Counted, ...]:
    """Each kind once, in the order in which they are shown: all that its rules count, under their words."""
    kinds: dict[Thing, list[Counted]] = defaultdict(list)
    for one in counted:
        kinds[one.thing].append(one)
    return tuple(
        Counted(
            thing=thing,
            rule=" and ".join(dict.fromkeys(one.rule for one in kinds[thing])),
            names=tuple(sorted({name for one in kinds[thing] for name in one.names})),
            trouble="; ".join(one.trouble for one in kinds[thing] if one.trouble),
        )
        for thing in Thing
        if thing in kinds
    )


# ---------------------------------------------------------------- files


def _from_files(
    items: Iterable[Item], rules: Sequence[ThingRule], context: Collection[Thing]
) -> Iterator[Counted]:
    by_rule: dict[int, list[str]] = defaultdict(list)
    of_class: dict[FileClass, list[str]] = defaultdict(list)
    pictures: set[str] = set()
    mods: dict[str, bool] = {}
    profiles: set[str] = set()
    starters: list[str] = []
    for path, kind, file_format in items:
        for number, rule in enumerate(rules):
            if matches(rule.files, path):
                by_rule[number].append(path)
        of_class[kind].append(path)
        if file_format in _PICTURES or path.lower().endswith((".png", ".jpg", ".jpeg", ".webp", ".qoi")):
            pictures.add(_stem(path).casefold())
        if kind.is_the_persons:
            _take_folders(path, mods, profiles)
        if path.count("/") <= 1 and path.lower().endswith(_STARTERS):
            starters.append(path)
    ruled = {THINGS_OF[rule.counts] for rule in rules}
    for number, rule in enumerate(rules):
        yield Counted(
            thing=THINGS_OF[rule.counts],
            rule=f"files that meet {rule.files}",
            names=tuple(sorted(by_rule[number])),
        )
    titles = sorted({path.rpartition(".")[0] or path for path in of_class[FileClass.CONTENT]})
    guesses = {
        Thing.TITLES: ("content, by name", titles),
        Thing.PICTURED: (
            "content with a picture of its name",
            [t for t in titles if _stem(t).casefold() in pictures],
        ),
        Thing.SAVES: ("each file of class saves", sorted(of_class[FileClass.SAVES])),
        Thing.STATES: ("each file of class states", sorted(of_class[FileClass.STATES])),
        **_guessed_mods(mods, context),
        Thing.PROFILES: ("what lies in a folder called profiles", sorted(profiles)),
        Thing.STARTS: ("scripts and shortcuts in its folder", sorted(starters)),
    }
    for thing, (rule_words, names) in guesses.items():
        if names and thing not in context and thing not in ruled:
            yield Counted(thing=thing, rule=rule_words, names=tuple(names))


def _guessed_mods(mods: Mapping[str, bool], context: Collection[Thing]) -> dict[Thing, tuple[str, list[str]]]:
    """Mods by what lies in their folder. Which are on is known only where some are marked as off."""
    if Thing.MODS_ON in context or Thing.MODS_OFF in context:
        return {}
    if all(mods.values()):
        return {Thing.MODS: ("what lies in a folder called mods; no list says which are on", sorted(mods))}
    return {
        Thing.MODS_ON: ("what lies in a folder called mods", sorted(m for m, on in mods.items() if on)),
        Thing.MODS_OFF: ("what lies there and ends in .off", sorted(m for m, on in mods.items() if not on)),
    }


def _take_folders(path: str, mods: dict[str, bool], profiles: set[str]) -> None:
    parts = path.split("/")
    for depth, part in enumerate(parts[:-1]):
        name = "/".join(parts[: depth + 2])
        if part.casefold() == "mods":
            off = next((end for end in _OFF if name.casefold().endswith(end)), "")
            mods[name[: len(name) - len(off)]] = not off
        elif part.casefold() == "profiles":
            profiles.add(name)


def _stem(path: str) -> str:
    name = path.rpartition("/")[2]
    return name.rpartition(".")[0] or name


# ---------------------------------------------------------------- the program's own lists


def _from_list(rule: ThingRule, read: Callable[[str], bytes | None]) -> Iterator[Counted]:
    thing, words = THINGS_OF[rule.counts], f"{rule.at or 'all'} in {rule.file}"
    data = read(rule.file)
    if data is None:
        yield Counted(thing=thing, rule=words, names=(), trouble=f"{rule.file} cannot be read")
        return
    try:
        items = _marked(rule, data) if rule.on in (MARKS, ORDER) else list(_items(rule, data))
    except NotReadable as error:
        yield Counted(thing=thing, rule=words, names=(), trouble=f"{rule.file}: {error}")
        return
    if rule.counts != "mods":
        yield Counted(thing=thing, rule=words, names=tuple(sorted({name for name, _ in items})))
        return
    yield Counted(thing=Thing.MODS_ON, rule=words, names=tuple(sorted({n for n, on in items if on})))
    yield Counted(thing=Thing.MODS_OFF, rule=words, names=tuple(sorted({n for n, on in items if not on})))


def _marked(rule: ThingRule, data: bytes) -> list[tuple[str, bool]]:
    """(name, whether it is on) as a rule tells that was found by itself: by marks, or by being named."""
    states = (marked_lines if rule.on == MARKS else ordered)(data, rule.name.split("\n"))
    if states is None:
        raise NotReadable("its lines no longer say which are on")
    return list(states.items())


def _items(rule: ThingRule, data: bytes) -> Iterator[tuple[str, bool]]:
    """(name, whether it is on) of every item of a list."""
    tree = _tree(rule, data)
    node = tree
    for name in filter(None, rule.at.split(".")) if not isinstance(tree, list) else ():
        if not isinstance(node, Mapping) or name not in node:
            raise NotReadable(f"there is no {rule.at} in it")
        node = node[name]
    if isinstance(node, Mapping):
        for name, item in node.items():
            said = item.get(rule.name, name) if isinstance(item, Mapping) and rule.name else name
            yield str(said), _is_on(rule, item)
        return
    if not isinstance(node, list):
        raise NotReadable(f"{rule.at or 'it'} is no list")
    for item in node:
        if isinstance(item, Mapping):
            if rule.name in item:
                yield str(item[rule.name]), _is_on(rule, item)
        else:
            yield str(item), True


def _is_on(rule: ThingRule, item: Any) -> bool:
    said = item.get(rule.on, True) if isinstance(item, Mapping) and rule.on else item
    return (
        said.strip().casefold() in _TRUE if isinstance(said, str) else bool(said) or isinstance(said, Mapping)
    )


def _tree(rule: ThingRule, data: bytes) -> Any:
    """A list of any of the open ways to write one. Raises `NotReadable`."""
    lead = data.lstrip()[:1]
    try:
        if lead == b"<":
            return _elements(rule, data)
        if rule.file.endswith(".toml"):
            return tomllib.loads(data.decode())
        if lead == b"{" or rule.file.endswith(".json"):
            return json.loads(data.decode("utf-8-sig"))
    except (ValueError, RecursionError) as error:
        raise NotReadable("it cannot be read as what it looks like") from error
    from left_intact.core.settings.formats.lines import read_lines

    if rule.at or rule.on:
        found: dict[str, dict[str, str]] = defaultdict(dict)
        for key, value in read_lines(data).items():
            found[shown(key[:-1]) if len(key) > 1 else ""][key[-1]] = value
        return found
    lines = data.decode("utf-8", "replace").splitlines()
    return [line.strip() for line in lines if line.strip() and not line.startswith("#")]


def _elements(rule: ThingRule, data: bytes) -> list[dict[str, str]]:
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:
        raise NotReadable("it is no valid XML") from error
    found = []
    for element in root.iter(rule.at or None):
        parts = {str(name): str(value) for name, value in element.attrib.items()}
        parts |= {str(child.tag): (child.text or "").strip() for child in element}
        found.append(parts)
    return found


# ---------------------------------------------------------------- before and after


def compared(
    before: Sequence[Counted], after: Sequence[Counted], agreed: Sequence[Counted] | None = None
) -> tuple[ThingLine, ...]:
    """Every kind that either side has. What was switched off is missing among those that are on; what the
    plan was to move or to take away is not among `agreed`, and is missing nowhere.
    """
    mine, now = {one.thing: one for one in before}, {one.thing: one for one in after}
    stays = {one.thing: set(one.names) for one in (before if agreed is None else agreed)}
    lines = []
    for thing in Thing:
        was, there = mine.get(thing), now.get(thing)
        if was is None and there is None:
            continue
        first = was or there
        assert first is not None
        names, names_now = set(was.names) if was else set(), set(there.names) if there else set()
        lines.append(
            ThingLine(
                thing=thing,
                rule=first.rule,
                before=len(names),
                after=len(names_now),
                missing=tuple(sorted((names & stays.get(thing, set())) - names_now)),
                new=tuple(sorted(names_now - names)),
                trouble=(there.trouble if there else "") or (was.trouble if was else ""),
            )
        )
    return tuple(lines)
