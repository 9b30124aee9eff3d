"""Looking at outlets and fetching from them. TLS is verified; nothing fetched is run.

A file waits as `NAME.part` until its bytes are all there and its digest is right; only then does it
get its name. An interruption of ours or the network's is gone on from by a range request, where the outlet
says that it still is the same file (RFC 9110, 13.1.5 and 14.4).
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from threading import Lock
from typing import IO, TYPE_CHECKING, Any

from left_intact.core.files.names import needs_other_name
from left_intact.core.files.private import open_private
from left_intact.core.model.errors import LeftIntactError, reason_of
from left_intact.core.model.outlet import Fetched, Offer, Outlet, OutletKind
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.outlets.asking import Asker, asker, whole_length, without_secrets
from left_intact.core.outlets.feed import read_feed
from left_intact.core.outlets.folder import read_folder, read_sums

if TYPE_CHECKING:
    import httpx

TRIES = 5
CHUNK = 1 << 16
_FEED_MOST, FEED_SECONDS = 8 << 20, 15.0
_SUMS_MOST = 1 << 20
_UNDECLARED_MOST = 8 << 30
"""Bytes that are taken of a file whose length nobody says."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Checked:
    """What looking at an outlet gave; `offers` is None where nothing changed since the last look."""

    outlet: Outlet
    offers: tuple[Offer, ...] | None


def check(outlet: Outlet, program: str, ask: Asker | None, now: float) -> Checked:
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
    except (OSError, ValueError) as error:  # whatever a stranger may answer stops no other outlet
        return Checked(outlet=replace(outlet, trouble=f"it cannot be read ({_reason(error)})"), offers=None)
    if offers is not None:
        offers = tuple(replace(offer, outlet=outlet.id) for offer in offers)
    return Checked(outlet=fresh, offers=offers)


def _check_feed(outlet: Outlet, ask: Asker, now: float) -> tuple[Outlet, tuple[Offer, ...] | None]:
    import httpx

    headers = {"If-None-Match": outlet.etag} if outlet.etag else {}
    headers |= {"If-Modified-Since": outlet.modified} if outlet.modified else {}
    try:
        answer = ask.get(outlet.place, most=_FEED_MOST, seconds=FEED_SECONDS, headers=headers)
    except httpx.HTTPError as error:
        raise LeftIntactError(
            "offline", f"the outlet cannot be reached ({_reason(error)})", path=outlet.place
        ) from error
    leads = "; ".join(answer.says)
    if answer.status == 304:
        return replace(outlet, checked=now, trouble="", leads=leads), None
    if answer.status != 200:
        raise LeftIntactError("outlet-refused", f"the outlet answered {answer.status}", path=outlet.place)
    offers = read_feed(answer.content, answer.url)
    etag, modified = answer.headers.get("etag", ""), answer.headers.get("last-modified", "")
    return replace(outlet, etag=etag, modified=modified, checked=now, trouble="", leads=leads), offers


_LOCKS: dict[str, Lock] = {}
_FIRST = Lock()


@contextmanager
def _alone_at(target: str) -> Iterator[None]:
    """One at a time for one file: who comes second finds it fetched; another process is told to wait."""
    from left_intact.core.files.alone import alone

    with _FIRST:
        lock = _LOCKS.setdefault(target, Lock())
    beside = os.path.join(os.path.dirname(target), "lock")
    with lock, alone(beside, "another Left Intact is fetching this"):
        yield


def key_of(offer: Offer) -> str:
    """What tells an offer's file from every other: two places may well have files of one name."""
    said = "\n".join((without_secrets(offer.place), offer.version, str(offer.bytes), offer.digest))
    return hashlib.sha256(said.encode("utf-8", "surrogateescape")).hexdigest()[:16]


