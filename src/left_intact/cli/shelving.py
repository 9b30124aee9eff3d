"""Commands that keep the shelf in order: forget, rename, move, history. Nothing of an install is touched."""

from __future__ import annotations

import click

from left_intact.cli.setting import AS_JSON, INSTALL_WORD, asked, bench, out, say

commands = click.Group()
"""Every command of this file."""


@commands.command("forget")
@INSTALL_WORD
@AS_JSON
def forget(install: str, as_json: bool) -> None:
    """Take an install off the shelf; nothing of it, nor its strongbox, is touched."""
    work = bench()
    target = work.shelf.known(install)
    box = work.shelf.forget(target)
    if as_json:
        out({"install": target.name, "root": target.root, "forgotten": True, "strongbox": box or None})
        return
    say(f"{target.name} is off the shelf; {target.root} was not touched")
    if box:
        say(f"its strongbox stays: {box}")


@commands.command("rename")
@INSTALL_WORD
@click.argument("name", metavar="NAME", help="what it is called from now on")
@AS_JSON
def rename(install: str, name: str, as_json: bool) -> None:
    """Call an install something else; its folder keeps its name."""
    work = bench()
    target = work.shelf.known(install)
    renamed = work.shelf.rename(target, name)
    if as_json:
        out({"install": renamed.name, "was": target.name, "root": renamed.root})
    else:
        say(f"{target.name} is called {renamed.name} now")


@commands.command("move")
@INSTALL_WORD
@click.argument("folder", metavar="DIR", help="where it lies now")
@AS_JSON
def move(install: str, folder: str, as_json: bool) -> None:
    """Say where an install lies now; moves nothing itself."""
    work = bench()
    target = work.shelf.known(install)
    moved = work.shelf.move(target, folder)
    if as_json:
        out({"install": moved.name, "was": target.root, "root": moved.root})
    else:
        say(f"{moved.name} is looked for at {moved.root} now (it was at {target.root})")


@commands.command("remains")
@INSTALL_WORD
@AS_JSON
def remains(install: str, as_json: bool) -> None:
    """What can still be had of an install whose folder is gone."""
    work = bench()
    target = work.shelf.known(install)
    found = work.keeping.remains(target)
    if as_json:
        out(
            {
                "install": target.name,
                "root": target.root,
                "classes": [
                    {"class": kind.value, "files": files, "held": held} for kind, files, held in found.classes
                ],
                "roots": [
                    {"label": label, "place": place, "there": there} for label, place, there in found.roots
                ],
                "left_behind": found.left_behind or None,
                "ghost": found.ghost or None,
            }
        )
        return
    say(f"{target.name}, last at {target.root}")
    for line in found.lines:
        say(f"  {line}")
    if found.held:
        say(f'\nTake what you need: left-intact strongbox "{target.name}" take PATH --to DIR')


@commands.command("history")
@INSTALL_WORD
@AS_JSON
def history(install: str, as_json: bool) -> None:
    """List the updates of an install: verdict, what each set aside, what is still kept."""
    work, target = asked(install)
    lines = work.updates.chronicle(target)
    if as_json:
        out(
            {
                "install": target.name,
                "updates": [
                    {
                        "update": line.id,
                        "kind": line.kind,
                        "began": line.began,
                        "from_version": line.from_version,
                        "to_version": line.to_version,
                        "state": line.state,
                        "verdict": line.verdict or None,
                        "set_aside": line.set_aside,
                        "kept": {"files": line.kept_files, "bytes": line.kept_bytes},
                    }
                    for line in lines
                ],
            }
        )
        return
    from left_intact.plain_text import history_text

    say(history_text(target.name, lines))
