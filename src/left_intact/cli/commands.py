"""Every command. Names, exit codes and JSON are fixed by docs/commands.md."""

from __future__ import annotations

import os
import sys
import tomllib
from collections.abc import Callable
from typing import TYPE_CHECKING, Annotated, Any

import typer

from left_intact.cli import knowing, show
from left_intact.cli.setting import AsJson, InstallWord, cancelling, setting
from left_intact.cli.setting import bench as bench_of
from left_intact.cli.setting import out as _out
from left_intact.core.model.errors import LeftIntactError, Misuse, reason_of
from left_intact.core.model.update import State
from left_intact.home import default_home
from left_intact.workbench import refuse_blocked

# What a command does not answer is not imported for it.
if TYPE_CHECKING:
    from left_intact.core.model.install import Install
    from left_intact.core.model.plan import Plan
    from left_intact.workbench import Outcome

app = typer.Typer(
    name="left-intact",
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    no_args_is_help=False,
    help="Upgrades emulators, front ends, cores and modding tools, and leaves what is yours intact.",
)


def _json() -> Any:
    """The shapes of docs/commands.md, imported where something is answered in them."""
    from left_intact.core.model import as_json

    return as_json


ArrivalPath = Annotated[str, typer.Argument(metavar="ARRIVAL", help="a folder, an archive or one file")]
Baseline = Annotated[
    str | None, typer.Option(metavar="RELEASE", help="the release that the install came from")
]
Sheet = Annotated[
    str | None, typer.Option(metavar="FILE", help="a keepsheet: what is known about the program")
]
RouteWord = Annotated[str | None, typer.Option(metavar="R", help="in-place, …")]
Into = Annotated[str | None, typer.Option(metavar="DIR", help="the new folder, for the route side-by-side")]
Answers = Annotated[str | None, typer.Option(metavar="FILE.toml", help="answers to the plan's questions")]
Allow = Annotated[list[str] | None, typer.Option(metavar="CODE", help="go past a blocker that may be passed")]
Figure = Annotated[str | None, typer.Option(metavar="FILE", help="draw the composition, as .svg or .pdf")]


