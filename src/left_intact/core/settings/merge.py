"""Merging a settings file key by key: as shipped, as yours, as arriving.

The person's file is the ground: its comments, order and layout stay. A key that they changed is theirs; a key
that only the release changed follows the release; a key both changed is a conflict and a question; a key they
deleted stays deleted. Without a shipped version nothing can be told from a change of theirs, so all they have
stays and only new keys are added.

Whether two values are the same is said by a parser that is not ours, and a merged file is laid only where it
reads from that exactly what was decided, key by key. Whatever is not sure leaves the file whole.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from difflib import SequenceMatcher
from typing import Any

from left_intact.core.model.plan import KeyLine, Merge
from left_intact.core.settings.document import Document, Format, Key, NotReadable, shown
from left_intact.core.settings.formats.registry import fitting, reads

_ALIKE = 0.5
_MOST_WORK = 400_000
"""Changes times keys: every change is carried out in the text by itself, which takes the longer the longer
the text is, and what is not merged within seconds is a question rather than a wait.
"""
_NOT = object()
"""Stands for a key that a side lacks."""


def merge_settings(
    shipped: bytes | None,
    yours: bytes,
    arriving: bytes,
    *,
    file_format: str,
    name: str = "",
    answers: Mapping[Key, str] | None = None,
    wished: bytes | None = None,
    renames: Sequence[tuple[str, str]] = (),
) -> Merge:
    """Merge three versions of a settings file of one format.

    `file_format` is what its beginning says, `name` what the file is called. `answers` gives `yours` or
    `arriving` for keys in conflict. `wished` is a piece of settings of the same format: what it says of a key
    counts, whatever the others say. `renames` are (old, new) shown keys that a keepsheet knows of. Where a
    file cannot be read, or the result does not read as decided, `trouble` says why and nothing is changed.
    """
    sides = [side for side in (shipped, yours, arriving) if side is not None]
    try:
        formats = fitting(file_format, name, *sides)
    except RecursionError:
        formats = []
    trouble = ""
    for known in formats:
        try:
            merge = _Merging(known, shipped, yours, arriving, answers or {}, renames, wished).run()
            _must_be_read_by(formats, known, sides, merge.content)
            return merge
        except NotReadable as error:
            said = str(error) or "its parts do not fit together"
        except RecursionError:
            said = "it is nested too deep"
        except Exception as error:  # noqa: BLE001 - whatever a format stumbles over, one file stops no plan
            said = f"its parts do not fit together ({type(error).__name__})"
        trouble = trouble or said
    trouble = trouble or "nobody here can read it key by key"
    sayable = trouble.encode("utf-8", "backslashreplace").decode()
    return Merge(lines=(), content=yours, trouble=sayable)


def _must_be_read_by(
    formats: Sequence[Format], besides: Format, sides: Sequence[bytes], content: bytes
) -> None:
    """What all sides are by another format too, the merged file has to be. Raises `NotReadable`."""
    for one in formats:
        if one is not besides and one.is_strict and all(reads(one, side) for side in sides):
            one.read(content)


class _Side:
    """One of the files: what is written in it, and what that means to a parser that is not ours."""

    def __init__(self, known: Format, data: bytes, which: str) -> None:
        self.known, self.data, self.which = known, data, which
        self.document: Document = known.open(data)
        self.texts: dict[Key, str] = self.document.values()
        self.means: dict[Key, Any] = {}
        self.parts: set[Key] = set()
        """Every key, and every part of one that others lie under."""

    def read(self, whole: frozenset[Key], groups: frozenset[Key]) -> None:
        """`groups` hold keys on some side: an empty one is no value.

        Raises `NotReadable` where two readers do not find the same keys.
        """
        self.texts, self.means = self.document.values(whole), self.known.read(self.data, whole)
        self.parts = {key[:depth] for key in self.texts for depth in range(1, len(key) + 1)}
        for key in [key for key in groups if self.means.get(key) == {}]:
            del self.texts[key], self.means[key]
        if odd := self.texts.keys() ^ self.means.keys():
            raise NotReadable(f"two readers do not agree on {shown(min(odd))} in {self.which}")

    def meaning(self, key: Key) -> Any:
        return self.means.get(key, _NOT)


class _Merging:
    """One merge under way: `mine` is changed step by step, `expected` says what it must mean in the end."""

    def __init__(
        self,
        known: Format,
        shipped: bytes | None,
        yours: bytes,
        arriving: bytes,
        answers: Mapping[Key, str],
        told: Sequence[tuple[str, str]],
        wished: bytes | None,
    ) -> None:
        self.known, self.answers, self.told = known, answers, told
        self.yours = _Side(known, yours, "your file")
        self.arriving = _Side(known, arriving, "the arriving file")
        self.shipped = _Side(known, shipped, "the shipped file") if shipped is not None else None
        self.wished = _Side(known, wished, "what you wish") if wished is not None else None
        every = (self.shipped, self.yours, self.arriving, self.wished)
        self.sides = [side for side in every if side is not None]
        groups = frozenset[Key]().union(*(side.document.groups() for side in self.sides))
        self.whole = self._clashes(groups)
        for side in self.sides:
            side.read(self.whole, groups - self.whole)
        self._refuse_doubt()
        self.yours.document.must_agree([side.document for side in self.sides if side is not self.yours])
        self.mine = self.yours.document
        self.expected = dict(self.yours.means)
        self.folded = {_fold(part) for part in self.yours.parts}
        self.lines: list[KeyLine] = []

    def _clashes(self, groups: frozenset[Key]) -> frozenset[Key]:
        """Keys that hold a value on one side and keys on another: there they are one value on all sides."""
        leaves = {key for side in self.sides for key, text in side.texts.items() if text.strip("{} \t\r\n")}
        return frozenset(leaves & groups)

    def _refuse_doubt(self) -> None:
        doubtful = frozenset[str]().union(*(side.document.doubtful() for side in self.sides))
        names = {key[-1] for side in self.sides for key in side.texts}
        if both := doubtful & names:
            raise NotReadable(f"{min(both)} may be a key of its own or go on with the value above it")

    def run(self) -> Merge:
        renames = self._renames()
        for old, new in renames.items():
            self._rename(old, new)
        done = set(renames) | set(renames.values())
        decisions = {key: self._decision(key) for key in self._every_key() if key not in done}
        changes = sum(
            side is not self.yours and (side is not None or key in self.yours.texts)
            for key, (side, _) in decisions.items()
        )
        _refuse_much(changes, len(decisions), "change")
        for key, (side, decided) in decisions.items():
            self._carry_out(key, side, decided)
        content = self.mine.to_bytes()
        self._must_read_as_decided(content)
        return Merge(lines=tuple(self.lines), content=content)

    def _every_key(self) -> Iterable[Key]:
        shipped = self.shipped.texts if self.shipped else ()
        wished = self.wished.texts if self.wished else ()
        return dict.fromkeys([*self.yours.texts, *self.arriving.texts, *shipped, *wished])

    def _must_read_as_decided(self, content: bytes) -> None:
        got = self.known.read(content, self.whole)
        # An object whose last key was dropped stays behind, empty.
        got = {key: value for key, value in got.items() if key in self.expected or value != {}}
        if got != self.expected:
            raise NotReadable("the merged file did not read back as it should")

    # ------------------------------------------------------------ one key

    def _carry_out(self, key: Key, result: _Side | None, decided: str) -> None:
        self.lines.append(self._line(key, result.texts.get(key) if result else None, decided))
        if result is self.yours:
            return
        if result is not None:
            if key in self.yours.texts:
                self.mine.take(key, result.document, key)
            else:
                self.mine.insert(key, result.document)
            self.expected[key] = result.means[key]
        elif key in self.yours.texts:
            self.mine.remove(key)
            del self.expected[key]

    def _decision(self, key: Key) -> tuple[_Side | None, str]:
        """(whose value it gets, in which words it was decided)."""
        base = self.shipped.meaning(key) if self.shipped else _NOT
        yours, arriving = self.yours.meaning(key), self.arriving.meaning(key)
        is_odd = yours is _NOT and self._is_spelt_otherwise(key)
        if self.wished is not None and key in self.wished.means and not is_odd:
            return (self.yours if self.wished.means[key] == yours else self.wished), "wished"
        if yours == arriving:
            return self.yours if yours is not _NOT else None, "same"
        if is_odd:
            return None, "spelt otherwise"
        if base is yours is _NOT and self._is_in_what_they_deleted(key):
            return None, "left out"
        if self.shipped is None:
            return (self.yours, "yours") if yours is not _NOT else (self.arriving, "new")
        if base == yours:
            if arriving is _NOT:
                return None, "dropped"
            return self.arriving, "new" if yours is _NOT else "arriving"
        if yours is _NOT:
            # They deleted it; a release that still or newly changes it does not bring it back.
            return None, "left out"
        if base is _NOT or arriving is _NOT or base == arriving or self._only_words_changed(key):
            # A key that the release brings only now is no change of what they were shipped.
            return self.yours, "yours"
        return (self.arriving if self.answers.get(key) == "arriving" else self.yours), "conflict"

    def _is_in_what_they_deleted(self, key: Key) -> bool:
        """Whether something that a key lies in was shipped, and is not there any more: what the release adds
        to it has no place.
        """
        shipped = self.shipped.parts if self.shipped is not None else set()
        return any(
            (part := key[:depth]) in shipped and part not in self.yours.parts for depth in range(1, len(key))
        )

    def _only_words_changed(self, key: Key) -> bool:
        """Whether what the release changed may well be a comment behind the value alone."""
        assert self.shipped is not None
        head = self.mine.head
        return head(self.shipped.texts[key]) == head(self.arriving.texts[key])

    def _is_spelt_otherwise(self, key: Key) -> bool:
        """Whether the person's file has the key, or the section it is in, with other capitals.

        Programs differ in whether that is the same key, so nothing is laid beside it.
        """
        return any(
            (part := key[:depth]) not in self.yours.parts and _fold(part) in self.folded
            for depth in range(1, len(key) + 1)
        )

    def _line(self, key: Key, result: str | None, decided: str, *, was: Key | None = None) -> KeyLine:
        old = was or key
        return KeyLine(
            key=f"{shown(old)} → {key[-1]}" if was else shown(key),
            shipped=self.shipped.texts.get(old) if self.shipped else None,
            yours=self.yours.texts.get(old),
            arriving=self.arriving.texts.get(key),
            result=result,
            decided=decided,
            path=key,
            was=was or (),
        )

    # ------------------------------------------------------------ keys that got another name

    def _rename(self, old: Key, new: Key) -> None:
        assert self.shipped is not None
        follows = old in self.shipped.means and self.shipped.means[old] == self.yours.means[old]
        side, named = (self.arriving, new) if follows else (self.yours, old)
        if self.wished is not None and new in self.wished.means:
            side, named = self.wished, new
        self.lines.append(self._line(new, side.texts[named], "renamed", was=old))
        self.mine.rename(old, new)
        del self.expected[old]
        if side is not self.yours:
            self.mine.take(new, side.document, new)
        self.expected[new] = side.means[named]

    def _renames(self) -> dict[Key, Key]:
        """Keys that the release gave another name.

        Known ones come from the keepsheet. Others are told by three signs together: one key went and one came
        in the same section, with the very same shipped value, and names that are alike; and there is only one
        such pair for either.
        """
        if self.shipped is None:
            return {}
        base, mine, coming = self.shipped.means, self.yours.means, self.arriving.means
        gone = [k for k in base if k in mine and k not in coming]
        came = [k for k in coming if k not in base and k not in mine and not self._is_spelt_otherwise(k)]
        _refuse_much(len(gone), len(came), "went")
        found: dict[Key, Key] = {}
        for old, new in self.told:
            pair = next(((g, c) for g in gone for c in came if _is(g, old) and _is(c, new)), None)
            if pair and pair[0][:-1] == pair[1][:-1]:
                found[pair[0]] = pair[1]
        fits = [
            (g, c)
            for g in gone
            for c in came
            if g not in found
            and c not in found.values()
            and g[:-1] == c[:-1]
            and base[g] == coming[c]
            and _alike(g[-1], c[-1])
        ]
        times_gone, times_came = Counter(g for g, _ in fits), Counter(c for _, c in fits)
        found |= {g: c for g, c in fits if times_gone[g] == times_came[c] == 1}
        return found


def _refuse_much(changes: int, keys: int, what: str) -> None:
    if changes * keys > _MOST_WORK:
        raise NotReadable(f"{changes:,} of its keys {what}, more than can be merged key by key")


def _is(key: Key, told: str) -> bool:
    return told in (shown(key), ".".join(key))


def _fold(key: Key) -> Key:
    return tuple(name.casefold() for name in key)


def _alike(one: str, other: str) -> bool:
    return one in other or other in one or SequenceMatcher(None, one.lower(), other.lower()).ratio() >= _ALIKE
