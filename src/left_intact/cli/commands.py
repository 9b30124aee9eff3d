"""Every command. Names, exit codes and JSON are fixed by docs/commands.md."""

from __future__ import annotations

import os
import sys
import tomllib
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import click

from left_intact import plain_text
from left_intact.cli import helping, keeping, knowing, shelving, show, swapping
from left_intact.cli.setting import AS_JSON, INSTALL_WORD, asked, cancelling, say, setting, telling
from left_intact.cli.setting import bench as bench_of
from left_intact.cli.setting import out as _out
from left_intact.core.model.errors import PASSABLE, LeftIntactError, Misuse, reason_of
from left_intact.core.model.update import State
from left_intact.home import default_home
from left_intact.words import bearable, size
from left_intact.workbench import refuse_blocked

# What a command does not answer is not imported for it.
if TYPE_CHECKING:
    from left_intact.core.model.install import Install
    from left_intact.core.model.plan import Plan
    from left_intact.workbench import Outcome, Workbench


def _json() -> Any:
    """The shapes of docs/commands.md, imported where something is answered in them."""
    from left_intact.presentation import as_json

    return as_json


ARRIVAL_PATH = click.argument("arrival", metavar="ARRIVAL", help="a folder, an archive or one file")
BASELINE = click.option("--baseline", metavar="RELEASE", help="the release that the install came from")
SHEET = click.option("--sheet", metavar="FILE", help="a keepsheet: what is known about the program")
ROUTE_WORD = click.option("--route", metavar="R", help="in-place, …")
INTO = click.option("--into", metavar="DIR", help="the new folder, for the route side-by-side")
ANSWERS = click.option("--answers", metavar="FILE.toml", help="answers to the plan's questions")


def _drawing(command: Callable[..., None]) -> Callable[..., None]:
    """What a plan is drawn from, for the commands that draw one."""
    return INSTALL_WORD(ARRIVAL_PATH(_drawn_from(command)))


def _drawn_from(command: Callable[..., None]) -> Callable[..., None]:
    """The options of a plan."""
    for option in (SHEET, ANSWERS, INTO, ROUTE_WORD, BASELINE):
        command = option(command)
    return command


ALLOW = click.option(
    "--allow",
    multiple=True,
    metavar="CODE",
    type=click.Choice(PASSABLE),
    help=f"go past a blocker that may be passed: {', '.join(PASSABLE)}",
)
FIGURE = click.option("--figure", metavar="FILE", help="draw the composition, as .svg or .pdf")


@click.group(
    name="left-intact",
    invoke_without_command=True,
    help="Upgrades emulators, front ends, cores and modding tools, and leaves what is yours intact.",
)
@click.pass_context
@click.option("--home", metavar="DIR", help="where library and logs live")
@click.option("--version", is_flag=True, help="print the version")
@click.option(
    "--install-completion",
    metavar="SHELL",
    is_eager=True,
    expose_value=False,
    callback=helping.completion_wanted,
    help="complete commands, options and names in bash, zsh or fish",
)
def app(context: click.Context, home: str | None, version: bool) -> None:
    setting.home = home or os.environ.get("LEFT_INTACT_HOME") or default_home()
    if version:
        from left_intact import __version__

        say(f"left-intact {__version__}")
        raise click.exceptions.Exit(0)
    if context.invoked_subcommand is None:
        from left_intact.tui.app import open_application

        raise click.exceptions.Exit(open_application(setting.home))


@app.command("shelf")
@AS_JSON
def shelf(as_json: bool) -> None:
    """List the installs."""
    rows = bench_of().shelf.rows()
    if as_json:
        _out({"installs": [show.shelf_json(row) for row in rows]})
    else:
        say(plain_text.shelf_text(rows))


