"""What is new over the whole shelf: one list by install, the lines of notes that touch this person first."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any, ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.install import Install
from left_intact.core.model.outlet import Fetched, Ranked
from left_intact.core.model.progress import Progress
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.protocol import Open
from left_intact.tui.screens.framed import FramedScreen
from left_intact.tui.widgets.bars import TitleBar
from left_intact.tui.widgets.lines import Gap, Lines, Row, Words
from left_intact.tui.widgets.why import Why
from left_intact.tui.writing import Line, bearable, clip
from left_intact.words import ago, count, date, size
from left_intact.workbench import News
from left_intact.worker.call import Call, call

_EVERY = 0.3
"""Seconds between two looks at what has come while outlets are asked."""


class InstallHead(Row):
    """An install with what its outlets said, and when."""

    def __init__(self, news: News) -> None:
        super().__init__(f"install:{news.install.name}")
        self.news = news

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        news, best = self.news, self.news.best
        line = Line().put(bearable(news.install.name), look.style("text", bold=True), 19).gap()
        line.put(f"{news.installed or '?'} ", look.style("text"))
        if best is not None:
            line.put(f"→ {best.offer.version}", look.style("focus", bold=True))
        line.gap(42 - line.cell_len)
        if news.hold is not None:
            line.put(f"held at {news.hold.beyond or news.installed}  ", look.style("focus"))
        line.put(clip(_asked(news), width - line.cell_len), look.style("quiet"))
        return [line]


def _asked(news: News) -> str:
    """How the outlets stand, in a line."""
    if not news.outlets:
        return "follows no outlet yet: o"
    trouble = next((o for o in news.outlets if o.trouble), None)
    last = max(o.checked for o in news.outlets)
    when = f"looked at {ago(last, time.time())}" if last else "never looked at: c"
    leads = next((o.leads for o in news.outlets if o.leads), "")
    return "; ".join(filter(None, (trouble.trouble if trouble else "", when, leads)))


class OfferRow(Row):
    """One release in one place."""

    def __init__(self, news: News, ranked: Ranked) -> None:
        super().__init__(f"offer:{news.install.name}:{ranked.offer.place}")
        self.news, self.ranked = news, ranked

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        ranked, offer = self.ranked, self.ranked.offer
        colour = "focus" if ranked.waits else "text" if ranked.newer or offer.pack else "quiet"
        mark = "●" if ranked.waits else "◆" if offer.pack else "·"
        line = (
            Line()
            .gap(2)
            .put(mark, look.style(colour), 2)
            .put(offer.version, look.style(colour, bold=lit), 14)
        )
        line.put(date(offer.published) if offer.published else "", look.style("quiet"), 13)
        line.put(size(offer.bytes) if offer.bytes else "", look.style("quiet"), 9, "right").gap(2)
        return [line.put(clip("; ".join(self._says()), width - line.cell_len - 1), look.style("quiet"))]

    def _says(self) -> list[str]:
        ranked, said = self.ranked, []
        if ranked.offer.pack:
            said.append("a pack of changed content: Enter sees what of it is yours")
        if ranked.waits:
            touching = sum(1 for x in self.news.lines if x.why and x.version == ranked.offer.version)
            said.append(
                f"{count(touching, 'line')} of its notes touch you" if touching else "nothing in it for you"
            )
        if ranked.held:
            said.append("held back")
        if ranked.dismissed:
            said.append("not this one, you said")
        if not ranked.newer and not ranked.offer.pack and ranked.offer.channel == "stable":
            said.append("not newer")
        return [*said, *ranked.says]


class NewsScreen(FramedScreen):
    """Is there something newer, and is it worth it?"""

    HELP: ClassVar[str] = (
        "What the outlets offer, newest first, by install. The panel shows the notes of all "
        "versions between yours and the "
        "newest, the lines that touch your games, parts and settings first, with the reason "
        "each was picked for. f fetches "
        "in the background of this screen, checked against the outlet's digest; then Enter leads to the plan."
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("enter", "enter", "open"),
        Binding("c", "check", "look for news"),
        Binding("f", "fetch", "fetch"),
        Binding("F", "fetch_all", "fetch all that is new"),
        Binding("h", "hold", "hold or let go"),
        Binding("d", "wave_off", "not this one"),
        Binding("o", "outlet", "follow an outlet"),
        Binding("a", "at_start", "look at every start", show=False),
        Binding("s", "halt", "stop"),
        Binding("w", "why", "notes", show=False),
        Binding("escape", "leave", "shelf"),
    ]

    def __init__(self) -> None:
        super().__init__()
        self.found: list[News] = []
        self.fetching: Job | None = None
        self.looking: Job | None = None
        self.peeking, self.peeked = False, 0.0
        """Whether what came so far is being read, and when it last was."""

    def compose_left(self) -> ComposeResult:
        yield Lines(id="news")

    def on_mount(self) -> None:
        self.query_one(TitleBar).say((self.left_intact.place, "news"))
        self._again()

    def _work(self, title: str, wanted: Call, done: Callable[[Any], None]) -> Job:
        return self.left_intact.work_on(Job(title, wanted, done, self._failed))

    def _failed(self, error: LeftIntactError) -> None:
        self.fetching = self.looking = None
        self.left_intact.complain(error)
        self._again()

    def _again(self, *_: object) -> None:
        self._work("reading", call("desk.news"), self._show)

    def _show(self, found: list[News]) -> None:
        self.found = found
        if not self.is_attached:
            return
        rows: list[Row] = [Gap()]
        for news in found:
            rows.append(InstallHead(news))
            rows += [OfferRow(news, ranked) for ranked in news.ranked]
            rows.append(Gap())
        if not found:
            rows.append(Words("Nothing on the shelf yet."))
        self.query_one(Lines).set_rows(rows)
        waiting = sum(1 for news in found if news.best is not None)
        has = "has" if len(found) == 1 else "have"
        self.query_one(TitleBar).say(
            aside=f"{waiting} of {count(len(found), 'install')} {has} something newer"
        )

    def show_why_again(self) -> None:
        self._show(self.found)

    def on_lines_moved(self, message: Lines.Moved) -> None:
        row, look = message.row, self.left_intact.look
        if isinstance(row, (InstallHead, OfferRow)):
            only = row.ranked.offer.version if isinstance(row, OfferRow) and not row.ranked.newer else ""
            self.query_one(Why).explain(
                _notes(row.news, row.ranked if isinstance(row, OfferRow) else None, only, look)
            )
        self.refresh_bindings()

    def job_progress(self, job: Job, progress: Progress) -> None:
        if job is self.fetching and progress.stage == "fetching":
            spent = max(0.01, time.monotonic() - job.began)
            speed = progress.bytes_done / spent
            rest = (
                f", {max(0, progress.total - progress.done) / speed:.0f} s left"
                if progress.total and speed
                else ""
            )
            self.show_busy(
                f"fetching {size(progress.done)} of {size(progress.total)}, {size(int(speed))} "
                f"a second{rest}; s stops"
            )
        else:
            self.show_busy(f"{job.title}: {progress.done:,} of {progress.total:,}")
        if progress.stage == "news" and not self.peeking and time.monotonic() - self.peeked > _EVERY:
            # What has come is shown while the slow ones are waited for.
            self.peeking = True
            wanted = call("desk.news")
            self.left_intact.work_on(Job("reading", wanted, self._peeked, self._not_peeked, beside=True))

    def _peeked(self, found: list[News]) -> None:
        self.peeking, self.peeked = False, time.monotonic()
        if self.looking is not None:  # after the last word, what was read before it is old
            self._show(found)

    def _not_peeked(self, error: LeftIntactError) -> None:
        self.peeking = False

    # ------------------------------------------------------------ actions

    @property
    def chosen(self) -> tuple[News, Ranked | None] | None:
        row = self.query_one(Lines).row
        if isinstance(row, OfferRow):
            return row.news, row.ranked
        return (row.news, row.news.best) if isinstance(row, InstallHead) else None

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        if action == "halt":
            return self.fetching is not None
        if not self.is_mounted or action not in ("fetch", "wave_off", "hold", "outlet"):
            return True
        chosen = self.chosen
        if action in ("hold", "outlet"):
            return chosen is not None
        return chosen is not None and chosen[1] is not None and not chosen[1].offer.pack

    def on_lines_chosen(self, message: Lines.Chosen) -> None:
        self.action_enter()

    def action_enter(self) -> None:
        """A pack opens its view; what was fetched leads to its arrival."""
        chosen = self.chosen
        if chosen is None:
            return
        news, ranked = chosen
        if ranked is not None and ranked.offer.pack:
            self.post_message(Open("pack", news.install, ranked.offer))
            return

        def open_it(found: list) -> None:  # type: ignore[type-arg]
            row = next(r for r in found if r.install.id == news.install.id)
            if row.waiting is None:
                self.notify("nothing is fetched for it yet: f fetches the newest that fits", timeout=4)
            else:
                self.app.pop_screen()
                self.left_intact.open_desk(row, "arrival")

        self._work("the shelf", call("shelf.rows"), open_it)

    def action_check(self) -> None:
        def done(found: list[News]) -> None:
            self.looking = None
            self._show(found)

        self.looking = self._work("looking for news", call("outlets.look_for_news"), done)

    def action_fetch(self) -> None:
        chosen = self.chosen
        if chosen is None or chosen[1] is None:
            return
        news = chosen[0]
        offer = chosen[1].offer

        def done(got: Fetched) -> None:
            self.fetching = None
            self.notify(f"{offer.name} is here. " + "; ".join(got.says) + ". Enter leads on.", timeout=10)
            self.left_intact.refresh_shelf()
            self._again()

        self.fetching = self._work("fetching", call("outlets.fetch", news.install, offer), done)
        self.refresh_bindings()

    def action_fetch_all(self) -> None:
        """Everything that is newer, several at a time."""
        wanted = [(news.install, news.best.offer) for news in self.found if news.best is not None]
        if not wanted:
            self.notify("nothing newer to fetch", timeout=3)
            return

        def done(got: list[tuple[Install, Fetched | LeftIntactError]]) -> None:
            self.fetching = None
            failed = [error for _, error in got if isinstance(error, LeftIntactError)]
            self.notify(f"{count(len(got) - len(failed), 'release')} here, {len(failed)} not", timeout=6)
            for error in failed:
                self.left_intact.complain(error)
            self.left_intact.refresh_shelf()
            self._again()

        self.fetching = self._work("fetching", call("outlets.fetch_all", wanted), done)
        self.refresh_bindings()

    def action_at_start(self) -> None:
        """Turn on or off that the outlets are asked whenever the program starts."""
        says = {
            True: "outlets are asked at every start from now on",
            False: "outlets are asked only when you press c",
        }
        wanted = call("desk.turn_looking_at_start")
        self._work("noting", wanted, lambda wants: self.notify(says[wants], timeout=5))

    def action_halt(self) -> None:
        if self.fetching is not None:
            self.left_intact.jobs.cancel(self.fetching)

    def action_hold(self) -> None:
        chosen = self.chosen
        if chosen is None:
            return
        from left_intact.tui.screens.dialogs import TextDialog

        news = chosen[0]
        if news.hold is not None:
            self._work("noting", call("outlets.release_hold", news.install), self._again)
            return
        says = (
            f"Nothing beyond {news.installed} goes in. Say why; with `until 1.14:` in front it ends "
            "by itself."
        )
        self.app.push_screen(
            TextDialog(f"hold {news.install.name}", says), lambda said: self._hold(news, said)
        )

    def _hold(self, news: News, said: str | None) -> None:
        if said is None:
            return
        until = ""
        if said.lower().startswith("until ") and ":" in said:
            until, _, said = said[6:].partition(":")
        wanted = call("outlets.hold", news.install, news.installed, said.strip(), until.strip())
        self._work("noting", wanted, self._again)
        self.left_intact.refresh_shelf()

    def action_wave_off(self) -> None:
        chosen = self.chosen
        if chosen is None or chosen[1] is None:
            return
        news = chosen[0]
        version, again = chosen[1].offer.version, chosen[1].dismissed
        self._work("noting", call("outlets.dismiss", news.install, version, again=again), self._again)

    def action_outlet(self) -> None:
        chosen = self.chosen
        if chosen is None:
            return
        from left_intact.tui.screens.dialogs import TextDialog

        news = chosen[0]
        says = "The address of an Atom feed, or a folder of downloads (it may lie on a share)."
        dialog = TextDialog(f"follow an outlet for {news.install.name}", says)

        def follow(said: str | None) -> None:
            if said:
                self._work("noting", call("outlets.follow", news.install, said), self._again)

        self.app.push_screen(dialog, follow)

    def action_leave(self) -> None:
        self.left_intact.jobs.stop()
        self.app.pop_screen()
        self.left_intact.refresh_shelf()


def _notes(news: News, ranked: Ranked | None, only: str, look: Look) -> Text:
    text = Text()
    text.append(f"{bearable(news.install.name)} {news.installed}\n", look.style("text", bold=True))
    if ranked is not None:
        text.append(f"{clip(bearable(ranked.offer.place), 46)}\n", look.style("quiet"))
    if news.hold is not None:
        text.append(f"held: {bearable(news.hold.reason) or 'no reason given'}\n", look.style("focus"))
    mine = [line for line in news.lines if line.why]
    rest = [line for line in news.lines if not line.why]
    if only and ranked is not None:
        why = "a preview, so no news" if ranked.offer.channel != "stable" else "not newer than yours"
        text.append(f"\n{why}; what it says of itself\n", look.style("quiet"))
        return text.append(
            "\n".join(bearable(x) for x in ranked.offer.notes.splitlines()) or "No notes.", look.style("text")
        )
    text.append("\nwhat touches you\n", look.style("quiet"))
    if not mine:
        text.append("Nothing in it for you.\n" if news.lines else "No notes.\n", look.style("text"))
    for line in mine:
        text.append(f"{line.version:9}", look.style("focus")).append(
            f"{bearable(line.text)}\n", look.style("text", bold=True)
        )
        text.append(f"         {bearable(line.why)}\n", look.style("good"))
    if rest:
        text.append("\nthe rest of the notes\n", look.style("quiet"))
    for line in rest:
        text.append(f"{line.version:9}", look.style("quiet"))
        text.append(f"{bearable(line.text)}\n", look.style("text" if line.heading else "quiet"))
    return text
