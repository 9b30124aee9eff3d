"""Help beyond the words of the options: an example each, completion in a shell, the manual."""

from __future__ import annotations

import os
from typing import Any

import click
from click.shell_completion import get_completion_class

from left_intact.cli import setting
from left_intact.core.model.errors import Misuse

COMPLETE = "_LEFT_INTACT_COMPLETE"
"""What a shell sets in the environment when it asks what could come next."""
EXAMPLES = {
    "shelf": "left-intact shelf",
    "survey": "left-intact survey ~/emulators/brindlemere --baseline brindlemere-4.4.2-linux.zip",
    "draw": "left-intact draw brindlemere composition brindlemere.pdf",
    "report": "left-intact report brindlemere brindlemere-4.6.0.pdf",
    "plan": "left-intact plan brindlemere brindlemere-4.6.0-linux.zip -v",
    "update": "left-intact update brindlemere brindlemere-4.6.0-linux.zip --yes",
    "prove": "left-intact prove brindlemere --deep",
    "go-back": "left-intact go-back brindlemere --plan",
    "go-on": "left-intact go-on quillonade --done test-1",
    "give-up": "left-intact give-up quillonade",
    "settle": "left-intact settle brindlemere",
    "recover": "left-intact recover --back",
    "demo": "left-intact demo --unattended",
    "parts": "left-intact parts lanternfish --from ~/downloads/cores",
    "follow": "left-intact follow tarnlight ~/downloads",
    "news": "left-intact news tarnlight --check",
    "hold": "left-intact hold lanternfish 1.12 --reason 'the pads first'",
    "fetch": "left-intact fetch tarnlight 26.11",
    "pack": "left-intact pack tarnlight boards-26.11.zip --lay",
    "strongbox": "left-intact strongbox brindlemere take lib/libtape.so --to ~/old",
    "rule": "left-intact rule brindlemere 'needle/*.ndl' extras --preview",
    "rulings": "left-intact rulings brindlemere",
    "version": "left-intact version quillonade 5.4",
    "look-at": "left-intact look-at brindlemere --add 'the harbour at dusk'",
    "sheet": "left-intact sheet brindlemere --export brindlemere.toml",
    "watch": "left-intact watch brindlemere -- ./brindlemere --play salt-road",
    "baseline": "left-intact baseline brindlemere --infer --in ~/downloads",
    "roots": "left-intact roots brindlemere --add ~/.config/brindlemere --label settings",
    "find": "left-intact find ~ --take",
    "forget": "left-intact forget brindlemere",
    "rename": "left-intact rename brindlemere 'Brindlemere at the door'",
    "move": "left-intact move brindlemere /mnt/card/brindlemere",
    "remains": "left-intact remains quillonade",
    "history": "left-intact history brindlemere",
    "standin": "left-intact standin outlet ~/outlet --port 8080",
}


def give_examples(app: click.Group) -> None:
    """Every command's help ends with one."""
    for name, command in app.commands.items():
        command.epilog = f"Example:  {EXAMPLES[name]}"


def completion_for(app: click.Group, shell: str) -> str:
    """The script that a shell reads. Raises `Misuse` for a shell that nobody here knows."""
    known = get_completion_class(shell)
    if known is None:
        raise Misuse("no-shell", f"no completion for {shell!r}", way_out="There is bash, zsh and fish.")
    return known(app, {}, "left-intact", COMPLETE).source()


def install_completion(app: click.Group, shell: str) -> str:
    """Write the script where the shell looks for it; its path."""
    home = os.path.expanduser("~")
    data = os.environ.get("XDG_DATA_HOME") or os.path.join(home, ".local", "share")
    config = os.environ.get("XDG_CONFIG_HOME") or os.path.join(home, ".config")
    places = {
        "bash": os.path.join(data, "bash-completion", "completions", "left-intact"),
        "fish": os.path.join(config, "fish", "completions", "left-intact.fish"),
        "zsh": os.path.join(data, "zsh", "site-functions", "_left-intact"),
    }
    script = completion_for(app, shell)
    place = places[shell]
    os.makedirs(os.path.dirname(place), exist_ok=True)
    with open(place, "w", encoding="utf-8") as file:
        file.write(script)
    return place


def completion_wanted(context: click.Context, _: click.Parameter, shell: str | None) -> None:
    """What `--install-completion` does."""
    if not shell or context.resilient_parsing:
        return
    app = context.command
    assert isinstance(app, click.Group)
    place = install_completion(app, shell)
    setting.say(f"{place}\na new {shell} completes left-intact" + _for_zsh(shell, place))
    raise click.exceptions.Exit(0)


def _for_zsh(shell: str, place: str) -> str:
    return f", once its fpath has {os.path.dirname(place)}" if shell == "zsh" else ""


# ---------------------------------------------------------------- the manual


def man_page(app: click.Group, version: str) -> str:
    """The page of the manual, as troff with the man macros, made from the commands."""
    context = click.Context(app, info_name="left-intact")
    out = [
        f'.TH LEFT-INTACT 1 "" "Left Intact {version}" "User Commands"',
        ".SH NAME",
        r"left\-intact \- upgrades emulators, front ends and their like, and leaves what is yours intact",
        ".SH SYNOPSIS",
        r".B left-intact [\-\-home DIR] [COMMAND]",
        ".SH DESCRIPTION",
        _troff(app.help or ""),
        "With no command the full screen opens.",
        ".SH OPTIONS",
        *_options(app, context),
        ".SH COMMANDS",
    ]
    for name in sorted(app.commands):
        command = app.commands[name]
        inner = click.Context(command, info_name=name, parent=context)
        words = " ".join(command.collect_usage_pieces(inner))
        out += [f".SS {_troff(f'{name} {words}')}", _troff(" ".join((command.help or "").split()))]
        out += _options(command, inner)
        out += [".PP", "Example:", f".B {_troff(EXAMPLES[name])}"]
    out += [
        ".SH EXIT STATUS",
        "0 done; 1 something needs you (open questions, a verdict of attention or broken); 2 wrong usage;",
        "3 refused, nothing was changed; 4 an interrupted update must be recovered first.",
    ]
    return "\n".join(out) + "\n"


def _options(command: click.Command, context: click.Context) -> list[str]:
    out = []
    for parameter in command.get_params(context):
        record: tuple[str, Any] | None = parameter.get_help_record(context)
        if record is not None and isinstance(parameter, click.Option):
            out += [".TP", f".B {_troff(record[0])}", _troff(str(record[1]))]
    return out


def _troff(text: str) -> str:
    escaped = text.replace("\\", r"\e").replace("-", r"\-")
    return escaped if not escaped.startswith((".", "'")) else rf"\&{escaped}"
