"""Names and texts that nobody would give: markup, escapes, wide, right to left, very long."""

from __future__ import annotations

import json
from pathlib import Path

from left_intact.standins.outlet import OutletServer
from tests.builders import Mock, Tree, release, zipped

NAME = "Mock[@click=app.quit]let[/] [b"
ODD: Tree = {
    "games/Cart [!].w16": b"\x04" * 99,
    "games/Cart [a1][h2].w16": b"\x05" * 99,
    "games/Cart [b].w16": b"\x06" * 99,
    "themes/Dusk [a].png": b"\x89PNG" + b"\x01" * 99,
    "memory/[@click=app.quit]y[/]": b"\x91\x92\x93" * 9,
    "memory/zz[": b"\x94\x95" * 9,
    "memory/].wsv": b"\x96\x97" * 9,
    "memory/[red]r[/red].wsv": b"\x98\x99" * 9,
    "pile/odd[0": b"\x71\x92\x13" * 9,
    "pile/even]1.zzz": b"\x74\x95" * 9,
    "memory/who?.sav": b"\x01" * 40,
    "memory/whom.sav": b"\x02" * 40,
    "memory/back\\slash*.sav": b"\x03" * 40,
    "memory/\x1b[31mred\x07": b"\x9a" * 9,
    "memory/\u202egpj.exe": b"\x9b" * 9,
    "memory/音楽ゲーム.sav": b"\x07" * 40,
    "memory/" + "long " * 40 + ".sav": b"\x08" * 40,
}


NOTES = (
    """- [@click=app.quit]quit[/] keeps its saves; ]] and [red]red[/red] too.
- Cart [b].w16 loads again, \u202egpj.exe as well.
- 音楽ゲーム is heard on the left, and """
    + "on and " * 60
    + "on."
)


def follow_strange_outlet(mock: Mock) -> OutletServer:
    """An outlet whose releases, notes and pack are named as strangely; it is followed, and serves until it is
    shut down.
    """
    folder = Path(mock.folder) / "outlet"
    folder.mkdir()
    zipped(release("1.1"), folder / "mocklet-1.1 [b].zip", "mocklet-1.1")
    zipped(
        {f"in [b]/{path}": b"\x44" * 99 for path in ODD if path.startswith("games/")}, folder / "pack ][.zip"
    )
    listed = [
        {"file": "mocklet-1.1 [b].zip", "version": "1.1", "notes": NOTES},
        {"file": "pack ][.zip", "version": "1.1", "kind": "pack", "notes": NOTES, "full": "99000"},
    ]
    said = [{"program": "Mock[b]", "published": "2026-11-20T12:00:00Z", **one} for one in listed]
    (folder / "outlet.json").write_text(json.dumps({"title": "[/] the outlet", "releases": said}))
    server = OutletServer(str(folder)).start()
    mock.bench.outlets.follow(mock.install, f"{server.url}/feed.xml")
    return server
