"""Where releases appear: following, news, fetching, packs."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Collection, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError, Misuse, reason_of
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.services.home import Home, Service

if TYPE_CHECKING:
    from left_intact.core.model.install import Install
    from left_intact.core.model.outlet import Fetched, Hold, NoteLine, Offer, Outlet, PackView
    from left_intact.core.model.pages import Page
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.release import Arrival
    from left_intact.core.model.survey import Survey
    from left_intact.core.outlets.notes import Touch

from left_intact.services.surveys import Surveys
from left_intact.services.values import News

_AT_ONCE = 64
"""Outlets that are asked at a time: those that hang wait by themselves."""
_SECRETS = "outlets-secrets.json"
_FETCHES_AT_ONCE = 3


class Outlets(Service):
    """Where releases appear: following, news, fetching, packs."""

    def __init__(self, home: Home, surveys: Surveys) -> None:
        super().__init__(home)
        self.surveys = surveys

    def follow(self, install: Install, place: str) -> None:
        """Follow a feed or a folder of downloads. Raises `no-outlet`."""
        if place.startswith(("http://", "https://")):
            self.library.follow(install, "feed", self._without_secrets(place))
            return
        folder = os.path.abspath(os.path.expanduser(place))
        if not os.path.isdir(folder):
            raise LeftIntactError(
                "no-outlet",
                "this is neither a feed's address nor a folder",
                path=place,
                way_out="Give http(s)://… of an Atom feed, or a folder of downloads.",
            )
        self.library.follow(install, "folder", folder)

    def secrets(self) -> dict[str, str]:
        """`name:password` by origin, from a file of ours that its owner alone may read."""
        try:
            with open(os.path.join(self.home, _SECRETS), encoding="utf-8") as file:
                said = json.load(file)
        except (OSError, ValueError):
            return {}
        return {str(k): str(v) for k, v in said.items()} if isinstance(said, dict) else {}

    def _without_secrets(self, url: str) -> str:
        """An address as it may be written down; a name and a password in it are kept where they belong."""
        from urllib.parse import unquote

        from left_intact.core.files.private import write_private
        from left_intact.core.outlets.asking import origin_of, secret_in, without_secrets

        if secret := secret_in(url):
            known = self.secrets() | {origin_of(url): unquote(secret)}
            write_private(os.path.join(self.home, _SECRETS), json.dumps(known, indent=1))
        return without_secrets(url)

    def followed(self, install: Install) -> list[Outlet]:
        """The outlets of an install; a name and a password that an older version wrote down with an address
        go where they belong.
        """
        from left_intact.core.outlets.asking import secret_in

        found = self.library.outlets(install)
        open_ones = [outlet for outlet in found if secret_in(outlet.place)]
        for outlet in open_ones:
            self.library.follow(install, outlet.kind.value, self._without_secrets(outlet.place))
            self.library.unfollow(install, outlet.place)
        return self.library.outlets(install) if open_ones else found

    def held(self, install: Install) -> Hold | None:
        return self.library.hold(install)

    def unfollow(self, install: Install, place: str) -> None:
        """Follow a place no longer. Raises `no-outlet`."""
        from left_intact.core.outlets.asking import without_secrets

        place = without_secrets(place)
        if not (
            self.library.unfollow(install, place) or self.library.unfollow(install, os.path.abspath(place))
        ):
            raise LeftIntactError(
                "no-outlet",
                f"{install.name} does not follow this",
                path=place,
                way_out="See left-intact news.",
            )

    def look_for_news(
        self, installs: Sequence[Install] = (), *, report: Report = silent, cancel: CancelToken | None = None
    ) -> list[News]:
        """Ask all outlets of some installs (or of all), several at a time. Offline is a normal state."""
        from concurrent.futures import ThreadPoolExecutor, as_completed

        from left_intact.core.model.progress import Progress
        from left_intact.core.outlets.asking import asker
        from left_intact.core.outlets.fetch import check

        chosen = list(installs) or self.library.installs()
        asked = [(install, outlet) for install in chosen for outlet in self.followed(install)]
        now, cancel = time.time(), cancel or CancelToken()
        with asker(self.secrets()) as ask, ThreadPoolExecutor(_AT_ONCE) as pool:
            waiting = [pool.submit(check, outlet, install.name, ask, now) for install, outlet in asked]
            # As they come: one that hangs keeps none of the others back.
            for number, future in enumerate(as_completed(waiting), 1):
                checked = future.result()
                self.library.note_checked(checked.outlet, checked.offers)
                report(Progress(stage="news", done=number, total=len(waiting), path=checked.outlet.place))
                if cancel.cancelled:
                    for rest in waiting:
                        rest.cancel()
                    cancel.check()
        return [self.news(install) for install in chosen]

    def news(self, install: Install) -> News:
        """What is new, from what is on record; asks nobody."""
        from left_intact.core.outlets.choose import rank
        from left_intact.core.outlets.notes import read_notes

        summary = self.library.summary(install)
        hold = self.library.hold(install)
        ranked = rank(
            self.library.offers(install),
            installed=summary.get("version", ""),
            platform=summary.get("platform", ""),
            hold=hold,
            dismissed=self.library.dismissed(install),
        )
        notes: dict[str, str] = {}
        for one in ranked:
            if one.newer and one.offer.notes and not one.offer.pack:
                notes.setdefault(one.offer.version, one.offer.notes)
        lines = read_notes(notes.items(), self._touch(install)) if notes else ()
        first = sorted(lines, key=lambda line: not line.why)
        return News(
            install=install,
            installed=summary.get("version", ""),
            ranked=ranked,
            lines=tuple(first),
            outlets=tuple(self.followed(install)),
            hold=hold,
        )

    def _touch(self, install: Install, seen: Sequence[Page] | None = None) -> Touch:
        """What the person has that notes may speak of: games, parts, and settings they changed.

        `seen` is what lies in the install, where it is at hand.
        """
        from left_intact.core.files.tree import text_reader
        from left_intact.core.model.pages import PagedEntries, pages_in
        from left_intact.core.outlets.notes import Touch
        from left_intact.core.settings.document import NotReadable, shown
        from left_intact.core.settings.formats.registry import is_settings_text, open_document

        names: dict[str, str] = {}
        settings: dict[str, str] = {}
        read, base = text_reader(install.root), self.library.baseline(install)
        pages = self.library.seen(install) if seen is None else seen
        shipped = {page.folder: set(page.names) for page in pages_in(base.entries)} if base else {}
        for page in pages:
            here = shipped.get(page.folder, ()) if not page.root else ()
            for at, name in enumerate(page.names):
                if name not in here and not is_settings_text(page.formats[at] if page.formats else ""):
                    path = page.place(at).shown
                    for words in _titles(path, alone=base is not None):
                        names.setdefault(words, f"you have {path}")
        entries = PagedEntries(page for page in pages if not page.root)
        for path, text in base.texts.items() if base else ():
            entry = entries.get(path)
            if entry is None or base is None or base.entries[path].digest == entry.digest:
                continue
            try:
                mine = open_document(read(path) or b"", entry.format).values()
                old = open_document(text, entry.format).values()
            except NotReadable:
                continue
            settings |= {
                shown(key): value for key, value in mine.items() if old.get(key) not in (None, value)
            }
        return Touch(names=names, settings=settings)

    def hold(self, install: Install, beyond: str, reason: str = "", until: str = "") -> None:
        """Let nothing beyond a version in. Raises `Misuse` for what is no version."""
        from left_intact.core.model.outlet import Hold
        from left_intact.core.model.version import Version

        for text in filter(None, (beyond, until)):
            if Version.parse(text) is None:
                raise Misuse("no-version", f"{text!r} is no version", way_out="Give one like 1.12 or r121.")
        self.library.set_hold(install, Hold(beyond=beyond, reason=reason, until=until))

    def release_hold(self, install: Install) -> None:
        self.library.set_hold(install, None)

    def dismiss(self, install: Install, version: str, *, again: bool = False) -> None:
        """Remember `not this one`."""
        self.library.dismiss(install, version, again=again)

    def fetch(
        self, install: Install, offer: Offer, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> Fetched:
        """Get an offer, once, checked; a release then waits for its install."""
        from left_intact.core.files.private import private_folder
        from left_intact.core.outlets.asking import asker
        from left_intact.core.outlets.fetch import fetch, key_of

        into = os.path.join(private_folder(os.path.join(self.home, "fetched")), key_of(offer))
        with asker(self.secrets()) as ask:
            fetched = fetch(offer, into, report=report, cancel=cancel, ask=ask)
        if not offer.pack:
            self.library.set_waiting(install, fetched.path, offer.version, offer.channel)
        return fetched

    def fetch_all(
        self,
        wanted: Sequence[tuple[Install, Offer]],
        *,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> list[tuple[Install, Fetched | LeftIntactError]]:
        """Get several offers at a time; one that fails is told beside the others and stops none."""
        from concurrent.futures import ThreadPoolExecutor
        from threading import Lock

        from left_intact.core.model.progress import Progress
        from left_intact.core.outlets.fetch import key_of

        lock, amounts = Lock(), {}
        alone = {key_of(offer): Lock() for _, offer in wanted}
        fetched: dict[str, Fetched] = {}
        whole = sum(offer.bytes for _, offer in wanted)

        def tell(progress: Progress) -> None:
            with lock:
                amounts[progress.path] = progress.bytes_done
                done = sum(amounts.values())
                report(
                    Progress(stage="fetching", done=done, total=whole, bytes_done=done, path=progress.path)
                )

        def one(pair: tuple[Install, Offer]) -> tuple[Install, Fetched | LeftIntactError]:
            install, offer = pair
            key = key_of(offer)
            try:
                with alone[key]:  # what several wait for is fetched once
                    if key not in fetched:
                        fetched[key] = self.fetch(install, offer, report=tell, cancel=cancel)
                    elif not offer.pack:
                        self.library.set_waiting(install, fetched[key].path, offer.version, offer.channel)
                    return install, fetched[key]
            except LeftIntactError as error:
                return pair[0], error
            except OSError as error:  # a full disk stops this one; what the others fetched is told
                says = f"{pair[1].name} could not be kept ({reason_of(error)})"
                way = "Free some room, and try again."
                return pair[0], LeftIntactError("no-room", says, path=self.home, way_out=way)

        with ThreadPoolExecutor(_FETCHES_AT_ONCE) as pool:
            return list(pool.map(one, wanted))

    def notes_of(
        self, install: Install, arrival: Arrival, seen: Sequence[Page] | None = None
    ) -> tuple[NoteLine, ...]:
        """The notes that an arrival carries, those that touch the person first; `seen` as in `_touch`."""
        from left_intact.core.outlets.notes import read_notes

        if not arrival.news.strip():
            return ()
        lines = read_notes([(arrival.release.version_text, arrival.news)], self._touch(install, seen))
        return tuple(sorted(lines, key=lambda line: not line.why))

    def offer_of(self, install: Install, version: str = "") -> Offer:
        """The offer of a version (or the best one). Raises `no-offer`."""
        news = self.news(install)
        if not version:
            if news.best is not None:
                return news.best.offer
        else:
            fitting = [r for r in news.ranked if r.offer.version == version and not r.offer.pack]
            fitting.sort(key=lambda r: not r.fits)
            if fitting:
                return fitting[0].offer
        raise LeftIntactError(
            "no-offer",
            f"no outlet of {install.name} offers {version or 'anything newer'}",
            way_out="Look for news first: left-intact news --check.",
        )

    def pack(self, install: Install, place: str, survey: Survey, *, full: int = 0) -> PackView:
        """Sort a pack of content, local or at an outlet, for an install. Only its directory is read."""
        from left_intact.core.outlets.asking import asker
        from left_intact.core.outlets.local_pack import local_directory
        from left_intact.core.outlets.pack import sort_pack
        from left_intact.core.outlets.pockets import refuse_own_content
        from left_intact.core.outlets.ranged import RangedFile, directory

        name = os.path.basename(place)
        if "://" not in place:
            refuse_own_content(survey, place)
            members, whole = local_directory(place)
            return sort_pack(name, os.path.abspath(place), members, survey, full=full, whole=whole)
        place = self._without_secrets(place)
        with asker(self.secrets()) as ask:
            file = RangedFile(place, ask)
            view = sort_pack(name, place, directory(file), survey, full=full, whole=file.size)
            return replace(view, known=file.directory_window)

    def pack_plan(
        self,
        install: Install,
        view: PackView,
        survey: Survey,
        *,
        with_lacking: Collection[str] = (),
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Plan:
        """Fetch only the person's share of a pack, lift it out of its folders, and plan its laying."""
        import tempfile

        from left_intact.core.arrival.look import look_into
        from left_intact.core.model.plan import Route
        from left_intact.core.outlets.asking import asker
        from left_intact.core.outlets.local_pack import lift_local
        from left_intact.core.outlets.pockets import pocket_at
        from left_intact.core.outlets.ranged import RangedFile, lift
        from left_intact.core.planning.draw import draw_up
        from left_intact.core.planning.inputs import PlanInputs

        wanted = {line.member: line.path for line in view.of("mine")}
        wanted |= {line.member: line.path for line in view.of("lacking") if line.member in with_lacking}
        if not wanted:
            raise LeftIntactError(
                "nothing-in-it",
                "nothing in this pack replaces anything you own",
                path=view.place,
                way_out="There is nothing to do.",
            )
        from left_intact.core.files.private import private_folder

        base = private_folder(os.path.join(self.home, "lifted"))
        into = tempfile.mkdtemp(dir=base)
        if "://" in view.place:
            with asker(self.secrets()) as ask:
                lift(RangedFile(view.place, ask, view.known), wanted, into, report=report, cancel=cancel)
        else:
            lift_local(view.place, wanted, into, report=report, cancel=cancel)
        arrival = look_into(
            into,
            installed={page.folder: page.names for page in survey.findings.own_pages},
            name=install.name,
            report=report,
            cancel=cancel,
        )
        inputs = PlanInputs(
            install=install.name,
            survey=survey,
            arrival=arrival,
            circumstances=self.surveys.circumstances(install, survey),
            route=Route.CONTENT_PACK,
            pocket=pocket_at(survey, view.place),
        )
        return draw_up(inputs)


def _titles(path: str, *, alone: bool) -> list[str]:
    """What a path may be called in notes: its name and the folders below the first, in words.

    One word alone is a title only where a baseline has told what is the program's.
    """
    parts = path.split("/")
    if len(parts) < 2:
        return []
    *folders, name = [_spaced(part) for part in [*parts[1:-1], os.path.splitext(parts[-1])[0]]]
    words = [w for w in folders if " " in w] + [w for w in (name,) if alone or " " in w]
    return [w for w in words if len(w) >= 5 and not any(c.isdigit() for c in w)]


def _spaced(part: str) -> str:
    return part.lower().replace("-", " ").replace("_", " ").strip()
