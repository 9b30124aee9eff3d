"""The texts of the why panel: evidence in words and weights, settings key by key."""

from __future__ import annotations

import time

from rich.text import Text

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding, Kind
from left_intact.core.model.place import TOP
from left_intact.core.model.plan import KeyLine, Move, Question
from left_intact.core.model.survey import Survey
from left_intact.presentation.outline import FolderNode
from left_intact.presentation.palette import LETTER, NAME
from left_intact.presentation.views import PlanView
from left_intact.tui.look import Look
from left_intact.tui.writing import bearable, clip, fit, wrapped
from left_intact.words import ago, count, date, size
from left_intact.workbench import may_be_replaced, odds

WIDE = 46


def heading(text: Text, words: str, look: Look) -> None:
    text.append(f"\n{words}\n", look.style("quiet"))


def badge_line(text: Text, kind: FileClass, words: str, look: Look) -> None:
    text.append(f" {LETTER[kind]} ", look.on_class(kind)).append(f" {words}", look.style("text"))


def why_finding(finding: Finding, look: Look) -> Text:
    """Why an entry has its class."""
    text, entry = Text(), finding.entry
    text.append(bearable(entry.at.shown) + "\n", look.style("text", bold=True))
    text.append(_facts(finding) + "\n", look.style("quiet"))
    heading(text, "what speaks for each class", look)
    for kind, share in sorted(odds(finding.why).items(), key=lambda item: -item[1])[:5]:
        if share >= 0.005 and any(e.speaks_for is kind and e.weight > 0 for e in finding.why):
            text.append(f" {LETTER[kind]} ", look.on_class(kind)).append(
                f" {NAME[kind]:11}", look.style("text")
            )
            text.append("█" * round(share * 20), look.of_class(kind)).append(
                f" {share:.0%}\n", look.style("quiet")
            )
    if not any(e.weight > 0 for e in finding.why):
        text.append("nothing speaks for any\n", look.style("text"))
    heading(text, "the evidence", look)
    _evidence(text, finding, look)
    text.append("\n" + _consequence(finding) + "\n", look.style("text", bold=True))
    return text


def inside_head(finding: Finding, look: Look) -> Text:
    """The head of the panel when it shows what is inside a file."""
    text = Text(bearable(finding.at.shown) + "\n", look.style("text", bold=True))
    file_format = finding.entry.format or finding.entry.kind.value
    return text.append(f"{_facts(finding)} · {file_format}\n", look.style("quiet"))


def _facts(finding: Finding) -> str:
    entry = finding.entry
    if entry.kind is Kind.FAULT:
        return f"could not be read: {entry.fault}"
    if entry.kind is Kind.LINK:
        return f"a link to {bearable(entry.link)}"
    if entry.kind is Kind.FOLDER:
        return "an empty folder"
    when = entry.mtime_ns / 1e9
    return f"{entry.bytes:,} bytes · {date(when)}, {ago(when, time.time())}"


def _evidence(text: Text, finding: Finding, look: Look) -> None:
    for evidence in sorted(finding.why, key=lambda e: -abs(e.weight)):
        mark = f"{LETTER[evidence.speaks_for]} {evidence.weight:+.1f}"
        room = WIDE - 10 - len(mark) - 1
        lines = wrapped(evidence.says, room)
        colour = "good" if evidence.weight > 0 else "bad" if evidence.weight < 0 else "quiet"
        text.append(f"{evidence.source:10}", look.style("quiet")).append(
            fit(lines[0], room), look.style("text")
        )
        text.append(f" {mark}\n", look.style(colour))
        for more in lines[1:]:
            text.append(" " * 10 + more + "\n", look.style("text"))


def _consequence(finding: Finding) -> str:
    if finding.file_class is FileClass.PROGRAM:
        if may_be_replaced(finding):
            return f"the program's ({finding.certainty:.2f}): an update may replace it"
        return (
            f"likely the program's ({finding.certainty:.2f}), but not certain enough to replace: "
            "kept unless shipped so"
        )
    if finding.file_class is FileClass.UNSORTED:
        return "not certain enough: treated as yours"
    if finding.file_class is FileClass.CACHE:
        return "can be rebuilt; an update leaves it alone"
    return f"yours ({finding.certainty:.2f}): no update replaces or removes it"


def speaking_words(finding: Finding) -> str:
    """What speaks for a finding, or against it, in one line."""
    speaking = sorted((e for e in finding.why if e.weight > 0), key=lambda e: -e.weight)
    against = sorted((e for e in finding.why if e.weight < 0), key=lambda e: e.weight)
    return (
        "; ".join(dict.fromkeys(e.says for e in (speaking or against)[:2])) or "nothing speaks for any class"
    )


