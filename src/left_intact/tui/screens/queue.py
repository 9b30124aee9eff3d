"""The quick queue: what is unsorted, group by group. One key sorts all that are alike and goes on to the
next.
"""

from __future__ import annotations

from typing import ClassVar

from rich.console import Group
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical, VerticalScroll
from textual.widgets import Static

from left_intact.core.model.classes import SORTABLE, FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.model.install import Install
from left_intact.presentation.outline import Alike
from left_intact.presentation.palette import LETTER, NAME
from left_intact.tui.explain import speaking_words
from left_intact.tui.jobs import Job
from left_intact.tui.preview import limit_for, preview_of
from left_intact.tui.protocol import application
from left_intact.tui.screens.dialogs import Dialog
from left_intact.tui.writing import bearable, clip
from left_intact.words import count, size
from left_intact.worker.call import call


class QueueScreen(Dialog[dict[str, FileClass]]):
    """Groups of unsorted entries one after the other. Gives the rulings that were made, all at once."""

    BINDINGS: ClassVar[list[BindingType]] = [
        *(Binding(LETTER[kind].lower(), f"sort('{kind.value}')", NAME[kind]) for kind in SORTABLE),
        Binding("space", "skip", "skip"),
        Binding("backspace", "back", "back"),
        Binding("z", "take_back", "take back"),
        Binding("escape", "leave", "done"),
    ]

    def __init__(self, install: Install, groups: list[Alike]) -> None:
        super().__init__()
        self.install, self.groups = install, groups
        self.at = 0
        self.ruled: dict[str, FileClass] = {}

    def compose(self) -> ComposeResult:
        with Vertical(classes="box wide"):
            yield Static(id="group")
            yield Static(id="queue-keys")
            with VerticalScroll():
                yield Static(id="inside")

    def on_mount(self) -> None:
        self._show()

    @property
    def group(self) -> Alike:
        return self.groups[self.at]

    def _show(self) -> None:
        look, group = self.look, self.group
        text = Text()
        text.append(f"{self.at + 1} of {len(self.groups)}   ", look.style("quiet"))
        text.append(
            f"{count(sum(g.count for g in self.groups), 'file')} unsorted, "
            f"{count(len(self.ruled), 'group')} ruled so far\n\n",
            look.style("quiet"),
        )
        name = bearable(group.pattern)
        alike = f"these {group.count} are alike" if group.count > 1 else "one of its kind"
        text.append(f"{clip(name, 60)}\n", look.style("focus", bold=True))
        text.append(
            f"{alike}, {size(group.bytes)} in all; {speaking_words(group.first[0])}\n",
            look.style("text"),
        )
        for finding in group.first:
            text.append(
                f"  {clip(bearable(finding.at.shown), 56):58}{size(finding.entry.bytes):>9}\n",
                look.style("quiet"),
            )
        if group.count > len(group.first):
            text.append(f"  … and {group.count - len(group.first):,} more\n", look.style("quiet"))
        if (kind := self.ruled.get(group.pattern)) is not None:
            text.append(f"you said: {NAME[kind]}\n", look.style("good"))
        self.query_one("#group", Static).update(text)
        self._show_keys()
        self._show_inside(group.first[0])

    def _show_keys(self) -> None:
        text = Text("\n")
        row = len(SORTABLE) if self.app.size.width >= 100 else 4
        for at, kind in enumerate(SORTABLE):
            text.append("\n" if at and at % row == 0 else "")
            text.append(f" {LETTER[kind]} ", self.look.on_class(kind)).append(
                f" {NAME[kind]:9} ", self.look.style("text")
            )
        text.append("\n\n")
        for key, does in (
            ("a letter", "sorts them all"),
            ("Space", "skip"),
            ("Backspace", "back"),
            ("z", "take back"),
            ("Esc", "done"),
        ):
            text.append(key, self.look.style("focus", bold=True)).append(
                f" {does}   ", self.look.style("quiet")
            )
        self.query_one("#queue-keys", Static).update(text)

    def _show_inside(self, finding: Finding) -> None:
        look, place, app = self.look, self.at, application(self.app)

        def shown(data: bytes | None) -> None:
            if self.is_attached and self.at == place:
                head = Text(f"\ninside {bearable(finding.at.name)}\n", look.style("quiet"))
                inside = preview_of(data, finding.entry.format, look)
                self.query_one("#inside", Static).update(Group(head, inside))

        wanted = call("desk.peek", self.install, finding.at, limit_for(finding.entry.format))
        app.work_on(Job("looking inside", wanted, shown, lambda error: None, beside=True))

    def action_sort(self, name: str) -> None:
        self.ruled.pop(self.group.pattern, None)  # so that the last one in it is the last one sorted
        self.ruled[self.group.pattern] = FileClass(name)
        self.action_skip()

    def action_skip(self) -> None:
        if self.at + 1 < len(self.groups):
            self.at += 1
            self._show()
        else:
            self.action_leave()

    def action_back(self) -> None:
        if self.at:
            self.at -= 1
            self._show()

    def action_take_back(self) -> None:
        """Take back what was sorted last, and show it again."""
        if self.ruled:
            pattern, _ = self.ruled.popitem()
            self.at = next(n for n, group in enumerate(self.groups) if group.pattern == pattern)
            self._show()

    def action_leave(self) -> None:
        self.dismiss(self.ruled)