@app.command("survey")
@INSTALL_WORD
@BASELINE
@SHEET
@FIGURE
@AS_JSON
def survey(install: str, baseline: str | None, sheet: str | None, figure: str | None, as_json: bool) -> None:
    """Read an install and say what every file is; changes nothing."""
    bench = bench_of()
    target = bench.shelf.find(install)
    with telling() as report:
        found = bench.surveys.survey(target, baseline=baseline, sheet=sheet, report=report)
    if figure:
        from left_intact.charts.registry import draw
        from left_intact.charts.subject import Subject

        draw(Subject(bench=bench, install=target, survey=found), "composition", figure)
    if as_json:
        _out(_json().survey_json(found))
    else:
        say(plain_text.survey_text(found))


@app.command("draw")
@INSTALL_WORD
@click.argument("figure")
@click.argument("file")
@click.option("--by", type=click.Choice(["bytes", "files"]), default="bytes", help="what areas are true to")
@click.option("--update", "number", type=int, metavar="N", help="the crossing of that run, not of what waits")
def draw(install: str, figure: str, file: str, by: str, number: int | None) -> None:
    """Draw a figure to FILE, which ends in .svg or .pdf: composition, crossing, history, proof, shelf."""
    from left_intact.charts.registry import draw
    from left_intact.charts.subject import Subject

    bench = bench_of()
    path = draw(Subject(bench=bench, install=bench.shelf.find(install), unit=by, number=number), figure, file)
    say(f"{path}, {size(os.path.getsize(path))}")


@app.command("report")
@INSTALL_WORD
@click.argument("file")
@click.option(
    "--update", "number", type=int, metavar="N", help="the run of that number; the last one as a rule"
)
def report(install: str, file: str, number: int | None) -> None:
    """Write the account of one update to FILE, which ends in .pdf or .json, to be kept for years."""
    from left_intact.charts.report import write_report

    bench = bench_of()
    path = write_report(bench.accounts.of(bench.shelf.find(install), number), file)
    say(f"{path}, {size(os.path.getsize(path))}")


@app.command("plan")
@_drawing
@click.option("-v", "--verbose", is_flag=True, help="name every path, those that stay too")
@AS_JSON
def plan(install: str, arrival: str, answers: str | None, verbose: bool, as_json: bool, **how: Any) -> None:
    """Draw up the plan of an update; changes nothing. Exits with 3 where something stands against it, with 1
    where questions are open.
    """
    bench = bench_of()
    target = bench.shelf.find(install)
    with telling() as report:
        draft = bench.updates.draft(target, arrival, report=report, **how)
    drawn = draft.plan(_read_answers(answers))
    if as_json:
        _out(_json().plan_json(drawn))
    else:
        say(plain_text.plan_text(drawn, every=verbose))
    _exit_if_blocked(drawn)
    if drawn.open_questions:
        number = len(drawn.open_questions)
        are = "question is" if number == 1 else "questions are"
        say(f"left-intact: {number} {are} open; answer with --answers FILE.toml", err=True)
        raise click.exceptions.Exit(1)


def _exit_if_blocked(drawn: Plan) -> None:
    if drawn.blockers:
        first, more = drawn.blockers[0], len(drawn.blockers) - 1
        rest = f", and {more} more" if more else ""
        says = LeftIntactError(first.code, f"{first.says}{rest}", way_out=first.way_out).line()
        say(f"left-intact: it cannot be carried out: {says}", err=True)
        raise click.exceptions.Exit(3)


