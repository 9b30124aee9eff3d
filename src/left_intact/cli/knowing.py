"""Commands of knowing a program: rulings, keepsheets, watched runs, baselines, other roots, finding
installs.
"""

from __future__ import annotations

import json
import os
from typing import Any

import click

from left_intact.cli.setting import AS_JSON, INSTALL_WORD, asked, bench, out, say
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.pattern import exactly
from left_intact.core.model.place import from_words
from left_intact.words import NO_VERSION, count
from left_intact.workbench import patterns_in, sheet_schema

commands = click.Group()
"""Every command of this file."""


@commands.command("rule")
@INSTALL_WORD
@click.argument("pattern", metavar="PATTERN", help="a path, a folder/ or a pattern such as *.sav")
@click.argument(
    "kind",
    required=False,
    default="",
    metavar="[CLASS]",
    help="what it is; without it, with --undo, taken back",
)
@click.option("--preview", is_flag=True, help="say what it would change, and change nothing")
@click.option("--undo", is_flag=True, help="take the ruling back")
@AS_JSON
def rule(install: str, pattern: str, kind: str, preview: bool, undo: bool, as_json: bool) -> None:
    """Say what a path, a folder or a pattern is; it holds for all versions to come."""
    work = bench()
    target = work.shelf.find(install)
    if undo:
        work.surveys.unrule(target, pattern)
        _say_ruled(
            as_json, {"install": target.name, "pattern": pattern, "class": None}, f"taken back: {pattern}"
        )
        return
    wanted = _class(kind)
    survey = work.surveys.survey(target)
    if survey.findings.find(from_words(pattern, [label for label, _ in survey.roots])) is not None:
        pattern = exactly(pattern)  # it is the path of a file, whatever signs are in its name
    seen = work.surveys.preview(survey, pattern, wanted)
    if not preview:
        work.surveys.rule(target, pattern, wanted)
    said = {
        "install": target.name,
        "pattern": pattern,
        "class": wanted.value,
        "meets": seen.meets,
        "changes": seen.changes,
        "ruled": not preview,
    }
    verb = "would change" if preview else "changes"
    lines = [f"{pattern} is {wanted}: speaks of {count(seen.meets, 'file')}, {verb} {seen.changes:,}"]
    lines += [f"  {path}" for path in seen.examples] + (["  …"] if seen.changes > len(seen.examples) else [])
    _say_ruled(as_json, said, "\n".join(lines))


def _say_ruled(as_json: bool, said: dict[str, Any], text: str) -> None:
    if as_json:
        out(said)
    else:
        say(text)


def _class(word: str) -> FileClass:
    try:
        return FileClass(word)
    except ValueError as error:
        known = ", ".join(c.value for c in FileClass if c is not FileClass.UNSORTED)
        raise Misuse(
            "no-class",
            f"{word!r} is no class" if word else "a class is missing",
            way_out=f"Classes: {known}.",
        ) from error


@commands.command("rulings")
@INSTALL_WORD
@AS_JSON
def rulings(install: str, as_json: bool) -> None:
    """List what you said about an install."""
    work, target = asked(install)
    found = work.surveys.rulings(target)
    if as_json:
        out(
            {
                "install": target.name,
                "rulings": [{"pattern": r.pattern, "class": r.file_class.value} for r in found],
            }
        )
    else:
        say(
            "\n".join(f"{r.file_class.value:10} {r.pattern}" for r in found) or f"no rulings on {target.name}"
        )


@commands.command("version")
@INSTALL_WORD
@click.argument("text", required=False, default="", metavar="[TEXT]", help="what the program itself shows")
@click.option("--forget", is_flag=True, help="let what the files say count again")
@AS_JSON
def version(install: str, text: str, forget: bool, as_json: bool) -> None:
    """Say the version and where it was read, or note what you read in the program itself."""
    work, target = asked(install, changes=text or forget)
    if forget:
        work.surveys.drop_version_read(target)
    if text:
        work.surveys.note_version_read(target, text)
    reading, noted = work.surveys.survey(target).reading, work.surveys.version_read(target)
    if as_json:
        read = {"text": noted.text, "when": noted.when} if noted is not None else None
        out(
            {
                "text": reading.text if reading is not None else None,
                "source": reading.source if reading is not None else None,
                "read": read,
            }
        )
    elif reading is None:
        way = f"note what it shows: left-intact version {target.name} TEXT"
        say(f"{target.name}: its version is {NO_VERSION}; {way}")
    else:
        say(f"{target.name} {reading.text}, {reading.read_from}")


