"""The way back, shown before it is gone: what comes back, what goes, what was used since."""

from __future__ import annotations

from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import Static

from left_intact.core.model.plan import Question, Verb
from left_intact.presentation.views import PlanView
from left_intact.tui.screens.dialogs import Dialog
from left_intact.tui.writing import bearable, clip
from left_intact.words import count, size, versions

_SHOWN = 6
_SAYS = (
    (Verb.REPLACE, "come back in place of what lies there now"),
    (Verb.ADD, "come back where nothing lies now"),
    (Verb.RETIRE, "of the update go into the strongbox"),
)


class BackDialog(Dialog[dict[str, str]]):
    """Enter goes back; with something used since, u says where it is to be."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("enter,y", "back", "go back"),
        Binding("u", "used", "used since"),
    ]

    def __init__(self, plan: PlanView) -> None:
        super().__init__()
        self.plan = plan
        self.choices = {q.id: q.choice for q in plan.questions}

    def compose(self) -> ComposeResult:
        with Vertical(classes="box wide"):
            yield Static(id="said")

    def on_mount(self) -> None:
        self._show()

    def _show(self) -> None:
        plan, look = self.plan, self.look
        text = Text()
        text.append("go back\n\n", look.style("focus", bold=True))
        name = bearable(plan.install)
        whole = "" if plan.warnings or plan.blockers else ", byte for byte"
        said = versions(plan.from_version, plan.to_version or "as it was")
        text.append(f"{name} {said}{whole}\n\n", look.style("text"))
        for verb, says in _SAYS:
            if number := plan.changes.get(verb, 0):
                text.append(f"{number:>7,} ", look.style("text", bold=True)).append(
                    f"{says}\n", look.style("quiet")
                )
        kept = plan.left_intact.files
        text.append(f"{kept:>7,} ", look.style("text", bold=True)).append(
            "of yours are left as they are\n", look.style("quiet")
        )
        for question in plan.questions:
            self._used(text, question)
        for step in plan.manual_steps:
            text.append(f"\nyou      {bearable(step.asks)}", look.style("text"))
            text.append(f"  {bearable(step.why)}\n", look.style("quiet"))
        for fault in (*plan.blockers, *plan.warnings):
            text.append(f"\n{bearable(fault.says)}. {fault.way_out}\n", look.style("bad"))
        text.append(
            f"\nroom needed {size(plan.space.needed)}, {size(plan.space.free)} free\n\n", look.style("quiet")
        )
        keys = [] if plan.blockers else [("Enter", "go back")]
        keys += [("u", "the other way with what was used since")] if plan.questions else []
        for key, does in [*keys, ("Esc", "leave it")]:
            text.append(key, look.style("focus", bold=True)).append(f" {does}    ", look.style("quiet"))
        self.query_one("#said", Static).update(text)

    def _used(self, text: Text, question: Question) -> None:
        look, choice = self.look, self.choices[question.id]
        text.append(f"\n{count(len(question.paths), 'file')} changed since the update\n", look.style("focus"))
        for at in question.paths[:_SHOWN]:
            text.append(f"        {clip(bearable(at.shown), 60)}\n", look.style("text"))
        if len(question.paths) > _SHOWN:
            text.append(f"        and {len(question.paths) - _SHOWN} more\n", look.style("quiet"))
        for option, leads in zip(question.options, question.leads_to, strict=True):
            mark, style = ("  ▸ ", "text") if option == choice else ("    ", "quiet")
            text.append(f"{mark}{leads}\n", look.style(style))

    def action_used(self) -> None:
        for question in self.plan.questions:
            at = question.options.index(self.choices[question.id])
            self.choices[question.id] = question.options[(at + 1) % len(question.options)]
        self._show()

    def action_back(self) -> None:
        if not self.plan.blockers:
            self.dismiss(dict(self.choices))
