"""Merging a settings file key by key: as shipped, as yours, as arriving.

The person's file is the ground: its comments, order and layout stay. A key that they
changed is theirs; a key that only the release changed follows the release; a key both
changed is a conflict and a question; a key they deleted stays deleted. Without a
shipped version nothing can be told from a change of theirs, so all they have stays and
only new keys are added.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

from left_intact.core.model.plan import KeyLine, Merge
from left_intact.core.settings.document import Document, Format, Key, NotReadable, shown
from left_intact.core.settings.formats.registry import format_named

_ALIKE = 0.5


@dataclass(slots=True)
class _Sides:
    shipped: dict[Key, str] | None
    yours: dict[Key, str]
    arriving: dict[Key, str]
    like: Document
    """Only asked whether two values mean the same."""

    def same(self, one: str | None, other: str | None) -> bool:
        if one is None or other is None:
            return one is other
        return self.like.same(one, other)


def merge_settings(
    shipped: bytes | None,
    yours: bytes,
    arriving: bytes,
    *,
    file_format: str,
    answers: Mapping[str, str] | None = None,
    renames: Sequence[tuple[str, str]] = (),
) -> Merge:
    """Merge three versions of a settings file of one format.

    `answers` gives `yours` or `arriving` for keys in conflict, by shown key. `renames`
    are (old, new) shown keys that a keepsheet knows of. The result is checked by reading
    it again; where that does not hold, `trouble` says why and nothing is changed.
    """
    try:
        known = format_named(file_format)
        mine, release = known.open(yours), known.open(arriving)
        base = known.open(shipped).values() if shipped is not None else None
        sides = _Sides(base, mine.values(), release.values(), mine)
        merge = _merge(known, mine, release, sides, answers or {}, renames)
        _read_by_another(known, yours, merge.content)
        return merge
    except (NotReadable, KeyError, AssertionError) as error:
        return Merge(lines=(), content=yours, trouble=str(error) or "its parts do not fit together")


def _read_by_another(known: Format, yours: bytes, merged: bytes) -> None:
    """What a parser that is not ours could read before it must read afterwards. Raises `NotReadable`."""
    try:
        known.check(yours)
    except NotReadable:
        return  # programs write files that are no example of their format; ours alone reads those back
    known.check(merged)


def _merge(
    known: Format,
    mine: Document,
    release: Document,
    sides: _Sides,
    answers: Mapping[str, str],
    told: Sequence[tuple[str, str]],
) -> Merge:
    lines: list[KeyLine] = []
    expected: dict[Key, str] = dict(sides.yours)
    renames = _renames(sides, told)
    for old, new in renames.items():
        line = _renamed(sides, old, new)
        mine.rename(old, new)
        del expected[old]
        expected[new] = str(line.result)
        mine.set(new, expected[new])
        lines.append(line)
    done = set(renames) | set(renames.values())
    for key in dict.fromkeys([*sides.yours, *sides.arriving, *(sides.shipped or {})]):
        if key in done:
            continue
        line = _decide(key, sides, answers)
        lines.append(line)
        _apply(mine, release, key, line, expected)
    got = known.open(mine.to_bytes()).values()
    # An object whose last key was dropped stays behind, empty.
    got = {key: value for key, value in got.items() if key in expected or value.strip("{} \t\r\n")}
    if set(got) != set(expected) or any(not sides.same(got[k], expected[k]) for k in expected):
        raise NotReadable("the merged file did not read back as it should")
    return Merge(lines=tuple(lines), content=mine.to_bytes())


def _apply(mine: Document, release: Document, key: Key, line: KeyLine, expected: dict[Key, str]) -> None:
    if line.result is None:
        if line.yours is not None:
            mine.remove(key)
            expected.pop(key)
    elif line.yours is None:
        mine.insert(key, release)
        expected[key] = line.result
    elif line.result != line.yours:
        mine.set(key, line.result)
        expected[key] = line.result


def _decide(key: Key, sides: _Sides, answers: Mapping[str, str]) -> KeyLine:
    base = sides.shipped.get(key) if sides.shipped is not None else None
    yours, arriving = sides.yours.get(key), sides.arriving.get(key)
    name = shown(key)

    def line(result: str | None, decided: str) -> KeyLine:
        return KeyLine(key=name, shipped=base, yours=yours, arriving=arriving, result=result, decided=decided)

    if sides.same(yours, arriving):
        return line(yours, "same")
    if sides.shipped is None:
        return line(yours, "yours") if yours is not None else line(arriving, "new")
    if sides.same(base, yours):
        if arriving is None:
            return line(None, "dropped")
        return line(arriving, "new" if yours is None else "arriving")
    if yours is None:
        # They deleted it; a release that still or newly changes it does not bring it back.
        return line(None, "left out")
    if base is None or arriving is None or sides.same(base, arriving):
        # A key that the release brings only now is no change of what they were shipped.
        return line(yours, "yours")
    return line(arriving if answers.get(name) == "arriving" else yours, "conflict")


def _renamed(sides: _Sides, old: Key, new: Key) -> KeyLine:
    assert sides.shipped is not None
    yours, base, arriving = sides.yours[old], sides.shipped.get(old), sides.arriving[new]
    result = arriving if base is not None and sides.same(yours, base) else yours
    return KeyLine(
        key=f"{shown(old)} → {new[-1]}",
        shipped=base,
        yours=yours,
        arriving=arriving,
        result=result,
        decided="renamed",
    )


def _renames(sides: _Sides, known: Sequence[tuple[str, str]]) -> dict[Key, Key]:
    """Keys that the release gave another name.

    Known ones come from the keepsheet. Others are told by three signs together: one key
    went and one came in the same section, with the very same shipped value, and names
    that are alike; and there is only one such pair for either.
    """
    if sides.shipped is None:
        return {}
    gone = [k for k in sides.shipped if k in sides.yours and k not in sides.arriving]
    came = [k for k in sides.arriving if k not in sides.shipped and k not in sides.yours]
    found: dict[Key, Key] = {}
    for old, new in known:
        pair = next(((g, c) for g in gone for c in came if shown(g) == old and shown(c) == new), None)
        if pair and pair[0][:-1] == pair[1][:-1]:
            found[pair[0]] = pair[1]
    fits = [
        (g, c)
        for g in gone
        for c in came
        if g not in found
        and c not in found.values()
        and g[:-1] == c[:-1]
        and sides.same(sides.shipped[g], sides.arriving[c])
        and _alike(g[-1], c[-1])
    ]
    for g, c in fits:
        if sum(1 for x, _ in fits if x == g) == 1 and sum(1 for _, y in fits if y == c) == 1:
            found[g] = c
    return found


def _alike(one: str, other: str) -> bool:
    return one in other or other in one or SequenceMatcher(None, one.lower(), other.lower()).ratio() >= _ALIKE