@app.callback(invoke_without_command=True)
def _start(
    context: typer.Context,
    home: Annotated[str | None, typer.Option(metavar="DIR", help="where library and logs live")] = None,
    version: Annotated[bool, typer.Option("--version", help="print the version")] = False,
) -> None:
    setting.home = home or os.environ.get("LEFT_INTACT_HOME") or default_home()
    if version:
        from left_intact import __version__

        typer.echo(f"left-intact {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        from left_intact.tui.app import open_application

        raise typer.Exit(open_application(setting.home))


@app.command()
def shelf(as_json: AsJson = False) -> None:
    """List the installs."""
    rows = bench_of().shelf.rows()
    if as_json:
        _out({"installs": [show.shelf_json(row) for row in rows]})
    else:
        typer.echo(show.shelf_text(rows))


@app.command()
def survey(
    install: InstallWord,
    baseline: Baseline = None,
    sheet: Sheet = None,
    figure: Figure = None,
    as_json: AsJson = False,
) -> None:
    """Read an install and say what every file is; changes nothing."""
    bench = bench_of()
    found = bench.surveys.survey(bench.shelf.find(install), baseline=baseline, sheet=sheet)
    if figure:
        from left_intact.charts.composition import draw_composition

        draw_composition(found, figure)
    if as_json:
        _out(_json().survey_json(found))
    else:
        typer.echo(show.survey_text(found))


@app.command()
def plan(
    install: InstallWord,
    arrival: ArrivalPath,
    baseline: Baseline = None,
    route: RouteWord = None,
    into: Into = None,
    answers: Answers = None,
    sheet: Sheet = None,
    as_json: AsJson = False,
) -> None:
    """Draw up the plan of an update; changes nothing."""
    bench = bench_of()
    draft = bench.updates.draft(
        bench.shelf.find(install), arrival, baseline=baseline, route=route, into=into, sheet=sheet
    )
    drawn = draft.plan(_read_answers(answers))
    if as_json:
        _out(_json().plan_json(drawn))
    else:
        typer.echo(show.plan_text(drawn))


@app.command()
def update(
    install: InstallWord,
    arrival: ArrivalPath,
    baseline: Baseline = None,
    route: RouteWord = None,
    into: Into = None,
    answers: Answers = None,
    sheet: Sheet = None,
    allow: Allow = None,
    yes: Annotated[bool, typer.Option("--yes", help="let the defaults answer open questions")] = False,
    as_json: AsJson = False,
) -> None:
    """Carry the plan out, then prove it."""
    bench = bench_of()
    target = bench.shelf.find(install)
    draft = bench.updates.draft(target, arrival, baseline=baseline, route=route, into=into, sheet=sheet)
    given = _read_answers(answers)
    drawn = draft.plan(given)
    refuse_blocked(drawn, allow or [])
    if drawn.open_questions and not yes:
        _print_questions(drawn, as_json)
        raise typer.Exit(1)
    # Answering one question may open none other, but the plan says so, not we.
    while drawn.open_questions:
        given |= {q.id: q.default for q in drawn.open_questions}
        drawn = draft.plan(given)
    with cancelling() as cancel:
        outcome = bench.updates.update(drawn, target, allowed=allow or [], cancel=cancel)
    _finish_with_proof(target, outcome, as_json)


def _print_questions(drawn: Plan, as_json: bool) -> None:
    if as_json:
        _out(_json().plan_json(drawn))
    else:
        typer.echo(show.questions_text(drawn))
    typer.echo(
        "left-intact: questions are open; answer them with --answers FILE.toml, or take the "
        "defaults with --yes",
        err=True,
    )


def _finish_with_proof(install: Install, outcome: Outcome, as_json: bool) -> None:
    if outcome.waits:
        if as_json:
            _out(show.waits_said(outcome.update))
        else:
            typer.echo(show.waits_text(install, outcome.update))
        raise typer.Exit(1)
    if as_json:
        _out({**_json().proof_json(outcome.proof), "notes": list(outcome.update.notes)})
    else:
        typer.echo(show.proof_text(install, outcome))
    if outcome.proof.verdict != "intact":
        raise typer.Exit(1)


@app.command()
def prove(
    install: InstallWord,
    deep: Annotated[
        bool, typer.Option("--deep", help="read every byte, also of installs of more than 8 GB")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Compare the disk with the witness of the last update."""
    bench = bench_of()
    target = bench.shelf.find(install)
    _finish_with_proof(target, bench.updates.prove(target, deep=deep), as_json)


@app.command("go-back")
def go_back(
    install: InstallWord,
    update: Annotated[
        int | None, typer.Option(metavar="N", help="a named update of its history, not the last")
    ] = None,
    plan: Annotated[bool, typer.Option("--plan", help="only show what would happen")] = False,
    answers: Answers = None,
    as_json: AsJson = False,
) -> None:
    """Undo the last update, or a named one, byte for byte; then prove it."""
    bench = bench_of()
    target = bench.shelf.find(install)
    drawn = bench.updates.back.draw(target, number=update, answers=_read_answers(answers))
    if plan:
        if as_json:
            _out(_json().plan_json(drawn))
        else:
            typer.echo(show.plan_text(drawn))
        return
    with cancelling() as cancel:
        back = bench.updates.back.go(target, plan=drawn, cancel=cancel)
    if as_json:
        _out(show.back_json(target, back))
    else:
        typer.echo(show.back_text(target, back))
    if back.waits is not None or back.missing or (back.proof is not None and back.proof.verdict != "intact"):
        raise typer.Exit(1)


@app.command("go-on")
def go_on(
    install: InstallWord,
    done: Annotated[
        str, typer.Option(metavar="STEP", help="say that a step was done that cannot be seen")
    ] = "",
    skip: Annotated[str, typer.Option(metavar="STEP", help="leave a step out that may be left out")] = "",
    answers: Answers = None,
    as_json: AsJson = False,
) -> None:
    """Take up an update that waits: look whether the step was done, then carry on."""
    if done and skip:
        raise Misuse("done-and-skip", "--done and --skip exclude each other", way_out="Give one of them.")
    bench = bench_of()
    target = bench.shelf.find(install)
    with cancelling() as cancel:
        outcome = bench.updates.go_on(
            target, done=done, skip=skip, answers=_read_answers(answers), cancel=cancel
        )
    _finish_with_proof(target, outcome, as_json)


@app.command("give-up")
def give_up(install: InstallWord, as_json: AsJson = False) -> None:
    """End a waiting update where it stands; what is in force stays on trial."""
    bench = bench_of()
    target = bench.shelf.find(install)
    ended = bench.updates.give_up(target)
    if as_json:
        _out({"install": target.name, "state": ended.state.value, "to_version": ended.to_version})
    else:
        typer.echo(show.given_up_text(target, ended))


@app.command()
def settle(install: InstallWord, as_json: AsJson = False) -> None:
    """Confirm the last update and free the program's old files."""
    bench = bench_of()
    target = bench.shelf.find(install)
    done = bench.updates.settle(target)
    if as_json:
        _out(
            {
                "install": target.name,
                "version": done.update.to_version,
                "freed": done.freed,
                "held": done.held,
            }
        )
    else:
        typer.echo(show.settled_text(target, done))


@app.command()
def recover(
    forward: Annotated[bool, typer.Option("--forward", help="complete the update")] = False,
    back: Annotated[bool, typer.Option("--back", help="put everything back")] = False,
    as_json: AsJson = False,
) -> None:
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
        typer.echo(show.recovered_text(done))
    for install, trouble in failed:
        _say(f"{install.name}: {trouble.line()}")
    if failed:
        raise typer.Exit(max(trouble.exit_code for _, trouble in failed))
    if any(update.missing or update.state is State.WAITING for _, update in done):
        raise typer.Exit(1)


@app.command()
def demo(
    folder: Annotated[
        str | None, typer.Option("--dir", metavar="DIR", help="where the demo is built")
    ] = None,
    unattended: Annotated[
        bool, typer.Option("--unattended", help="run the whole example and print it")
    ] = False,
    fault: Annotated[str, typer.Option(help="faults of the demo's outlet: drop=N, wrong, slow, stale")] = "",
    fresh: Annotated[
        bool, typer.Option("--fresh", help="build it anew instead of going on where it was left")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Build the Pier Room and open it, or run the full example."""
    from left_intact.demo.build import build_demo, default_folder

    room = build_demo(folder or default_folder(), fresh=fresh or unattended)
    if unattended:
        from left_intact.demo.unattended import run_unattended

        raise typer.Exit(run_unattended(room, as_json=as_json))
    from left_intact.demo.build import open_outlet
    from left_intact.tui.app import open_application

    server = open_outlet(room, fault)
    try:
        raise typer.Exit(open_application(room.home, subtitle="the Pier Room"))
    finally:
        server.shutdown()


@app.command()
def follow(
    install: InstallWord,
    place: Annotated[
        str, typer.Argument(metavar="PLACE", help="the address of an Atom feed, or a folder of downloads")
    ],
    stop: Annotated[bool, typer.Option("--stop", help="follow it no longer")] = False,
    as_json: AsJson = False,
) -> None:
    """Follow a place where releases appear."""
    bench = bench_of()
    target = bench.shelf.find(install)
    (bench.outlets.unfollow if stop else bench.outlets.follow)(target, place)
    outlets = [outlet.place for outlet in bench.outlets.news(target).outlets]
    if as_json:
        _out({"install": target.name, "outlets": outlets})
    else:
        typer.echo(f"{target.name} follows: {', '.join(outlets) or 'nothing'}")


@app.command()
def news(
    install: Annotated[
        str | None, typer.Argument(metavar="[INSTALL]", help="one install; all of them without")
    ] = None,
    check: Annotated[bool, typer.Option("--check", help="ask the outlets now")] = False,
    as_json: AsJson = False,
) -> None:
    """What is newer, and whether it has anything for you."""
    bench = bench_of()
    chosen = [bench.shelf.find(install)] if install else bench.shelf.installs()
    found = bench.outlets.look_for_news(chosen) if check else [bench.outlets.news(one) for one in chosen]
    if as_json:
        _out({"installs": [show.news_json(one) for one in found]})
    else:
        typer.echo(show.news_text(found))


@app.command()
def hold(
    install: InstallWord,
    beyond: Annotated[
        str, typer.Argument(metavar="[VERSION]", help="nothing beyond this; without it, nothing newer")
    ] = "",
    reason: Annotated[str, typer.Option(help="why")] = "",
    until: Annotated[str, typer.Option(metavar="VERSION", help="from this version on the hold is over")] = "",
    off: Annotated[bool, typer.Option("--off", help="hold it no longer")] = False,
    as_json: AsJson = False,
) -> None:
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
        typer.echo(f"{target.name} is {'held' if kept else 'not held'}")


@app.command()
def fetch(
    install: InstallWord,
    version: Annotated[
        str, typer.Argument(metavar="[VERSION]", help="the newest that fits, without it")
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Fetch a release that an outlet offers; it then waits for its install."""
    bench = bench_of()
    target = bench.shelf.find(install)
    got = bench.outlets.fetch(target, bench.outlets.offer_of(target, version))
    if as_json:
        _out({"install": target.name, "path": got.path, "sha256": got.digest, "says": list(got.says)})
    else:
        typer.echo(f"{got.path}\n" + "\n".join(f"  {line}" for line in got.says))


@app.command()
def pack(
    install: InstallWord,
    place: Annotated[
        str, typer.Argument(metavar="PACK", help="a zip of changed content: a path, or an address")
    ],
    lay: Annotated[bool, typer.Option("--lay", help="fetch your share and lay it")] = False,
    lacking: Annotated[bool, typer.Option("--with-lacking", help="take also what you do not own")] = False,
    as_json: AsJson = False,
) -> None:
    """See what of a content pack is yours, and lay only that."""
    bench = bench_of()
    target = bench.shelf.find(install)
    found = bench.surveys.survey(target)
    view = bench.outlets.pack(target, place, found)
    if not lay:
        if as_json:
            _out(show.pack_json(view))
        else:
            typer.echo(show.pack_text(view))
        return
    extra = [line.member for line in view.of("lacking")] if lacking else []
    drawn = bench.outlets.pack_plan(target, view, found, with_lacking=extra)
    refuse_blocked(drawn, [])
    _finish_with_proof(target, bench.updates.update(drawn, target), as_json)


app.add_typer(knowing.app)

standin = typer.Typer(help="The outside world in small, for the demo and for tests.")
app.add_typer(standin, name="standin")


@standin.command("outlet")
def standin_outlet(
    folder: Annotated[str, typer.Argument(metavar="DIR", help="files and an outlet.json")],
    port: Annotated[int, typer.Option(help="0 takes a free one")] = 0,
    fault: Annotated[str, typer.Option(help="drop=N, wrong, slow, stale; with commas between")] = "",
) -> None:
    """Serve a folder on loopback with a feed, ranges and checksums, until Ctrl-C."""
    from left_intact.standins.outlet import OutletServer

    try:
        server = OutletServer(folder, port, fault)
    except ValueError as error:
        raise Misuse("no-fault", str(error), way_out="Faults: drop=N, wrong, slow, stale.") from error
    typer.echo(f"{server.url}/feed.xml")
    sys.stdout.flush()
    server.serve_forever()


def _read_answers(path: str | None) -> dict[str, str]:
    if path is None:
        return {}
    try:
        with open(path, "rb") as file:
            said = tomllib.load(file)
    except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise Misuse(
            "bad-answers", f"the answers cannot be read ({error})", path=path, way_out="Mend them."
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
    command: Callable[..., Any] = typer.main.get_command(app)
    try:
        result = command(args=words, prog_name="left-intact", standalone_mode=False)
    except LeftIntactError as error:
        _say(error.line())
        return error.exit_code
    except typer.Exit as error:
        return error.exit_code
    except (KeyboardInterrupt, typer.Abort):
        _say("stopped. If an update was under way, end it with: left-intact recover")
        return 1
    except BrokenPipeError:
        sys.stderr.close()
        return 0
    except OSError as error:
        reason = reason_of(error)
        _say(f"the disk refused ({reason}): {error.filename or setting.home}. Nothing was changed.")
        return 3
    except Exception as error:  # noqa: BLE001
        # Typer's own usage errors have no public base class; anything else is a fault of ours.
        if not hasattr(error, "format_message"):
            return _own_fault(error)
        _say(f"{error.format_message().rstrip('.')}. See left-intact --help.")
        return 2
    return result if isinstance(result, int) else 0


def _own_fault(error: Exception) -> int:
    """Write a fault of ours down and say so in one line."""
    import traceback

    from left_intact.fault_log import write_fault

    path = write_fault(setting.home, "".join(traceback.format_exception(error)))
    _say(f"a fault of ours: no install was left half done. It is written down in {path}")
    return 3


def _say(line: str) -> None:
    print(f"left-intact: {line}".encode("utf-8", "replace").decode(), file=sys.stderr)
