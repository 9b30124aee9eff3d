"""The words of the proof: its headline, what stands behind checks and things, where every file went."""

from __future__ import annotations

from rich.text import Text

from left_intact.core.model.classes import FileClass
from left_intact.core.model.plan import Verb
from left_intact.core.model.proof import Check, CheckState, LedgerLine, Proof, Verdict
from left_intact.core.model.things import ThingLine
from left_intact.tui.explain import heading, keys
from left_intact.tui.look import Look
from left_intact.tui.widgets.strip import badge
from left_intact.tui.writing import bearable, clip
from left_intact.words import versions

_VERDICT = {
    Verdict.INTACT: ("I N T A C T", "good"),
    Verdict.ATTENTION: ("A T T E N T I O N", "focus"),
    Verdict.BROKEN: ("B R O K E N", "bad"),
}


def ledger_words(line: LedgerLine) -> str:
    """`212 equal, 1 changed as agreed`."""
    if not line.is_well:
        said = (
            (line.trouble, "lost or changed by nobody's leave"),
            (line.since, "changed since, as by a run"),
            (line.unread, "cannot be read"),
        )
        return ", ".join(f"{number:,} {words}" for number, words in said if number)
    changed = line.before.files - line.equal
    if not line.agreed or not changed:
        new = f", {line.agreed:,} new as agreed" if line.agreed else ""
        return "all equal, by digest" + new
    equal = f"{line.equal:,} equal, " if line.equal else ""
    return f"{equal}{changed:,} changed as agreed"


def headline(proof: Proof, name: str, look: Look, *, roomy: bool) -> Text:
    word, colour = _VERDICT[proof.verdict]
    theirs = sum(
        (x.after if proof.undoes else x.before).files for x in proof.ledger if x.file_class.is_the_persons
    )
    text = Text(no_wrap=True)
    text.append(f"{word}    ", look.style(colour, bold=True))
    wrong = [
        f"{len(paths):,} {words}"
        for paths, words in (
            (proof.altered, "changed by nobody's leave"),
            (proof.since, "changed since"),
            (proof.unread, "unreadable"),
        )
        if paths
    ]
    lost, merged = f"{len(proof.lost):,} lost", f"{proof.counts.get(Verb.MERGE, 0)} merged"
    if roomy:
        says = f"{proof.kept.files:,} of your {theirs:,} files are what they were"
        says += f"{'' if wrong or proof.lost else ', byte for byte'}; {merged} as agreed; {lost}"
        text.append("; ".join((*wrong, says)) + "\n", look.style("text"))  # what is wrong is never cut
    else:
        same = f"{proof.kept.files:,} of {theirs:,} as they were"
        text.append(
            " · ".join((lost, *wrong, same, *(() if wrong else (merged,)))) + "\n", look.style("text")
        )
    text.append(
        f"{bearable(name)} {versions(proof.version_before, proof.version_after)} · read back"
        f"{' from the disk, digest by digest,' if roomy else ''} in {proof.seconds:.1f} s",
        look.style("quiet"),
    )
    return text


def footline(proof: Proof, look: Look, *, roomy: bool) -> Text:
    text = Text()
    text.append("s ", look.style("focus", bold=True)).append(
        "settles, once you are content.  ", look.style("quiet")
    )
    text.append("g ", look.style("focus", bold=True))
    old = proof.version_before or "the old one"
    text.append(
        f"brings {old} back{', and keeps what you make meanwhile' if roomy else ''}.", look.style("quiet")
    )
    return text


def why_check(check: Check, proof: Proof, look: Look) -> Text:
    text = Text()
    state = {
        CheckState.PASSED: ("passed", "good"),
        CheckState.FAILED: ("failed", "bad"),
        CheckState.YOURS: ("yours to check", "focus"),
    }[check.state]
    text.append(f"{check.name}\n", look.style("text", bold=True)).append(
        f"{state[0]}\n\n", look.style(state[1])
    )
    text.append(bearable(check.says) + "\n", look.style("text"))
    if check.name == "merged":
        path = check.says.split(":", 1)[0]
        if path in proof.merged:
            keys(text, proof.merged[path], look)
    for of, word, paths in (
        ("yours", "lost", proof.lost),
        ("yours", "changed by nobody's leave", proof.altered),
        ("yours", "changed since, as by a run", proof.since),
        ("unreadable", "cannot be read", proof.unread),
        ("not whole", "as they were", proof.stayed_old),
        ("nothing else", "appeared", proof.appeared),
    ):
        if paths and check.name == of:
            heading(text, word, look)
            text.append("\n".join(clip(bearable(p), 48) for p in paths[:20]) + "\n", look.style("text"))
    return text


def why_thing(line: ThingLine, look: Look) -> Text:
    """What is missing and what is new of a kind of things, and how it was counted."""
    text = Text()
    text.append(f"{line.thing.value}\n", look.style("text", bold=True))
    text.append(f"{line.before:,} before, {line.after:,} now\n\n", look.style("quiet"))
    text.append(f"counted by: {bearable(line.rule)}\n", look.style("text"))
    if line.trouble:
        text.append(bearable(line.trouble) + "\n", look.style("bad"))
    for word, names in (("no longer there", line.missing), ("new", line.new)):
        if names:
            heading(text, word, look)
            text.append("\n".join(clip(bearable(n), 48) for n in names[:20]) + "\n", look.style("text"))
    return text


def where_it_went(proof: Proof, look: Look) -> Text:
    """Every class as a band from before to after: heavy where bytes are the very same, thin where laid
    anew.
    """
    text = Text("where every file went\n\n", look.style("text", bold=True))
    text.append("before" + " " * 18 + "after\n\n", look.style("quiet"))
    for line in proof.ledger:
        if not line.before.files and not line.after.files:
            continue
        kind = line.file_class
        thick = line.equal > 0 or kind.is_the_persons
        body = ("━" if thick and not line.trouble else "─") * 18
        text.append_text(badge(kind, look))
        text.append(f" {body} ", look.of_class(kind)).append_text(badge(kind, look))
        text.append(f"{line.after.files:>9,}\n", look.style("text"))
        anew = proof.counts.get(Verb.REPLACE, 0) + proof.counts.get(Verb.ADD, 0)
        if kind is FileClass.PROGRAM and anew:
            text.append("    " + "─" * 18, look.of_class(kind)).append(
                f"     {anew:>8,} laid anew\n", look.style("quiet")
            )
            gone = proof.counts.get(Verb.RETIRE, 0)
            if gone:
                text.append("    " + "╌" * 18, look.style("quiet")).append(
                    f"     {gone:>8,} set aside\n", look.style("quiet")
                )
        text.append("\n")
    text.append(
        "heavy: the very same bytes\nthin: what the release ships\nbroken: in the strongbox\n",
        look.style("quiet"),
    )
    return text
