"""Asking outlets: over TLS where it began so, within a time and a number of bytes, and without a name or a
password in any message.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any
from urllib.parse import SplitResult, urljoin, urlsplit

from left_intact.core.model.errors import LeftIntactError

if TYPE_CHECKING:
    import httpx

_REDIRECTS = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """What an outlet answered, all of it."""

    status: int
    headers: Mapping[str, str]
    content: bytes
    url: str
    """Where it came from in the end."""
    says: tuple[str, ...] = ()
    """What is worth telling of the way there."""


def without_secrets(url: str) -> str:
    """An address without the name and the password that may stand in it."""
    parts = _split(url)
    if parts is None or "@" not in parts.netloc:
        return url
    return parts._replace(netloc=parts.netloc.rpartition("@")[2]).geturl()


def secret_in(url: str) -> str:
    """`name:password` as they stand in an address; empty where none do."""
    parts = _split(url)
    return parts.netloc.rpartition("@")[0] if parts is not None else ""


def origin_of(url: str) -> str:
    """Scheme, host and port of an address: what a name and a password belong to."""
    parts = _split(without_secrets(url))
    return f"{parts.scheme}://{parts.netloc}".lower() if parts is not None else ""


def _split(url: str) -> SplitResult | None:
    try:
        return urlsplit(url)
    except ValueError:
        return None


def whole_length(headers: Mapping[str, str]) -> int:
    """The length of the whole that an answer is a part of, -1 where none is said. Source: RFC 9110, 14.4."""
    said = headers.get("content-range", "").rpartition("/")[2]
    return int(said) if said.isdecimal() and len(said) < 20 else -1


class Asker:
    """Asks over HTTP for what is wanted, and for no more of it than was agreed."""

    def __init__(self, client: httpx.Client, secrets: Mapping[str, str] | None = None) -> None:
        """`secrets` are `name:password` by origin."""
        self.client, self.secrets = client, dict(secrets or {})

    def get(
        self,
        url: str,
        *,
        most: int,
        seconds: float,
        headers: Mapping[str, str] | None = None,
        only: int | None = None,
    ) -> Answer:
        """A whole answer of at most so many bytes, within so many seconds; where `only` one status is of use,
        the content of another is not read. Raises `LeftIntactError`.
        """
        until, says = time.monotonic() + seconds, list[str]()
        content = bytearray()
        with self.stream(url, headers=headers, says=says) as answer:
            for chunk in answer.iter_raw() if only in (None, answer.status_code) else ():
                content += chunk
                if len(content) > most:
                    raise refused(url, f"it answers with more than {most:,} bytes")
                if time.monotonic() > until:
                    raise refused(url, f"it had not answered whole after {seconds:.0f} seconds")
            return Answer(
                status=answer.status_code,
                headers=answer.headers,
                content=bytes(content),
                url=str(answer.url),
                says=tuple(says),
            )

    @contextmanager
    def stream(
        self, url: str, *, headers: Mapping[str, str] | None = None, says: list[str] | None = None
    ) -> Iterator[httpx.Response]:
        """An answer as it comes, its bytes as they were sent. Redirects are followed one by one: never from
        https to http, and one to another host is told. Raises `LeftIntactError`, `httpx.HTTPError`.
        """
        at, wanted = without_secrets(url), {**(headers or {}), "Accept-Encoding": "identity"}
        for _ in range(_REDIRECTS + 1):
            with self._asked(at, wanted) as answer:
                if answer.status_code not in (301, 302, 303, 307, 308):
                    if answer.headers.get("content-encoding", "identity") != "identity":
                        raise refused(url, "it answers packed, though it was asked not to")
                    yield answer
                    return
                at = leads_to(at, answer.headers.get("location", ""), says)
        raise refused(url, "it redirects in a circle")

    @contextmanager
    def _asked(self, url: str, headers: Mapping[str, str]) -> Iterator[httpx.Response]:
        import httpx

        parts = _split(url)
        if parts is None or parts.scheme not in ("http", "https") or not parts.hostname:
            raise refused(url, "this is no address that can be asked")
        name, _, password = self.secrets.get(origin_of(url), "").partition(":")
        more: dict[str, Any] = {"auth": (name, password)} if name else {}
        try:
            with self.client.stream("GET", url, headers=dict(headers), **more) as answer:
                yield answer
        except (httpx.InvalidURL, UnicodeError) as error:
            raise refused(url, "this is no address that can be asked") from error


def leads_to(at: str, location: str, says: list[str] | None) -> str:
    there = without_secrets(urljoin(at, location)) if location else ""
    old, new = _split(at), _split(there)
    if old is None or new is None or not there:
        raise refused(at, "it redirects to nowhere")
    if old.scheme == "https" and new.scheme != "https":
        raise refused(at, f"it redirects from https to {new.scheme}, where anybody on the way can change it")
    if says is not None and new.netloc != old.netloc:
        says.append(f"redirected to {new.netloc}")
    return there


def refused(url: str, why: str) -> LeftIntactError:
    return LeftIntactError(
        "outlet-refused", why, path=without_secrets(url), way_out="Check the address, or try again later."
    )


@contextmanager
def asker(secrets: Mapping[str, str] | None = None) -> Iterator[Asker]:
    """One for many requests."""
    import httpx

    patience = httpx.Timeout(10.0, connect=5.0, pool=None)
    limits = httpx.Limits(max_connections=None)
    headers = {"User-Agent": "left-intact"}
    with httpx.Client(timeout=patience, limits=limits, follow_redirects=False, headers=headers) as made:
        yield Asker(made, secrets)
