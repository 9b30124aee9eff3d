"""Help: what this view is for, and every key of it."""

from __future__ import annotations

from typing import Any, ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical, VerticalScroll
from textual.screen import ModalScreen, Screen
from textual.widgets import Static

from left_intact.core.model.classes import FileClass
from left_intact.presentation.palette import LETTER, NAME
from left_intact.tui.look import Look
from left_intact.tui.widgets.bars import key_name
from left_intact.tui.writing import fit

_CLASSES = {
    FileClass.PROGRAM: "what a release ships",
    FileClass.SETTINGS: "configurations, mappings, profiles",
    FileClass.SAVES: "progress: saves, memory cards, scores",
    FileClass.STATES: "snapshots of a running machine",
    FileClass.CONTENT: "what is played or needed to play",
    FileClass.EXTRAS: "mods, artwork, cheats, captures",
    FileClass.CACHE: "can be rebuilt",
    FileClass.UNSORTED: "all else: treated as yours",
}


def _ours(kind: type) -> set[str]:
    """Descriptions of the keys that our own classes bind; the toolkit's are no part of the help."""
    own = [base for base in kind.__mro__ if base.__module__.startswith("left_intact")]
    return {b.description for base in own for b in vars(base).get("BINDINGS", ()) if isinstance(b, Binding)}


class HelpScreen(ModalScreen[None]):
    """Explains the screen below it."""

    is_help = True

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape,question_mark,enter,q", "app.pop_screen", "close")
    ]

    def __init__(self, says: str, keys: list[tuple[str, str]]) -> None:
        super().__init__()
        self.says, self.keys = says, keys

    @classmethod
    def of(cls, screen: Screen[Any]) -> HelpScreen:
        """Help made from the screen's own words and bindings."""
        seen: dict[str, list[str]] = {}
        for active in screen.active_bindings.values():
            binding = active.binding
            if binding.description and binding.description in _ours(type(active.node)):
                name = binding.key_display or key_name(binding.key)
                keys = seen.setdefault(binding.description, [])
                if name not in keys:
                    keys.append(name)
        return cls(getattr(screen, "HELP", ""), [(" ".join(keys), says) for says, keys in seen.items()])

    def compose(self) -> ComposeResult:
        with Vertical(classes="box"), VerticalScroll():
            yield Static(self._text())

    def _text(self) -> Text:
        look: Look = self.app.look  # type: ignore[attr-defined]
        text = Text()
        text.append("help\n\n", look.style("focus", bold=True)).append(f"{self.says}\n\n", look.style("text"))
        for at in range(0, len(self.keys), 2):
            for key, says in self.keys[at : at + 2]:
                text.append(fit(key, 14), look.style("focus", bold=True)).append(
                    fit(says, 20), look.style("text")
                )
            text.append("\n")
        text.append("\nthe classes\n", look.style("quiet"))
        for kind, says in _CLASSES.items():
            text.append(f" {LETTER[kind]} ", look.on_class(kind)).append(
                f" {NAME[kind]:11}", look.style("text")
            )
            text.append(f"{says}\n", look.style("quiet"))
        text.append(
            "\n1 to 6 go to the stops · ^p finds anything by name · ^l light or dark · Esc closes",
            look.style("quiet"),
        )
        return text
