"""An outlet on loopback: a folder of releases with an Atom feed, ranges, checksums, and faults on demand.

The folder holds the files and an `outlet.json`: {"title", "releases": [{"file", "version", "channel",
"platform", "notes", "published", "needs", "kind"}]}. Faults: `drop=N` cuts the next N transfers half
way, `wrong` sends other bytes, `slow` trickles, `stale` serves a feed without its newest release, `hang`
never answers, `drip` sends a byte now and then, `huge` sends a feed without end, `packed` answers packed
though asked not to, `long` sends more of a file than it says, `unsaid` says no length, `shifted` sends
another part than was asked for, `untagged` says nothing that tells a file from its successor, `whole`
knows no parts of files.
"""

from __future__ import annotations

import base64
import gzip
import hashlib
import json
import os
import threading
import time
from contextlib import suppress
from functools import lru_cache
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import quote, unquote, urlparse

from left_intact.core.outlets.feed import ATOM, OURS

_SLOW_CHUNK, _SLOW_PAUSE = 16_384, 0.05
FAULTS = ("hang", "drip", "huge", "packed", "long", "unsaid", "shifted", "untagged", "whole")


class OutletServer(ThreadingHTTPServer):
    """Serves one folder; `log` counts what went over the wire."""

    daemon_threads = True

    def __init__(self, folder: str, port: int = 0, faults: str = "") -> None:
        self.folder = os.path.abspath(folder)
        self.drops, self.wrong, self.slow, self.stale = 0, False, False, False
        self.redirect_to, self.redirect_feeds = "", False
        self.said_to_be: list[str] = []
        """`name:password` of those who asked with any."""
        self.faults: set[str] = set()
        self.ended = threading.Event()
        """Set when it is to end, for those that hang."""
        for word in filter(None, faults.split(",")):
            name, _, value = word.partition("=")
            if name == "drop":
                self.drops = int(value or 1)
            elif name in ("wrong", "slow", "stale"):
                setattr(self, name, True)
            elif name in FAULTS:
                self.faults.add(name)
            else:
                raise ValueError(f"there is no fault called {name}")
        self.log: list[tuple[str, int, int]] = []
        """(path, status, bytes of body) of every answer."""
        super().__init__(("127.0.0.1", port), _Handler)

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.server_address[1]}"

    def start(self) -> OutletServer:
        """Serve from a thread of its own until `shutdown`."""
        threading.Thread(target=self.serve_forever, args=(0.05,), daemon=True, name="outlet stand-in").start()
        return self

    def shutdown(self) -> None:
        self.ended.set()
        super().shutdown()

    def feed(self, program: str = "") -> bytes:
        """The Atom feed of all releases, or of one program's."""
        from lxml import etree

        with open(os.path.join(self.folder, "outlet.json"), encoding="utf-8") as file:
            said = json.load(file)
        names: Any = {None: ATOM[1:-1], "li": OURS[1:-1]}
        root = etree.Element(f"{ATOM}feed", nsmap=names)
        etree.SubElement(root, f"{ATOM}title").text = said["title"]
        etree.SubElement(root, f"{ATOM}id").text = f"urn:left-intact:standin:{program or 'all'}"
        releases = [r for r in said["releases"] if not program or r["program"] == program]
        if self.stale:
            releases = releases[1:]
        newest = max((r["published"] for r in releases), default="2026-01-01T00:00:00Z")
        etree.SubElement(root, f"{ATOM}updated").text = newest
        for release in releases:
            self._entry(root, release)
        return bytes(etree.tostring(root, xml_declaration=True, encoding="utf-8", pretty_print=True))

    def _entry(self, root, release: dict[str, str]) -> None:  # type: ignore[no-untyped-def]
        from lxml import etree

        path = os.path.join(self.folder, release["file"])
        entry = etree.SubElement(root, f"{ATOM}entry")
        etree.SubElement(entry, f"{ATOM}title").text = f"{release['program']} {release['version']}"
        etree.SubElement(entry, f"{ATOM}id").text = f"urn:left-intact:standin:{release['file']}"
        etree.SubElement(entry, f"{ATOM}updated").text = release["published"]
        content = etree.SubElement(entry, f"{ATOM}content", type=release.get("notes_type", "text"))
        content.text = release.get("notes", "")
        link = etree.SubElement(
            entry,
            f"{ATOM}link",
            rel="enclosure",
            href=f"/files/{quote(release['file'])}",
            length=str(os.path.getsize(path)),
            type="application/zip",
        )
        for name in ("version", "channel", "platform", "needs", "kind", "full"):
            if release.get(name):
                link.set(f"{OURS}{name}", release[name])
        link.set(f"{OURS}sha256", _sha256(path, os.path.getmtime(path)))