@app.command("update")
@click.argument("install", required=False, metavar="[INSTALL]", help="a registered name, or a path")
@click.argument("arrival", required=False, metavar="[ARRIVAL]", help="what came; without it, what waits")
@_drawn_from
@ALLOW
@click.option("--yes", is_flag=True, help="let the defaults answer open questions")
@click.option("--all", "every", is_flag=True, help="lay what waits for every install without open questions")
@click.option("--picture", metavar="FILE", default="", help="a scene before, to hold against one after")
@AS_JSON
def update(
    install: str | None,
    arrival: str | None,
    answers: str | None,
    allow: tuple[str, ...],
    yes: bool,
    every: bool,
    picture: str,
    as_json: bool,
    **how: Any,
) -> None:
    """Carry the plan out, then prove it."""
    bench = bench_of()
    if every:
        if install or answers or allow or yes:
            way = "Leave out the rest, or --all."
            raise Misuse("all-or-one", "--all takes no install, answers or permissions", way_out=way)
        _update_all(bench, as_json)
        return
    if install is None:
        raise click.UsageError("Missing argument 'INSTALL'.")
    target = bench.shelf.find(install)
    picture, comes = _picture(picture), arrival or bench.shelf.waiting(target)
    if comes is None:
        way = "Name the build to lay, or fetch one: left-intact news."
        raise LeftIntactError("nothing-waits-for-it", f"nothing waits for {target.name}", way_out=way)
    with telling() as report:
        draft = bench.updates.draft(target, comes, report=report, **how)
    given = _read_answers(answers)
    drawn = draft.plan(given)
    refuse_blocked(drawn, allow)
    if drawn.open_questions and not yes:
        _print_questions(drawn, as_json)
        raise click.exceptions.Exit(1)
    # Answering one question may open none other, but the plan says so, not we.
    while drawn.open_questions:
        given |= {q.id: q.default for q in drawn.open_questions}
        drawn = draft.plan(given)
    with cancelling() as cancel:
        outcome = bench.updates.update(drawn, target, allowed=allow, picture=picture, cancel=cancel)
    _finish_with_proof(target, outcome, as_json)


def _update_all(bench: Workbench, as_json: bool) -> None:
    """One after the other; the first that is not intact, or that cannot be carried out, ends it."""
    laid: list[dict[str, Any]] = []
    left: list[dict[str, Any]] = []
    stopped = ""
    for row in bench.shelf.rows():
        if row.waiting is None:
            continue
        name, (path, version) = row.install.name, row.waiting
        try:
            outcome, why = _lay_what_waits(bench, row.install, path)
        except LeftIntactError as error:
            outcome, why = None, error.line()
        if outcome is None or outcome.waits:
            left.append({"install": name, "version": version, "because": why or "it waits for you"})
            continue
        laid.append({"install": name, "version": version, "verdict": outcome.proof.verdict.value})
        if outcome.proof.verdict != "intact":
            stopped = name
            break
    if as_json:
        _out({"updated": laid, "left": left, "stopped_at": stopped or None})
    else:
        lines = [f"{one['verdict'].upper():10} {one['install']} {one['version']}" for one in laid]
        lines += [f"{'left':10} {one['install']} {one['version']}: {one['because']}" for one in left]
        say("\n".join(lines) or "nothing waits for any install")
    if stopped:
        say(f"left-intact: stopped at {stopped}, which is not intact. See left-intact prove.", err=True)
    if stopped or left:
        raise click.exceptions.Exit(1)


def _lay_what_waits(bench: Workbench, install: Install, path: str) -> tuple[Outcome | None, str]:
    """(the outcome, or why it was left)."""
    drawn = bench.updates.draft(install, path).plan()
    if drawn.blockers:
        return None, drawn.blockers[0].says
    if drawn.open_questions:
        number = len(drawn.open_questions)
        return None, "1 question is open" if number == 1 else f"{number} questions are open"
    with cancelling() as cancel:
        return bench.updates.update(drawn, install, cancel=cancel), ""


def _picture(path: str) -> str:
    """The whole path of a picture that was given. Raises `no-picture`."""
    if path and not os.path.isfile(path):
        raise Misuse("no-picture", "there is no such picture", path=path, way_out="Give a file, or none.")
    return os.path.abspath(path) if path else ""


def _print_questions(drawn: Plan, as_json: bool) -> None:
    if as_json:
        _out(_json().plan_json(drawn))
    else:
        say(plain_text.questions_text(drawn))
    say(
        "left-intact: questions are open; answer them with --answers FILE.toml, or take the "
        "defaults with --yes",
        err=True,
    )


