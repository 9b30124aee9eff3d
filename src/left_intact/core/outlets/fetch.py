"""Asking outlets and fetching from them, by httpx. TLS is verified; nothing fetched is run.

A file waits as `NAME.part` until its bytes are all there and its digest is right; only then does it
get its name. An interruption of ours or the network's is gone on from by a range request.
"""

from __future__ import annotations

import hashlib
import os
import re
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any
from urllib.parse import urlparse

from left_intact.core.model.errors import LeftIntactError, reason_of
from left_intact.core.model.outlet import Fetched, Offer, Outlet, OutletKind
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.outlets.feed import read_feed
from left_intact.core.outlets.folder import read_folder, read_sums

if TYPE_CHECKING:
    import httpx

TRIES = 5
CHUNK = 1 << 16
_FEED_LIMIT = 8 << 20


@dataclass(frozen=True, slots=True, kw_only=True)
class Checked:
    """What looking at an outlet gave; `offers` is None where nothing changed since the last look."""

    outlet: Outlet
    offers: tuple[Offer, ...] | None


@contextmanager
def client() -> Iterator[httpx.Client]:
    """One client for many requests."""
    import httpx

    with httpx.Client(
        timeout=httpx.Timeout(10.0), follow_redirects=True, headers={"User-Agent": "left-intact"}
    ) as made:
        yield made


def check(outlet: Outlet, program: str, ask: httpx.Client | None, now: float) -> Checked:
    """Look at an outlet. Offline or broken is no error: the outlet then says so and keeps what it knew."""
    try:
        if outlet.kind is OutletKind.FOLDER:
            offers: tuple[Offer, ...] | None = read_folder(outlet.place, program)
            fresh = replace(outlet, checked=now, trouble="")
        else:
            assert ask is not None
            fresh, offers = _check_feed(outlet, ask, now)
    except LeftIntactError as error:
        return Checked(outlet=replace(outlet, trouble=error.says), offers=None)
    if offers is not None:
        offers = tuple(replace(offer, outlet=outlet.id) for offer in offers)
    return Checked(outlet=fresh, offers=offers)


def _check_feed(outlet: Outlet, ask: httpx.Client, now: float) -> tuple[Outlet, tuple[Offer, ...] | None]:
    import httpx

    headers = {"If-None-Match": outlet.etag} if outlet.etag else {}
    headers |= {"If-Modified-Since": outlet.modified} if outlet.modified else {}
    try:
        answer = ask.get(outlet.place, headers=headers)
    except httpx.HTTPError as error:
        raise LeftIntactError(
            "offline", f"the outlet cannot be reached ({_reason(error)})", path=outlet.place
        ) from error
    if answer.status_code == 304:
        return replace(outlet, checked=now, trouble=""), None
    if answer.status_code != 200:
        raise LeftIntactError(
            "outlet-refused", f"the outlet answered {answer.status_code}", path=outlet.place
        )
    if len(answer.content) > _FEED_LIMIT:
        raise LeftIntactError("bad-feed", "the feed is larger than any feed need be", path=outlet.place)
    offers = read_feed(answer.content, str(answer.url))
    said = answer.headers
    etag, modified = said.get("etag", ""), said.get("last-modified", "")
    return replace(outlet, etag=etag, modified=modified, checked=now, trouble=""), offers


def fetch(
    offer: Offer,
    into: str,
    *,
    report: Report = silent,
    cancel: CancelToken | None = None,
    ask: httpx.Client | None = None,
) -> Fetched:
    """Get an offer's file into a folder, whole and checked; one that is there already is checked and taken.

    Raises `LeftIntactError`: `fetch-failed`, `wrong-digest`, `no-room`, and `Stopped`; what came so far
    waits as `.part` and is gone on from.
    """
    cancel = cancel or CancelToken()
    os.makedirs(into, exist_ok=True)
    if not offer.digest and "://" in offer.place:
        offer = replace(offer, digest=_sum_beside(offer))
    target = os.path.join(into, os.path.basename(offer.name) or "download")
    if os.path.exists(target) and (not offer.digest or sha256_of(target) == offer.digest):
        return Fetched(path=target, digest=offer.digest or sha256_of(target), says=("fetched before",))
    if offer.bytes and shutil.disk_usage(into).free < offer.bytes * 1.02:
        raise LeftIntactError(
            "no-room", f"there is no room for {offer.bytes:,} bytes", path=into, way_out="Free some room."
        )
    part = target + ".part"
    says = (
        _copy(offer, part, report, cancel)
        if "://" not in offer.place
        else _download(offer, part, report, cancel, ask)
    )
    digest = sha256_of(part)
    if offer.digest and digest != offer.digest:
        _begin_anew(part)
        raise LeftIntactError(
            "wrong-digest",
            "what came is not what the outlet says it is; it was thrown away",
            path=offer.place,
            way_out="Try again, or another outlet.",
        )
    _take_its_name(part, target)
    said = (
        *says,
        f"checked against the outlet's digest {digest[:12]}…"
        if offer.digest
        else "the outlet publishes no digest",
    )
    return Fetched(path=target, digest=digest, says=said)


