"""Atom feeds (RFC 4287) as outlets. Our conventions are in docs/feeds.md.

An entry is a release; its enclosures (RFC 4287, 4.2.7.2) are builds of it. What Atom has no
element for stands in one namespace of our own, on the entry or on the link it speaks of.
"""

from __future__ import annotations

import os
import re
from datetime import datetime
from urllib.parse import unquote, urljoin, urlparse

from left_intact.core.files.versions import platform_in_name
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.outlet import Offer
from left_intact.core.model.version import version_in_name
from left_intact.core.outlets.asking import without_secrets
from left_intact.core.outlets.notes import as_text

ATOM = "{http://www.w3.org/2005/Atom}"
OURS = "{urn:left-intact:outlet:1}"
_OFFERS_MOST = 2_000


def read_feed(data: bytes, base: str) -> tuple[Offer, ...]:
    """All builds that a feed offers. Raises `LeftIntactError` (`bad-feed`)."""
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=False)
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:
        raise _bad(base, f"it is no XML ({error})") from error
    if root.tag != f"{ATOM}feed":
        raise _bad(base, "it is no Atom feed")
    offers: list[Offer] = []
    for entry in root.iter(f"{ATOM}entry"):
        offers += _offers(entry, base)
        if len(offers) > _OFFERS_MOST:
            raise _bad(base, f"it offers more than {_OFFERS_MOST:,} builds")
    return tuple(offers)


def _bad(base: str, why: str) -> LeftIntactError:
    return LeftIntactError(
        "bad-feed", f"this feed cannot be read: {why}", path=base, way_out="What was known before is kept."
    )


def _offers(entry, base: str) -> list[Offer]:  # type: ignore[no-untyped-def]
    title = entry.findtext(f"{ATOM}title", "").strip()
    content = entry.find(f"{ATOM}content")
    if content is None:
        content = entry.find(f"{ATOM}summary")
    notes = as_text("".join(content.itertext()), content.get("type", "text")) if content is not None else ""
    found = []
    for link in entry.iter(f"{ATOM}link"):
        if link.get("rel") != "enclosure" or not link.get("href"):
            continue
        try:
            place = urljoin(base, link.get("href"))
        except ValueError:
            continue  # no address at all
        if urlparse(place).scheme not in ("http", "https"):
            continue
        place = without_secrets(place)
        name = unquote(os.path.basename(urlparse(place).path)) or title
        guess = version_in_name(title) or version_in_name(name)
        found.append(
            Offer(
                place=place,
                name=name,
                version=_said(entry, link, "version") or (guess.text if guess else ""),
                channel=_said(entry, link, "channel") or "stable",
                platform=_said(entry, link, "platform") or platform_in_name(name),
                bytes=_number(link.get("length") or ""),
                digest=_digest(_said(entry, link, "sha256")),
                published=_moment(entry.findtext(f"{ATOM}updated", "")),
                notes=notes,
                needs=_said(entry, link, "needs"),
                pack=_said(entry, link, "kind") == "pack",
                full_bytes=_number(_said(entry, link, "full")),
            )
        )
    return found


def _said(entry, link, name: str) -> str:  # type: ignore[no-untyped-def]
    """One of our words, from the link it is about or from the entry."""
    return str(link.get(f"{OURS}{name}") or entry.findtext(f"{OURS}{name}", "")).strip()


def _number(text: str) -> int:
    """Bytes as a feed says them; 0 for what is no number, or more than any file has."""
    return int(text) if re.fullmatch(r"[0-9]{1,15}", text.strip()) else 0


def _digest(text: str) -> str:
    """SHA-256 in hex; empty for what is none: it is made part of no path, and trusted for nothing."""
    return text.lower() if re.fullmatch(r"[0-9a-fA-F]{64}", text) else ""


def _moment(text: str) -> float:
    try:
        return datetime.fromisoformat(text.strip().replace("Z", "+00:00")).timestamp()
    except (ValueError, OverflowError, OSError):
        return 0.0