def _finish_with_proof(install: Install, outcome: Outcome, as_json: bool) -> None:
    if outcome.waits:
        if as_json:
            _out(show.waits_said(outcome.update))
        else:
            say(show.waits_text(install, outcome.update))
        raise click.exceptions.Exit(1)
    if as_json:
        _out({**_json().proof_json(outcome.proof), "notes": list(outcome.update.notes)})
    else:
        say(plain_text.proof_text(install, outcome))
    if outcome.proof.verdict != "intact":
        raise click.exceptions.Exit(1)


@app.command("prove")
@INSTALL_WORD
@click.option("--deep", is_flag=True, help="read every byte, also of installs of more than 8 GB")
@AS_JSON
def prove(install: str, deep: bool, as_json: bool) -> None:
    """Compare the disk with the witness of the last update."""
    bench, target = asked(install)
    with telling() as report:
        outcome = bench.updates.prove(target, report, deep=deep)
    _finish_with_proof(target, outcome, as_json)


@app.command("go-back")
@INSTALL_WORD
@click.option("--update", type=int, metavar="N", help="a named update of its history, not the last")
@click.option("--plan", is_flag=True, help="only show what would happen")
@click.option("--yes", is_flag=True, help="go back though not all of it can be put back")
@ANSWERS
@AS_JSON
def go_back(
    install: str, update: int | None, plan: bool, yes: bool, answers: str | None, as_json: bool
) -> None:
    """Undo the last update, or a named one, byte for byte; then prove it."""
    bench, target = asked(install, changes=not plan)
    drawn = bench.updates.back.draw(target, number=update, answers=_read_answers(answers))
    if plan:
        if as_json:
            _out(_json().plan_json(drawn))
        else:
            say(plain_text.plan_text(drawn))
        _exit_if_blocked(drawn)
        return
    refuse_blocked(drawn, ())
    if drawn.warnings and not yes:
        first = drawn.warnings[0]
        way = f"{first.way_out} To go back all the same: --yes."
        raise LeftIntactError(first.code, first.says, way_out=way)
    with cancelling() as cancel, telling() as report:
        back = bench.updates.back.go(target, report, plan=drawn, cancel=cancel)
    if as_json:
        _out(show.back_json(target, back))
    else:
        say(show.back_text(target, back))
    if back.waits is not None or back.missing or (back.proof is not None and back.proof.verdict != "intact"):
        raise click.exceptions.Exit(1)


@app.command("go-on")
@INSTALL_WORD
@click.option("--done", default="", metavar="STEP", help="say that a step was done that cannot be seen")
@click.option("--skip", default="", metavar="STEP", help="leave a step out that may be left out")
@click.option("--run", default="", metavar="STEP", help="run the command of a step, now and at later updates")
@ANSWERS
@AS_JSON
def go_on(install: str, done: str, skip: str, run: str, answers: str | None, as_json: bool) -> None:
    """Take up an update that waits: look whether the step was done, then carry on."""
    if sum(map(bool, (done, skip, run))) > 1:
        says = "--done, --skip and --run exclude each other"
        raise Misuse("done-and-skip", says, way_out="Give one of them.")
    bench = bench_of()
    target = bench.shelf.find(install)
    with cancelling() as cancel:
        outcome = bench.updates.go_on(
            target, done=done, skip=skip, run=run, answers=_read_answers(answers), cancel=cancel
        )
    _finish_with_proof(target, outcome, as_json)


@app.command("give-up")
@INSTALL_WORD
@AS_JSON
def give_up(install: str, as_json: bool) -> None:
    """End a waiting update where it stands; what is in force stays on trial."""
    bench = bench_of()
    target = bench.shelf.find(install)
    ended = bench.updates.give_up(target)
    if as_json:
        _out({"install": target.name, "state": ended.state.value, "to_version": ended.to_version})
    else:
        say(show.given_up_text(target, ended))