@commands.command("look-at")
@INSTALL_WORD
@click.option("--add", "add", multiple=True, metavar="WORDS", help="a line to tick after every update of it")
@click.option("--drop", "drop", multiple=True, metavar="WORDS", help="a line that is not wanted any more")
@AS_JSON
def look_at(install: str, add: tuple[str, ...], drop: tuple[str, ...], as_json: bool) -> None:
    """List, add to or take from what you want to tick after every update of a program."""
    work, target = asked(install, changes=add or drop)
    lines = list(work.updates.look_at(target))
    for words in drop:
        if words not in lines:
            raise LeftIntactError("no-such-line", f"no line says {words!r}", way_out="See look-at for all.")
        lines.remove(words)
    if add or drop:
        work.updates.set_look_at(target, [*lines, *add])
        lines = list(work.updates.look_at(target))
    if as_json:
        out({"install": target.name, "look_at": lines})
    else:
        say("\n".join(lines) or f"nothing of your own to tick for {target.name} yet; --add WORDS")


@commands.command("sheet")
@click.argument("install", required=False, metavar="[INSTALL]", help="a registered name, or a path")
@click.option("--export", "to", metavar="FILE", help="write it to a file")
@click.option("--import", "take", metavar="FILE", help="make this its keepsheet")
@click.option("--merge", metavar="FILE", help="add what this one knows")
@click.option("--edit", is_flag=True, help="open it in your editor")
@click.option("--check", metavar="FILE", help="see whether a file is a keepsheet")
@click.option("--schema", is_flag=True, help="print the JSON Schema of keepsheets")
@AS_JSON
def sheet(
    install: str | None,
    to: str | None,
    take: str | None,
    merge: str | None,
    edit: bool,
    check: str | None,
    schema: bool,
    as_json: bool,
) -> None:
    """Show, edit, export, import or merge what is known about a program."""
    if schema:
        click.echo(json.dumps(sheet_schema(), indent=1))
        return
    if check:
        say(f"{check} is a keepsheet: {count(patterns_in(check), 'pattern')}")
        return
    if install is None:
        raise Misuse(
            "no-install-named", "an install is missing", way_out="Name one, or use --check or --schema."
        )
    work = bench()
    target = work.shelf.find(install)
    differ: list[str] = []
    if take or merge:
        differ = work.surveys.import_sheet(target, take or merge or "", merge=merge is not None)
    if edit:
        text = click.edit(work.surveys.sheet_text(target), extension=".toml")
        if text is not None:
            work.surveys.take_edited(target, text)
    written = work.surveys.export_sheet(target, to) if to else ""
    text = work.surveys.sheet_text(target)
    if as_json:
        out({"install": target.name, "sheet": text, "differ": differ, "written": written or None})
        return
    for line in differ:
        say(f"differs, yours stays: {line}", err=True)
    say(written or text.rstrip())


@commands.command("watch")
@INSTALL_WORD
@click.argument("command", nargs=-1, metavar="[-- COMMAND]", help="started here, in its folder")
@AS_JSON
def watch(install: str, command: tuple[str, ...], as_json: bool) -> None:
    """Watch one run of a program: what it makes and changes becomes evidence."""
    work = bench()
    target = work.shelf.find(install)

    def wait() -> None:
        say(f"Start {target.name}, do something, quit it; then press Enter here.", err=True)
        try:
            input()
        except EOFError:
            return

    run = work.surveys.watch(target, command=command or (), wait=wait)
    stubs = [f.at for f in work.surveys.stubs(target, work.surveys.survey(target))]
    proof = work.updates.prove(target).proof if work.records.on_trial(target) else None
    if as_json:
        out(
            {
                "install": target.name,
                "verdict": proof.verdict.value if proof else None,
                "things": [check.says for check in proof.checks if check.name == "things"] if proof else [],
                "made": [at.shown for at in run.made],
                "changed": [at.shown for at in run.changed],
                "gone": [at.shown for at in run.gone],
                "folders": [at.shown for at in run.new_folders],
                "stubs": [at.shown for at in stubs],
                "seconds": round(run.seconds, 2),
                "status": run.status,
            }
        )
        return
    say(f"{count(len(run.made), 'file')} made, {len(run.changed):,} changed, {len(run.gone):,} gone")
    for word, places in (("made", run.made), ("changed", run.changed), ("gone", run.gone)):
        for at in places[:20]:
            say(f"  {word:8} {at.shown}" + ("   a stub so far" if word == "made" and at in stubs else ""))
        if len(places) > 20:
            say(f"  {word:8} … and {len(places) - 20:,} more")
    if proof is not None:
        things = next((check for check in proof.checks if check.name == "things"), None)
        say(f"on trial: the proof now says {proof.verdict}" + (f"; {things.says}" if things else ""))