def _sum_beside(offer: Offer) -> str:
    """The digest that a SHA256SUMS file beside an offer's file gives, or an empty text."""
    import httpx

    try:
        with client() as ask:
            answer = ask.get(offer.place.rpartition("/")[0] + "/SHA256SUMS")
    except httpx.HTTPError:
        return ""
    return read_sums(answer.text).get(offer.name, "") if answer.status_code == 200 else ""


def _copy(offer: Offer, part: str, report: Report, cancel: CancelToken) -> tuple[str, ...]:
    try:
        with open(offer.place, "rb") as source, open(part, "wb") as sink:
            done = 0
            while chunk := source.read(CHUNK):
                cancel.check()
                done += sink.write(chunk)
                report(
                    Progress(stage="fetching", done=done, total=offer.bytes, bytes_done=done, path=offer.name)
                )
    except OSError as error:
        raise _failed(offer, reason_of(error)) from error
    return ("copied from the folder",)


def _download(
    offer: Offer, part: str, report: Report, cancel: CancelToken, ask: httpx.Client | None
) -> tuple[str, ...]:
    import httpx

    says: list[str] = []
    for attempt in range(TRIES):
        try:
            if ask is not None:
                _one_try(offer, part, report, cancel, ask, says)
            else:
                with client() as own:
                    _one_try(offer, part, report, cancel, own, says)
            return tuple(dict.fromkeys(says))
        except httpx.HTTPError as error:
            have = os.path.getsize(part) if os.path.exists(part) else 0
            says.append(f"gone on from after {have:,} bytes")
            if attempt == TRIES - 1:
                raise _failed(offer, _reason(error)) from error
    raise AssertionError


def _one_try(
    offer: Offer, part: str, report: Report, cancel: CancelToken, ask: httpx.Client, says: list[str]
) -> None:
    import httpx

    have = os.path.getsize(part) if os.path.exists(part) else 0
    if offer.bytes and have >= offer.bytes:
        _begin_anew(part) if have > offer.bytes else None
        have = 0 if have > offer.bytes else have
        if have:
            return
    headers = (
        {"Range": f"bytes={have}-", "Accept-Encoding": "identity"}
        if have
        else {"Accept-Encoding": "identity"}
    )
    with ask.stream("GET", offer.place, headers=headers) as answer:
        if answer.status_code not in (200, 206):
            raise _failed(offer, f"it answered {answer.status_code}")
        if urlparse(str(answer.url)).netloc != urlparse(offer.place).netloc:
            says.append(f"redirected to {urlparse(str(answer.url)).netloc}")
        if answer.status_code == 200:
            have = 0
        total = offer.bytes or have + int(answer.headers.get("content-length") or 0)
        with open(part, "ab" if have else "wb") as sink:
            for chunk in answer.iter_raw():
                cancel.check()
                have += sink.write(chunk)
                report(Progress(stage="fetching", done=have, total=total, bytes_done=have, path=offer.name))
        if total and have < total:
            raise httpx.RemoteProtocolError("the connection ended too early")


def _begin_anew(part: str) -> None:
    with open(part, "wb"):
        pass


def _take_its_name(part: str, target: str) -> None:
    from left_intact.core.files.private import take_name

    take_name(part, target)


def sha256_of(path: str) -> str:
    """SHA-256 in hex, which is what outlets publish."""
    digest = hashlib.sha256()
    with open(path, "rb") as file:
        while chunk := file.read(1 << 20):
            digest.update(chunk)
    return digest.hexdigest()


def _failed(offer: Offer, why: str) -> LeftIntactError:
    return LeftIntactError(
        "fetch-failed",
        f"it could not be fetched ({why})",
        path=offer.place,
        way_out="What came so far is kept; try again to go on.",
    )


def _reason(error: Any) -> str:
    text = re.sub(r"^\[Errno -?\d+\] ", "", str(error).strip()) or type(error).__name__
    return text.splitlines()[0][:120]