@app.command("settle")
@INSTALL_WORD
@click.option("--yes", is_flag=True, help="settle though the proof says that something is not well")
@click.option("--free-old", is_flag=True, help="let go of the folder that was left behind, too")
@AS_JSON
def settle(install: str, yes: bool, free_old: bool, as_json: bool) -> None:
    """Confirm the last update and free the program's old files."""
    bench = bench_of()
    target = bench.shelf.find(install)
    wrong = bench.updates.not_well(target)
    if wrong and not yes:
        if as_json:
            _out({"install": target.name, "settled": False, "not_well": list(wrong)})
        else:
            say(show.not_well_text(target, wrong))
        raise click.exceptions.Exit(1)
    old = bench.updates.old_folder(target) if free_old else ""
    with cancelling() as cancel, telling() as report:
        done = bench.updates.settle(target, free_old=free_old, all_the_same=yes, report=report, cancel=cancel)
    if as_json:
        _out(
            {
                "install": target.name,
                "version": done.update.to_version,
                "freed": done.freed,
                "held": done.held,
                **({"let_go_of": old} if old else {}),
            }
        )
    else:
        say(show.settled_text(target, done))


@app.command("recover")
@click.option("--forward", is_flag=True, help="complete the update")
@click.option("--back", is_flag=True, help="put everything back")
@AS_JSON
def recover(forward: bool, back: bool, as_json: bool) -> None:
    """End an update that was interrupted."""
    if forward and back:
        raise Misuse("both-ways", "--forward and --back exclude each other", way_out="Give one of them.")
    bench = bench_of()
    direction = True if forward else False if back else None
    done, failed = [], list(bench.shelf.troubled())
    for install, _ in bench.shelf.interrupted():
        try:
            done.append((install, bench.updates.recover(install, direction)))
        except LeftIntactError as error:
            failed.append((install, error))
    if as_json:
        _out(show.recovered_json(done, failed))
    else:
        say(show.recovered_text(done))
    for install, trouble in failed:
        _say(f"{install.name}: {trouble.line()}")
    if failed:
        raise click.exceptions.Exit(max(trouble.exit_code for _, trouble in failed))
    if any(update.missing or update.state is State.WAITING for _, update in done):
        raise click.exceptions.Exit(1)


@app.command("demo")
@click.option("--dir", "folder", metavar="DIR", help="where the demo is built")
@click.option("--unattended", is_flag=True, help="run the whole example and print it")
@click.option("--fault", default="", help="faults of the demo's outlet: drop=N, wrong, slow, stale")
@click.option("--fresh", is_flag=True, help="build it anew instead of going on where it was left")
@AS_JSON
def demo(folder: str | None, unattended: bool, fault: str, fresh: bool, as_json: bool) -> None:
    """Build the Pier Room and open it, or run the full example."""
    from left_intact.demo.build import build_demo, default_folder

    room = build_demo(folder or default_folder(), fresh=fresh or unattended)
    if unattended:
        from left_intact.demo.unattended import run_unattended

        raise click.exceptions.Exit(run_unattended(room, as_json=as_json))
    from left_intact.demo.build import open_outlet
    from left_intact.tui.app import open_application

    server = open_outlet(room, fault)
    try:
        raise click.exceptions.Exit(open_application(room.home, subtitle="the Pier Room"))
    finally:
        server.shutdown()


@app.command("follow")
@INSTALL_WORD
@click.argument("place", metavar="PLACE", help="the address of an Atom feed, or a folder of downloads")
@click.option("--stop", is_flag=True, help="follow it no longer")
@AS_JSON
def follow(install: str, place: str, stop: bool, as_json: bool) -> None:
    """Follow a place where releases appear."""
    bench = bench_of()
    target = bench.shelf.find(install)
    (bench.outlets.unfollow if stop else bench.outlets.follow)(target, place)
    outlets = [outlet.place for outlet in bench.outlets.news(target).outlets]
    if as_json:
        _out({"install": target.name, "outlets": outlets})
    else:
        say(f"{target.name} follows: {', '.join(outlets) or 'nothing'}")