@commands.command("baseline")
@INSTALL_WORD
@click.argument("release", required=False, metavar="[RELEASE]", help="the release it came from")
@click.option("--infer", is_flag=True, help="look for it among old archives")
@click.option("--in", "look_in", multiple=True, metavar="PLACE", help="a folder or archive to look in")
@click.option("--take", is_flag=True, help="put the likest on record, if it fits")
@AS_JSON
def baseline(
    install: str, release: str | None, infer: bool, look_in: tuple[str, ...], take: bool, as_json: bool
) -> None:
    """Say which release an install came from, or find out."""
    work = bench()
    target = work.shelf.find(install)
    if not (infer or look_in or take):
        if release is None:
            raise Misuse(
                "no-release", "a release is missing", way_out="Name one, or look for it with --infer."
            )
        taken = work.surveys.set_baseline(target, release)
        _say_ruled(
            as_json, {"install": target.name, "baseline": taken.version_text}, f"on record: {taken.name}"
        )
        return
    found = work.surveys.infer_baseline(target, [*(look_in or []), *([release] if release else [])])
    best = found[0] if found and found[0].fits else None
    if take:
        if best is None:
            raise LeftIntactError(
                "no-baseline",
                f"no release was found that {target.name} came from",
                way_out="Point at one with --in PLACE.",
            )
        work.surveys.adopt_baseline(target, best.release)
    if as_json:
        rows = [
            {
                "path": f.path,
                "version": f.release.version_text,
                "equal": f.equal,
                "shipped": f.shipped,
                "fits": f.fits,
            }
            for f in found
        ]
        out({"install": target.name, "candidates": rows, "taken": best.path if take and best else None})
    else:
        for one in found:
            say(f"{'fits ' if one.fits else 'no   '} {one.path}   {one.says}")
    if best is None:
        many = f"none of the {len(found)} that were found is" if found else "nothing was found that could be"
        say(f"left-intact: {many} what {target.name} came from. Look elsewhere with --in PLACE.", err=True)
        raise click.exceptions.Exit(1)
    if take and not as_json:
        say(f"on record: {best.path}")


@commands.command("roots")
@INSTALL_WORD
@click.option("--find", is_flag=True, help="look for folders elsewhere that are its own")
@click.option("--add", metavar="DIR", help="take this folder up")
@click.option(
    "--label", default="own", metavar="NAME", help="settings, saves, states, content, extras, cache, own"
)
@click.option("--drop", metavar="NAME", help="let go of a root; its files stay")
@AS_JSON
def roots(install: str, find: bool, add: str | None, label: str, drop: str | None, as_json: bool) -> None:
    """The folders of an install: its own, and those elsewhere that belong to it."""
    work, target = asked(install, changes=add or drop)
    if add:
        work.surveys.add_root(target, label, add)
    if drop:
        work.surveys.drop_root(target, drop)
    known = work.surveys.roots(target)
    found = work.surveys.find_roots(target) if find else []
    if as_json:
        rows = [{"label": f.label, "place": f.place, "why": f.why, "files": f.files} for f in found]
        out(
            {
                "install": target.name,
                "root": target.root,
                "roots": [{"label": n, "place": p} for n, p in known],
                "found": rows,
            }
        )
        return
    say("\n".join([f"{'':10} {target.root}", *(f"{name:10} {place}" for name, place in known)]))
    for one in found:
        say(f"found: {one.place}   {one.why}; {count(one.files, 'file')}")
        say(f"       left-intact roots {target.name!r} --add {one.place!r} --label {one.label}")


@commands.command("find")
@click.argument("place", metavar="DIR", help="a disk, a home folder, anything")
@click.option("--take", is_flag=True, help="put all that are found on the shelf")
@click.option("--for", "arrival", metavar="ARRIVAL", help="what came: those that hold most of it first")
@AS_JSON
def find(place: str, take: bool, arrival: str | None, as_json: bool) -> None:
    """Find what looks like an install below a folder, or which of many something that came is for."""
    work = bench()
    found = work.shelf.find_installs(place, like=work.surveys.programs_paths(arrival) if arrival else ())
    taken = [work.shelf.take_up(one).name for one in found if not one.known] if take else []
    if as_json:
        rows = [
            {
                "path": c.path,
                "name": c.name,
                "role": c.role,
                "version": c.version,
                "score": c.score,
                "why": list(c.why),
                "known": c.known,
                **({"share": c.share, "used": c.used} if arrival else {}),
            }
            for c in found
        ]
        out({"candidates": rows, "taken": taken})
        return
    for one in found:
        on = ", on the shelf" if one.known else ""
        say(
            f"{one.path}\n  {one.name} {one.version}".rstrip()
            + f": probably {article(one.role)}{on}; {'; '.join(one.why)}"
        )
    if not found:
        looks = "holds anything of what came" if arrival else "looks like an install"
        say(f"nothing in {os.path.abspath(place)} {looks}")
    if taken:
        say(f"on the shelf now: {', '.join(taken)}")


def article(word: str) -> str:
    return f"an {word}" if word[:1] in "aeiou" else f"a {word}"