@lru_cache(maxsize=256)
def _sha256(path: str, stamp: float) -> str:
    with open(path, "rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


class _Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    server: OutletServer

    def log_message(self, format: str, *args: object) -> None:
        """Nothing is printed; what was asked is in the server's `log`."""

    def do_GET(self) -> None:
        path = unquote(urlparse(self.path).path)
        if "hang" in self.server.faults:
            self.server.ended.wait()
            return
        kind, _, given = self.headers.get("Authorization", "").partition(" ")
        if kind == "Basic":
            self.server.said_to_be.append(base64.b64decode(given).decode())
        led_on = "/feed" if self.server.redirect_feeds else "/files/"
        if self.server.redirect_to and path.startswith(led_on):
            self._answer(302, b"", {"Location": self.server.redirect_to + self.path})
        elif path == "/feed.xml" or (path.startswith("/feed/") and path.endswith(".xml")):
            self._send_feed("" if path == "/feed.xml" else path[6:-4])
        elif path.startswith("/files/"):
            self._send_file(path[7:])
        else:
            self._answer(404, b"nothing here\n")

    def _answer(self, status: int, body: bytes, headers: dict[str, str] | None = None) -> None:
        self.send_response(status)
        for name, value in (headers or {}).items():
            self.send_header(name, value)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)
        self.server.log.append((self.path, status, len(body)))

    def _send_without_end(self, piece: bytes, pause: float) -> None:
        self.send_response(200)
        self.send_header("Content-Type", "application/atom+xml")
        self.send_header("Content-Length", str(1 << 40))
        self.end_headers()
        with suppress(OSError):
            while not self.server.ended.wait(pause):
                self.wfile.write(piece)
                self.wfile.flush()
        self.close_connection = True

    def _send_feed(self, program: str) -> None:
        if "huge" in self.server.faults:
            self._send_without_end(b"<" * (1 << 20), 0.0)
            return
        if "drip" in self.server.faults:
            self._send_without_end(b" ", 0.05)
            return
        data = self.server.feed(program)
        if "packed" in self.server.faults:
            self._answer(200, gzip.compress(data), {"Content-Encoding": "gzip"})
            return
        etag = f'"{hashlib.sha256(data).hexdigest()[:16]}"'
        if self.headers.get("If-None-Match") == etag:
            self.send_response(304)
            self.send_header("ETag", etag)
            self.end_headers()
            self.server.log.append((self.path, 304, 0))
        else:
            self._answer(200, data, {"Content-Type": "application/atom+xml", "ETag": etag})

    def _send_file(self, name: str) -> None:
        path = os.path.realpath(os.path.join(self.server.folder, name))
        if not path.startswith(os.path.realpath(self.server.folder) + os.sep) or not os.path.isfile(path):
            self._answer(404, b"nothing here\n")
            return
        size = os.path.getsize(path)
        start, stop, partial = 0, size, False
        info = os.stat(path)
        tag = "" if "untagged" in self.server.faults else f'"{info.st_size:x}-{info.st_mtime_ns:x}"'
        wanted = self.headers.get("Range", "")
        if self.headers.get("If-Range", tag) != tag:
            wanted = ""  # it is another file by now: all of it comes
        if "whole" in self.server.faults:
            wanted = ""
        if wanted.startswith("bytes="):
            first, _, last = wanted[6:].partition("-")
            start = int(first) if first else max(0, size - int(last))
            stop = min(size, int(last) + 1) if last and first else size
            partial = True
        if start >= size and size:
            self._answer(416, b"", {"Content-Range": f"bytes */{size}"})
            return
        if partial and "shifted" in self.server.faults:
            start, stop = 0, stop - start
        self.send_response(206 if partial else 200)
        self.send_header("Accept-Ranges", "bytes")
        if tag:
            self.send_header("ETag", tag)
        if self.server.faults & {"unsaid", "long"}:
            self.close_connection = True
            self.send_header("Connection", "close")
        else:
            self.send_header("Content-Length", str(stop - start))
        if partial:
            self.send_header("Content-Range", f"bytes {start}-{stop - 1}/{size}")
        self.end_headers()
        self._pour(path, start, stop, 206 if partial else 200)
        if "long" in self.server.faults:
            with suppress(OSError):
                for _ in range(64):
                    self.wfile.write(bytes(1 << 20))

    def _pour(self, path: str, start: int, stop: int, status: int) -> None:
        drop = self.server.drops > 0 and stop - start > 1024
        self.server.drops -= drop
        end = start + (stop - start) // 2 if drop else stop
        sent = 0
        with open(path, "rb") as file:
            file.seek(start)
            while start + sent < end:
                chunk = file.read(min(_SLOW_CHUNK, end - start - sent))
                self.wfile.write(bytes(b ^ 1 for b in chunk) if self.server.wrong else chunk)
                sent += len(chunk)
                if self.server.slow:
                    time.sleep(_SLOW_PAUSE)
        self.server.log.append((self.path, status, sent))
        if drop:
            self.wfile.flush()
            self.close_connection = True
            self.connection.close()