def why_folder(node: FolderNode, root: str, look: Look) -> Text:
    """What a folder is made of."""
    text = Text()
    text.append(
        bearable(root if node.at == TOP else node.at.shown.rstrip("/") + "/") + "\n",
        look.style("text", bold=True),
    )
    text.append(f"{count(node.count, 'file')}, {size(node.size)}\n", look.style("quiet"))
    heading(text, "made of", look)
    for kind in FileClass:
        if kind in node.files:
            badge_line(text, kind, f"{NAME[kind]:11}", look)
            text.append(f"{node.files[kind]:>7,}", look.style("text"))
            text.append(f"{size(node.bytes[kind]):>10}\n", look.style("quiet"))
    heading(text, "the least certain thing in it", look)
    text.append(f"{node.least:.2f}\n", look.style("text"))
    heading(text, "rule it", look)
    text.append(
        "a letter rules all that lies below it;\nyou see how much that is before it counts\n",
        look.style("quiet"),
    )
    return text


def why_move(move: Move, plan: PlanView, survey: Survey | None, look: Look) -> Text:
    """Why a path moves as it does."""
    text = Text()
    text.append(bearable(move.at.shown) + "\n", look.style("text", bold=True))
    badge_line(text, move.file_class, f"{NAME[move.file_class]}\n", look)
    heading(text, "what happens", look)
    text.append(f"{move.verb.value}: ", look.style("focus", bold=True)).append(
        bearable(move.because) + "\n", look.style("text")
    )
    merge = plan.merges.get(move.at)
    if merge is not None:
        keys(text, merge.lines, look)
        text.append(
            "\nYour comments and the order of lines stay.\nThe file as it was goes into the strongbox.\n",
            look.style("quiet"),
        )
    finding = survey.findings.find(move.at) if survey is not None else None
    if finding is not None:
        heading(text, f"why it counts as {NAME[finding.file_class]} ({finding.certainty:.2f})", look)
        _evidence(text, finding, look)
    return text


_DECIDED = {
    "yours": "yours",
    "arriving": "new default",
    "new": "new",
    "renamed": "renamed",
    "conflict": "question",
    "dropped": "gone",
    "left out": "stays out",
    "spelt otherwise": "stays out",
}


def keys(text: Text, lines: tuple[KeyLine, ...], look: Look) -> None:
    """Key by key: shipped, yours, arriving, and the result; two lines a key, so that nothing is cut."""
    changed = [line for line in lines if line.decided != "same"]
    heading(text, "key by key", look)
    for line in changed:
        kept = line.result is not None and line.result == line.yours
        colour = "focus" if line.decided == "conflict" else "good" if kept else "text"
        text.append(fit(line.key, WIDE - 13), look.style("text", bold=True))
        text.append(f"{_DECIDED.get(line.decided, line.decided):>12}\n", look.style(colour))
        sides = (("shipped", line.shipped), ("yours", line.yours), ("arriving", line.arriving))
        said = [f"{n} {_value(v)}" for n, v in sides if v is not None]
        between = " · " if sum(map(len, said)) + 8 < WIDE else "\n  "
        text.append("  ").append(between.join(said), look.style("quiet"))
        text.append("\n  → ", look.style("quiet")).append(_value(line.result) + "\n", look.style(colour))
    same = len(lines) - len(changed)
    if same:
        text.append(
            f"\n{count(same, 'key')} more {'is' if same == 1 else 'are'} the same on all sides\n",
            look.style("quiet"),
        )


def _value(value: str | None) -> str:
    return "nothing" if value is None else clip(bearable(value.replace("\n", " ¶ ")), 30) or "(empty)"


def why_question(question: Question, plan: PlanView, look: Look) -> Text:
    """What a question is about, and what each answer leads to."""
    text = Text()
    text.append(bearable(question.asks) + "\n", look.style("text", bold=True))
    if question.note:
        text.append(bearable(question.note) + "\n", look.style("quiet"))
    heading(text, "what each answer leads to", look)
    for option, leads in zip(question.options, question.leads_to, strict=True):
        chosen = option == question.choice
        text.append("◉ " if chosen else "○ ", look.style("focus" if chosen else "quiet"))
        text.append(f"{option}", look.style("text", bold=chosen))
        text.append(("  (the default)" if option == question.default else "") + "\n", look.style("quiet"))
        text.append(f"  {bearable(leads)}\n", look.style("quiet"))
    if question.paths:
        heading(text, "about", look)
    for at in question.paths[:12]:
        text.append(clip(bearable(at.shown), WIDE) + "\n", look.style("text"))
    if len(question.paths) > 12:
        text.append(f"… and {len(question.paths) - 12} more\n", look.style("quiet"))
    for at in question.paths[:1]:
        if at in plan.merges:
            keys(text, plan.merges[at].lines, look)
    return text