def fetch(
    offer: Offer,
    into: str,
    *,
    report: Report = silent,
    cancel: CancelToken | None = None,
    ask: Asker | None = None,
) -> Fetched:
    """Get an offer's file into a folder of its own (`key_of`), whole and checked; one that is there already
    is checked and taken.

    Raises `LeftIntactError`: `fetch-failed`, `wrong-digest`, `wrong-length`, `no-room`, and `Stopped`; what
    came so far waits as `.part` and is gone on from.
    """
    cancel = cancel or CancelToken()
    os.makedirs(into, mode=0o700, exist_ok=True)
    target = os.path.join(into, name_for(offer.name))
    with _alone_at(target):
        if ask is not None:
            return _fetch(offer, into, target, report, cancel, ask)
        with asker() as own:
            return _fetch(offer, into, target, report, cancel, own)


def _fetch(offer: Offer, into: str, target: str, report: Report, cancel: CancelToken, ask: Asker) -> Fetched:
    if not offer.digest and "://" in offer.place:
        offer = replace(offer, digest=_sum_beside(offer, ask))
    if os.path.isfile(target) and not os.path.islink(target):
        digest = sha256_of(target)
        right = digest == offer.digest if offer.digest else os.path.getsize(target) == offer.bytes
        if right:
            return Fetched(path=target, digest=digest, says=("fetched before",))
    if offer.bytes and shutil.disk_usage(into).free < offer.bytes * 1.02:
        raise LeftIntactError(
            "no-room", f"there is no room for {offer.bytes:,} bytes", path=into, way_out="Free some room."
        )
    part = target + ".part"
    try:
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
                path=without_secrets(offer.place),
                way_out="Try again, or another outlet.",
            )
        _take_its_name(part, target)
    except OSError as error:
        raise _failed(offer, reason_of(error)) from error
    said = (
        *says,
        f"checked against the outlet's digest {digest[:12]}…"
        if offer.digest
        else "the outlet publishes no digest",
    )
    return Fetched(path=target, digest=digest, says=said)


def name_for(said: str) -> str:
    """A name for a file of ours, of what an outlet calls it: no path, no controls, no more than fits."""
    bare = re.split(r"[/\\]", said)[-1]
    clean = re.sub(r'[\x00-\x1f\x7f-\x9f<>:"|?*\u202a-\u202e\u2066-\u2069]', "-", bare).strip(" .")
    clean = clean.encode("utf-8", "replace")[-180:].decode("utf-8", "ignore")
    return clean if clean and not needs_other_name(clean) else f"download-{clean}"


def _sum_beside(offer: Offer, ask: Asker) -> str:
    """The digest that a SHA256SUMS file beside an offer's file gives, or an empty text."""
    import httpx

    place = offer.place.rpartition("/")[0] + "/SHA256SUMS"
    try:
        answer = ask.get(place, most=_SUMS_MOST, seconds=FEED_SECONDS)
    except (httpx.HTTPError, LeftIntactError):
        return ""
    text = answer.content.decode("utf-8", "replace")
    return read_sums(text).get(offer.name, "") if answer.status == 200 else ""


def _copy(offer: Offer, part: str, report: Report, cancel: CancelToken) -> tuple[str, ...]:
    with open(offer.place, "rb") as source, open_private(part) as sink:
        done = 0
        while chunk := source.read(CHUNK):
            cancel.check()
            done += sink.write(chunk)
            report(Progress(stage="fetching", done=done, total=offer.bytes, bytes_done=done, path=offer.name))
    return ("copied from the folder",)


def _download(offer: Offer, part: str, report: Report, cancel: CancelToken, ask: Asker) -> tuple[str, ...]:
    import httpx

    says: list[str] = []
    for attempt in range(TRIES):
        try:
            _one_try(offer, part, report, cancel, ask, says)
            _forget(part)
            return tuple(dict.fromkeys(says))
        except httpx.HTTPError as error:
            says.append(f"gone on from after {_size(part):,} bytes")
            if attempt == TRIES - 1:
                raise _failed(offer, _reason(error)) from error
    raise AssertionError