@app.command("news")
@click.argument("install", required=False, metavar="[INSTALL]", help="one install; all of them without")
@click.option("--check", is_flag=True, help="ask the outlets now")
@AS_JSON
def news(install: str | None, check: bool, as_json: bool) -> None:
    """What is newer, and whether it has anything for you."""
    bench = bench_of()
    chosen = [bench.shelf.known(install)] if install else bench.shelf.installs()
    found = bench.outlets.look_for_news(chosen) if check else [bench.outlets.news(one) for one in chosen]
    if as_json:
        _out({"installs": [show.news_json(one) for one in found]})
    else:
        say(show.news_text(found))
    silent = [outlet for one in found for outlet in one.outlets if outlet.trouble] if check else []
    if silent:
        more = f", and {len(silent) - 1} more" if len(silent) > 1 else ""
        why = f"{silent[0].place} could not be asked ({silent[0].trouble}){more}"
        say(f"left-intact: {why}. Check the address, or try again; the rest is up to date.", err=True)
        raise click.exceptions.Exit(1)


_BEYOND = "nothing beyond this; without it, nothing newer"


@app.command("hold")
@INSTALL_WORD
@click.argument("beyond", required=False, default="", metavar="[VERSION]", help=_BEYOND)
@click.option("--reason", default="", help="why")
@click.option("--until", default="", metavar="VERSION", help="from this version on the hold is over")
@click.option("--off", is_flag=True, help="hold it no longer")
@AS_JSON
def hold(install: str, beyond: str, reason: str, until: str, off: bool, as_json: bool) -> None:
    """Hold an install back on purpose."""
    bench = bench_of()
    target = bench.shelf.find(install)
    if off:
        bench.outlets.release_hold(target)
    else:
        bench.outlets.hold(target, beyond, reason, until)
    kept = bench.outlets.held(target)
    if as_json:
        said = {"beyond": kept.beyond, "reason": kept.reason, "until": kept.until} if kept else None
        _out({"install": target.name, "hold": said})
    else:
        say(f"{target.name} is {'held' if kept else 'not held'}")


@app.command("fetch")
@INSTALL_WORD
@click.argument(
    "version", required=False, default="", metavar="[VERSION]", help="the newest that fits, without it"
)
@AS_JSON
def fetch(install: str, version: str, as_json: bool) -> None:
    """Fetch a release that an outlet offers; it then waits for its install."""
    bench = bench_of()
    target = bench.shelf.find(install)
    got = bench.outlets.fetch(target, bench.outlets.offer_of(target, version))
    if as_json:
        _out({"install": target.name, "path": got.path, "sha256": got.digest, "says": list(got.says)})
    else:
        say(f"{got.path}\n" + "\n".join(f"  {line}" for line in got.says))


@app.command("pack")
@INSTALL_WORD
@click.argument("place", metavar="PACK", help="a zip of changed content: a path, or an address")
@click.option("--lay", is_flag=True, help="fetch your share and lay it")
@click.option("--with-lacking", "lacking", is_flag=True, help="take also what you do not own")
@AS_JSON
def pack(install: str, place: str, lay: bool, lacking: bool, as_json: bool) -> None:
    """See what of a content pack is yours, and lay only that."""
    bench = bench_of()
    target = bench.shelf.find(install)
    found = bench.surveys.survey(target)
    view = bench.outlets.pack(target, place, found)
    if not lay:
        if as_json:
            _out(show.pack_json(view))
        else:
            say(show.pack_text(view))
        return
    extra = [line.member for line in view.of("lacking")] if lacking else []
    drawn = bench.outlets.pack_plan(target, view, found, with_lacking=extra)
    refuse_blocked(drawn, [])
    _finish_with_proof(target, bench.updates.update(drawn, target), as_json)


app.add_command(keeping.strongbox)
app.add_command(swapping.parts)
for _command in (*knowing.commands.commands.values(), *shelving.commands.commands.values()):
    app.add_command(_command)


@app.group("standin")
def standin() -> None:
    """The outside world in small, for the demo and for tests."""


