"""Which of all offers? By version, channel and platform, with the places compared."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import cmp_to_key

from left_intact.core.model.outlet import Hold, Offer, Ranked
from left_intact.core.model.version import Version


def rank(
    offers: Iterable[Offer],
    *,
    installed: str,
    platform: str,
    hold: Hold | None = None,
    dismissed: frozenset[str] = frozenset(),
    previews: bool = False,
) -> tuple[Ranked, ...]:
    """All offers, newest first. With `previews`, those count as worth telling too."""
    listed = sorted(offers, key=cmp_to_key(_newest_first))
    mine = Version.parse(installed) if installed else None
    newest_of = _newest_of_outlets(listed)
    found = []
    for offer in listed:
        version = offer.parsed
        newer = mine is not None and version is not None and version.compare(mine) == 1
        fits = _fits(offer.platform, platform)
        found.append(
            Ranked(
                offer=offer,
                newer=newer and (previews or offer.channel == "stable"),
                fits=fits,
                held=newer and hold is not None and hold.forbids(version),
                dismissed=offer.version in dismissed,
                says=_says(offer, listed, newest_of, fits),
            )
        )
    return tuple(found)


def _newest_first(one: Offer, other: Offer) -> int:
    a, b = one.parsed, other.parsed
    order = a.compare(b) if a and b else None
    if order:
        return -order
    if one.published != other.published:
        return -1 if one.published > other.published else 1
    return (one.name > other.name) - (one.name < other.name)


def _fits(offered: str, mine: str) -> bool:
    return not offered or not mine or set(offered.split()) <= set(mine.split())


def _newest_of_outlets(offers: Sequence[Offer]) -> dict[int, Version]:
    newest: dict[int, Version] = {}
    for offer in offers:
        version = offer.parsed
        if version is not None and offer.channel == "stable" and not offer.pack:
            best = newest.get(offer.outlet)
            if best is None or version.compare(best) == 1:
                newest[offer.outlet] = version
    return newest


def _says(offer: Offer, offers: Sequence[Offer], newest: dict[int, Version], fits: bool) -> tuple[str, ...]:
    said = [] if fits else [f"for {offer.platform}, not for this install"]
    if offer.channel != "stable":
        said.append(offer.channel)
    twins = [
        o for o in offers if o.version == offer.version and o.name == offer.name and o.outlet != offer.outlet
    ]
    if twins and offer.digest and all(t.digest == offer.digest for t in twins):
        said.append(f"the same bytes in {len(twins) + 1} places")
    elif any(t.digest and offer.digest and t.digest != offer.digest for t in twins):
        said.append("another place has other bytes under this name")
    mine = newest.get(offer.outlet)
    ahead = [v for v in newest.values() if mine is not None and v.compare(mine) == 1]
    if ahead and mine is not None and offer.parsed == mine:
        said.append(f"this place lags behind: {max(ahead)} is elsewhere")
    if offer.needs:
        said.append(f"needs {offer.needs}")
    return tuple(said)