def _one_try(
    offer: Offer, part: str, report: Report, cancel: CancelToken, ask: Asker, says: list[str]
) -> None:
    import httpx

    have, same = _size(part), _known(part)
    if offer.bytes and have == offer.bytes:
        return
    if have and (not (same or offer.digest) or (offer.bytes and have > offer.bytes)):
        have = 0  # nothing says that what comes is the rest of this
    headers = {"Range": f"bytes={have}-"} if have else {}
    headers |= {"If-Range": same} if have and same else {}
    with ask.stream(offer.place, headers=headers, says=says) as answer:
        if answer.status_code == 416 and have and whole_length(answer.headers) == have:
            return  # it was all there; nobody had said how much that is
        if answer.status_code not in (200, 206):
            if answer.status_code == 416:
                _begin_anew(part)
                raise httpx.RemoteProtocolError("it has no such part of the file")
            raise _failed(offer, f"it answered {answer.status_code}")
        if answer.status_code == 206 and _starts_at(answer) != have:
            _begin_anew(part)
            raise httpx.RemoteProtocolError("it sent another part of the file than was asked for")
        if answer.status_code == 200:
            have = 0
        length = int(said) if (said := answer.headers.get("content-length", "")).isdecimal() else 0
        total = offer.bytes or (have + length if length else 0)
        _note(part, answer)
        try:
            with open_private(part, append=bool(have)) as sink:
                have = _pour(offer, answer, sink, have, total, report, cancel)
        except LeftIntactError as error:
            if error.code == "wrong-length":
                _begin_anew(part)
            raise
        if total and have < total:
            raise httpx.RemoteProtocolError("the connection ended too early")


def _pour(
    offer: Offer,
    answer: httpx.Response,
    sink: IO[bytes],
    have: int,
    total: int,
    report: Report,
    cancel: CancelToken,
) -> int:
    """Write what comes, and no byte more than was said."""
    most = total or _UNDECLARED_MOST
    for chunk in answer.iter_raw():
        cancel.check()
        if have + len(chunk) > most:
            raise LeftIntactError(
                "wrong-length",
                f"more came than the {most:,} bytes that were said; it was thrown away",
                path=without_secrets(offer.place),
                way_out="Try again, or another outlet.",
            )
        have += sink.write(chunk)
        report(Progress(stage="fetching", done=have, total=total, bytes_done=have, path=offer.name))
    return have


def _starts_at(answer: httpx.Response) -> int:
    match = re.match(r"bytes (\d+)-\d+/", answer.headers.get("content-range", ""))
    return int(match[1]) if match else -1


# ---------------------------------------------------------------- what a part is a part of


def _note(part: str, answer: httpx.Response) -> None:
    """Keep what tells whether an outlet still has the very file: a strong tag, else when it was changed."""
    etag = answer.headers.get("etag", "")
    same = etag if etag.startswith('"') else answer.headers.get("last-modified", "")
    with open_private(part + ".of") as file:
        file.write(json.dumps({"same": same}).encode())


def _known(part: str) -> str:
    try:
        with open(part + ".of", "rb") as file:
            said = json.loads(file.read(1 << 16))
    except (OSError, ValueError):
        return ""
    return str(said.get("same", "")) if isinstance(said, dict) else ""


def _forget(part: str) -> None:
    with suppress(OSError), open_private(part + ".of"):
        pass


def _size(path: str) -> int:
    return os.path.getsize(path) if os.path.isfile(path) and not os.path.islink(path) else 0


def _begin_anew(part: str) -> None:
    with open_private(part):
        pass
    _forget(part)


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
        path=without_secrets(offer.place),
        way_out="What came so far is kept; try again to go on.",
    )


def _reason(error: Any) -> str:
    text = re.sub(r"^\[Errno -?\d+\] ", "", str(error).strip()) or type(error).__name__
    return text.splitlines()[0][:120]