@standin.command("outlet")
@click.argument("folder", metavar="DIR", help="files and an outlet.json")
@click.option("--port", default=0, type=int, help="0 takes a free one")
@click.option("--fault", default="", help="drop=N, wrong, slow, stale, hang, drip …; with commas between")
def standin_outlet(folder: str, port: int, fault: str) -> None:
    """Serve a folder on loopback with a feed, ranges and checksums, until Ctrl-C."""
    from left_intact.standins.outlet import OutletServer

    try:
        server = OutletServer(folder, port, fault)
    except ValueError as error:
        raise Misuse("no-fault", str(error), way_out="Faults: drop=N, wrong, slow, stale.") from error
    say(f"{server.url}/feed.xml")
    sys.stdout.flush()
    server.serve_forever()


@standin.command("handheld")
@click.argument("folder", metavar="DIR", help="the device")
@click.argument("does", type=click.Choice(["lay", "remove", "start", "grant", "clear"]), help="what it does")
@click.argument("what", metavar="PACKAGE|PROGRAM", help="a package for lay, else the name of a program")
@click.option("--leaves-ghost", is_flag=True, help="removing leaves something that is not to be seen")
def standin_handheld(folder: str, does: str, what: str, leaves_ghost: bool) -> None:
    """Do on the stand-in handheld what a person does on a real one."""
    from left_intact.standins.handheld import Handheld

    device = Handheld(os.path.abspath(folder))
    match does:
        case "lay":
            card = device.lay(what)
            say(f"{card.program} {card.version} is on the handheld")
        case "remove":
            device.remove(what, leaves_ghost=leaves_ghost)
            say(f"{what} is gone, and its data with it")
        case "start":
            say(device.start(what).strip())
        case "grant":
            device.grant(what)
            say(f"{what} may use the card")
        case _:
            device.clear_ghost(what)
            say(f"nothing of a former {what} is left")


helping.give_examples(app)


def _read_answers(path: str | None) -> dict[str, str]:
    if path is None:
        return {}
    try:
        with open(path, "rb") as file:
            said = tomllib.load(file)
    except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        reason = reason_of(error) if isinstance(error, OSError) else str(error)
        raise Misuse(
            "bad-answers", f"the answers cannot be read ({reason})", path=path, way_out="Mend them."
        ) from error
    table = said.get("answers")
    if not isinstance(table, dict) or not all(isinstance(value, str) for value in table.values()):
        raise Misuse(
            "bad-answers",
            'the answers need a table [answers] of question-id = "option"',
            path=path,
            way_out="Mend them.",
        )
    return dict(table)


def run(words: list[str]) -> int:
    """Run a command line; every error becomes one line and an exit code."""
    try:
        result = app(args=words, prog_name="left-intact", standalone_mode=False)
    except LeftIntactError as error:
        _say(error.line())
        return error.exit_code
    except click.exceptions.Exit as error:
        return error.exit_code
    except (KeyboardInterrupt, click.Abort):
        _say("stopped. If an update was under way, end it with: left-intact recover")
        return 1
    except BrokenPipeError:
        sys.stderr.close()
        return 0
    except OSError as error:
        reason = reason_of(error)
        where = error.filename or setting.home
        _say(f"the disk refused ({reason}): {where}. No install is left half done; mend that and try again.")
        return 3
    except click.ClickException as error:
        _say(f"{error.format_message().rstrip('.')}. See left-intact --help.")
        return 2
    except Exception as error:  # noqa: BLE001 (a fault of ours, whatever it is)
        return _own_fault(error)
    return result if isinstance(result, int) else 0


def _own_fault(error: Exception) -> int:
    """Write a fault of ours down and say so in one line."""
    import traceback

    from left_intact.fault_log import write_fault

    path = write_fault(setting.home, "".join(traceback.format_exception(error)))
    _say(f"a fault of ours: no install was left half done. It is written down in {path}")
    return 3


def _say(line: str) -> None:
    print(bearable(f"left-intact: {line}"), file=sys.stderr)  # what it names may be anybody's
