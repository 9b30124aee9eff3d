"""The library: one SQLite file below `--home`. The schema is described in docs/formats.md."""

from __future__ import annotations

import json
import os
import sqlite3
import time
from collections.abc import Iterable, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import asdict, replace
from itertools import islice
from typing import TYPE_CHECKING, Any

from left_intact.core.database import Database
from left_intact.core.files.identity import identity_of
from left_intact.core.files.private import private_folder
from left_intact.core.library.vetting import why_no_install
from left_intact.core.model.classes import FileClass
from left_intact.core.model.effects import (
    HoldDropped,
    HoldSet,
    InstallMoved,
    RootAdded,
    RootDropped,
    ShelfEffect,
)
from left_intact.core.model.errors import LeftIntactError, reason_of
from left_intact.core.model.install import Install, Ruling
from left_intact.core.model.layers import Layer, Record
from left_intact.core.model.place import At
from left_intact.core.model.stages import LayerKind
from left_intact.core.model.waits import Waits, channel_of, first_to_lay

# What the shelf does not need is imported by the calls that do.
if TYPE_CHECKING:
    from left_intact.core.model.outlet import Hold, Offer, Outlet
    from left_intact.core.model.pages import Page
    from left_intact.core.model.release import Release
    from left_intact.core.model.survey import Survey
    from left_intact.core.model.update import KnownBox
    from left_intact.core.survey.read import PreviousSurvey

SAID_BY_ITSELF = "the program itself"
"""Source of a reading that is asked for anew at each survey."""
_MIGRATIONS = (
    """
    CREATE TABLE installs (
        id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, root BLOB NOT NULL UNIQUE, role TEXT NOT NULL,
        added REAL NOT NULL, version_command TEXT NOT NULL DEFAULT '[]', summary TEXT NOT NULL DEFAULT '{}');
    CREATE TABLE baselines (
        install_id INTEGER NOT NULL, update_id INTEGER NOT NULL, release BLOB NOT NULL,
        PRIMARY KEY (install_id, update_id));
    CREATE TABLE rulings (
        id INTEGER PRIMARY KEY, install_id INTEGER NOT NULL, pattern BLOB NOT NULL, class TEXT NOT NULL,
        made REAL NOT NULL, UNIQUE (install_id, pattern));
    CREATE TABLE proofs (
        install_id INTEGER NOT NULL, update_id INTEGER NOT NULL, proof TEXT NOT NULL, ticked TEXT NOT NULL
        DEFAULT '[]',
        PRIMARY KEY (install_id, update_id));
    CREATE TABLE seen (install_id INTEGER PRIMARY KEY, entries BLOB NOT NULL);
    CREATE TABLE waiting (install_id INTEGER PRIMARY KEY, arrival BLOB NOT NULL, version TEXT NOT NULL);
    """,
    """
    CREATE TABLE outlets (
        id INTEGER PRIMARY KEY, install_id INTEGER NOT NULL, kind TEXT NOT NULL, place TEXT NOT NULL,
        etag TEXT NOT NULL DEFAULT '', modified TEXT NOT NULL DEFAULT '', checked REAL NOT NULL DEFAULT 0,
        trouble TEXT NOT NULL DEFAULT '', offers TEXT NOT NULL DEFAULT '[]', UNIQUE (install_id, place));
    CREATE TABLE holds (install_id INTEGER PRIMARY KEY, beyond TEXT NOT NULL, reason TEXT NOT NULL, until
    TEXT NOT NULL);
    CREATE TABLE dismissed (install_id INTEGER NOT NULL, version TEXT NOT NULL, UNIQUE (install_id, version));
    CREATE TABLE choices (name TEXT PRIMARY KEY, value TEXT NOT NULL);
    """,
    """
    DROP TABLE seen;
    CREATE TABLE pages (
        install_id INTEGER NOT NULL, folder BLOB NOT NULL, page BLOB NOT NULL, verdicts BLOB NOT NULL,
        PRIMARY KEY (install_id, folder));
    CREATE TABLE sortings (install_id INTEGER PRIMARY KEY, context TEXT NOT NULL, verdicts BLOB NOT NULL,
    said TEXT NOT NULL);
    CREATE TABLE roots (
        install_id INTEGER NOT NULL, label TEXT NOT NULL, place BLOB NOT NULL, PRIMARY KEY (install_id,
        label));
    CREATE TABLE runs (
        install_id INTEGER NOT NULL, path BLOB NOT NULL, change TEXT NOT NULL, digest TEXT NOT NULL, seen
        REAL NOT NULL,
        PRIMARY KEY (install_id, path));
    CREATE TABLE sheets (install_id INTEGER PRIMARY KEY, sheet TEXT NOT NULL);
    """,
    """
    ALTER TABLE installs ADD COLUMN identity TEXT NOT NULL DEFAULT '';
    CREATE TABLE boxes (
        install_id INTEGER PRIMARY KEY, box TEXT NOT NULL, folder BLOB NOT NULL, needed INTEGER NOT NULL);
    """,
    """
    DROP TABLE pages;
    CREATE TABLE surveyed (
        install_id INTEGER NOT NULL, part INTEGER NOT NULL, pages BLOB NOT NULL, PRIMARY KEY (install_id,
        part));
    DROP TABLE sortings;
    CREATE TABLE sortings (
        install_id INTEGER NOT NULL, planned INTEGER NOT NULL, context TEXT NOT NULL, verdicts BLOB NOT NULL,
        evidence BLOB NOT NULL, said TEXT NOT NULL, PRIMARY KEY (install_id, planned));
    CREATE TABLE releases (place BLOB PRIMARY KEY, used REAL NOT NULL, pages BLOB NOT NULL);
    """,
    "CREATE TABLE look_at (install_id INTEGER PRIMARY KEY, says TEXT NOT NULL)",
    """
    CREATE TABLE arrivals (
        install_id INTEGER NOT NULL, arrival BLOB NOT NULL, version TEXT NOT NULL, channel TEXT NOT NULL,
        since REAL NOT NULL, PRIMARY KEY (install_id, arrival));
    INSERT INTO arrivals SELECT install_id, arrival, version, 'stable', 0 FROM waiting;
    DROP TABLE waiting;
    """,
    "ALTER TABLE outlets ADD COLUMN leads TEXT NOT NULL DEFAULT ''",
    """
    CREATE TABLE effects (
        install_id INTEGER NOT NULL, box TEXT NOT NULL, run INTEGER NOT NULL,
        PRIMARY KEY (install_id, box, run));
    DELETE FROM choices WHERE name GLOB 'moves-*';
    """,
    # The root of a place has a column of its own: it stood before the path, as people write it.
    """
    CREATE TABLE watched (
        install_id INTEGER NOT NULL, root TEXT NOT NULL, path BLOB NOT NULL, change TEXT NOT NULL,
        digest TEXT NOT NULL, seen REAL NOT NULL, PRIMARY KEY (install_id, root, path));
    INSERT OR REPLACE INTO watched
        SELECT runs.install_id, coalesce(label, ''),
               CASE WHEN label IS NULL THEN path
                    ELSE substr(path, length(CAST(label AS BLOB)) + 3 + (instr(path, x'00') > 0)) END,
               change, digest, seen
        FROM runs LEFT JOIN roots ON roots.install_id = runs.install_id
             AND (substr(path, 1, length(CAST(label AS BLOB)) + 2) = CAST(label || ':/' AS BLOB)
                  OR substr(path, 1, length(CAST(label AS BLOB)) + 3)
                     = CAST(label || char(0) || ':/' AS BLOB));
    DROP TABLE runs;
    """,
)
_RELEASES_KEPT = 6
"""Folders of releases whose reading is kept, so that the next look opens only what changed."""
_LAYERS_HELD = 3
"""Rows of layers that are held as values."""
_OF_AN_INSTALL = (
    "baselines",
    "rulings",
    "proofs",
    "arrivals",
    "outlets",
    "holds",
    "dismissed",
    "surveyed",
    "sortings",
    "roots",
    "watched",
    "sheets",
    "boxes",
    "effects",
    "look_at",
)
_CHOSEN_FOR = ("command-{}-*", "parts-from-{}", "budget:{}", "version-{}")
"""Names of choices that are of one install, by its number."""


class Library:
    """Opened per use; every call is one transaction."""

    def __init__(self, home: str) -> None:
        self.home = home
        self.path = os.path.join(home, "library.sqlite")
        self._layers: dict[tuple[int, int], tuple[bytes, tuple[Layer, ...]]] = {}
        """By install and update: the row, and what it says."""
        try:
            private_folder(home)
        except OSError as error:
            raise LeftIntactError(
                "library-unreadable",
                f"the folder for the library cannot be made ({reason_of(error)})",
                path=home,
                way_out="Name another with --home.",
            ) from error
        self._base = Database(
            self.path,
            "library",
            _MIGRATIONS,
            way_out="Move it elsewhere; installs and strongboxes are not touched.",
        )
        self._db = self._base.db

    def close(self) -> None:
        self._base.close()

    def _transaction(self) -> AbstractContextManager[sqlite3.Connection]:
        return self._base.transaction()

    # ------------------------------------------------------------ installs

    def installs(self) -> list[Install]:
        return [_install(row) for row in self._db.execute("SELECT * FROM installs ORDER BY id")]

    def find(self, word: str) -> Install:
        """A registered install by name, or by path; a path is registered when first used.

        Raises `no-install`, and what `vet` refuses a folder for.
        """
        root = os.path.realpath(os.path.expanduser(word))
        found = self._known(word, root)
        if found is not None:
            if found not in self.installs():  # its folder was renamed or moved whole
                self.set_place(found, root)
            return found
        if not os.path.lexists(root):
            raise self._no_install(word)
        self.vet(root)
        return self.register(root)

    def known(self, word: str) -> Install:
        """A registered install by name, or by path. Raises `no-install`."""
        found = self._known(word, os.path.realpath(os.path.expanduser(word)))
        if found is None:
            raise self._no_install(word)
        return found

    def _known(self, word: str, root: str) -> Install | None:
        with self._base.worded():
            installs = self.installs()
        for install in installs:
            if word.lower() == install.name.lower():
                return install
        for install in installs:
            if os.path.realpath(install.root) == root:
                return install
        return self._moved(installs, root)

    @staticmethod
    def _no_install(word: str) -> LeftIntactError:
        return LeftIntactError(
            "no-install",
            "there is no install of this name or path",
            path=word,
            way_out="See `left-intact shelf`, or put its folder there first: left-intact survey FOLDER.",
        )

    def vet(self, root: str, besides: Install | None = None) -> None:
        """Refuse a folder that may be no install, before anything of it is read.

        Raises `no-folder`, `too-wide` for a whole disk or home, `empty-folder`, `holds-installs`, `ours`.
        """
        others = [one for one in self.installs() if besides is None or one.id != besides.id]
        if (refused := why_no_install(root, self.home, others)) is not None:
            raise refused

    def set_role(self, install: Install, role: str) -> None:
        with self._transaction() as db:
            db.execute("UPDATE installs SET role = ? WHERE id = ?", (role, install.id))

    def set_name(self, install: Install, name: str) -> None:
        with self._transaction() as db:
            db.execute("UPDATE installs SET name = ? WHERE id = ?", (name, install.id))

    def _moved(self, installs: list[Install], root: str) -> Install | None:
        """An install whose folder was renamed or moved whole: the same folder, no longer where it was."""
        identity = identity_of(root)
        for install in installs:
            known = self._db.execute("SELECT identity FROM installs WHERE id = ?", (install.id,)).fetchone()[
                0
            ]
            if (
                identity is not None
                and known == _identity_text(identity)
                and not os.path.lexists(install.root)
            ):
                return replace(install, root=root)
        return None

    def set_place(self, install: Install, root: str) -> None:
        """Record where an install lies now; nothing of it on disk is touched. Another entry for that folder,
        taken up while this one lay elsewhere, leaves the shelf; what the person ruled there holds for this
        one where they ruled nothing else.
        """
        with self._transaction() as db:
            _set_place(db, install, root)

    def effects_done(self, install: Install, box: str) -> frozenset[int]:
        """The runs in a strongbox whose effects on the shelf are done."""
        rows = self._db.execute(
            "SELECT run FROM effects WHERE install_id = ? AND box = ?", (install.id, box)
        ).fetchall()
        return frozenset(row[0] for row in rows)

    def do_effects(self, install: Install, box: str, run: int, effects: Iterable[ShelfEffect]) -> None:
        """Do what a run that has ended does to the shelf, once and all of it, or nothing."""
        with self._transaction() as db:
            done = db.execute("INSERT OR IGNORE INTO effects VALUES (?,?,?)", (install.id, box, run)).rowcount
            for effect in effects if done else ():
                _do_effect(db, install, effect)

    def register(
        self, root: str, *, name: str = "", role: str = "emulator", version_command: Iterable[str] = ()
    ) -> Install:
        """Take an install up. A name that is taken gets a number."""
        from left_intact.core.model.version import name_without_version

        root = os.path.realpath(root)
        bare = (
            name
            or name_without_version(os.path.basename(root)).title()
            or os.path.basename(root)
            or "Install"
        )
        bare = bare.encode("utf-8", "replace").decode()
        with self._transaction() as db:
            installs = self.installs()
            if any(install.root == root for install in installs):  # somebody was quicker
                return next(install for install in installs if install.root == root)
            taken = {install.name.lower() for install in installs}
            chosen, number = bare, 2
            while chosen.lower() in taken:
                chosen, number = f"{bare} {number}", number + 1
            db.execute(
                "INSERT INTO installs (name, root, role, added, version_command, identity) "
                "VALUES (?,?,?,?,?,?)",
                (
                    chosen,
                    os.fsencode(root),
                    role,
                    time.time(),
                    json.dumps(list(version_command)),
                    _identity_text(identity_of(root)),
                ),
            )
        return self.find(root)

    def forget(self, install: Install) -> None:
        """Take an install off the shelf; nothing of it on disk is touched."""
        with self._transaction() as db:
            _forget(db, install)

    # ------------------------------------------------------------ strongboxes

    def box(self, install: Install) -> KnownBox | None:
        """What is remembered of the strongbox of an install."""
        from left_intact.core.model.update import KnownBox

        row = self._db.execute("SELECT * FROM boxes WHERE install_id = ?", (install.id,)).fetchone()
        return (
            KnownBox(id=row["box"], folder=os.fsdecode(row["folder"]), needed=bool(row["needed"]))
            if row
            else None
        )

    def set_box(self, install: Install, box: str, folder: str, *, needed: bool) -> None:
        with self._transaction() as db:
            db.execute("REPLACE INTO boxes VALUES (?,?,?,?)", (install.id, box, os.fsencode(folder), needed))
            db.execute(
                "UPDATE installs SET identity = ? WHERE id = ?",
                (_identity_text(identity_of(install.root)), install.id),
            )

    # ------------------------------------------------------------ what the shelf shows

    def summary(self, install: Install) -> dict[str, Any]:
        row = self._db.execute("SELECT summary FROM installs WHERE id = ?", (install.id,)).fetchone()
        said: dict[str, Any] = json.loads(row[0]) if row else {}
        return said

    def set_summary(self, install: Install, summary: Mapping[str, Any]) -> None:
        with self._transaction() as db:
            db.execute("UPDATE installs SET summary = ? WHERE id = ?", (json.dumps(summary), install.id))

    def arrivals(self, install: Install) -> list[Waits]:
        """All that waits for an install and was not waved off, what is offered first before the rest."""
        rows = self._db.execute("SELECT * FROM arrivals WHERE install_id = ?", (install.id,)).fetchall()
        waved = self.dismissed(install)
        found = [
            Waits(os.fsdecode(row["arrival"]), row["version"], row["channel"], row["since"])
            for row in rows
            if row["version"] not in waved
        ]
        return first_to_lay(found)

    def set_waiting(self, install: Install, arrival: str, version: str, channel: str = "") -> None:
        """Have an arrival wait, beside those that do. Without a channel its version tells that."""
        values = (install.id, os.fsencode(arrival), version, channel or channel_of(version), time.time())
        with self._transaction() as db:
            db.execute("REPLACE INTO arrivals VALUES (?,?,?,?,?)", values)

    def clear_waiting(self, install: Install, arrival: str, version: str) -> None:
        """What was laid waits no more, nor does what is no newer."""
        gone = [w.path for w in self.arrivals(install) if w.path == arrival or not w.is_newer_than(version)]
        with self._transaction() as db:
            for path in gone:
                db.execute(
                    "DELETE FROM arrivals WHERE install_id = ? AND arrival = ?",
                    (install.id, os.fsencode(path)),
                )

    # ------------------------------------------------------------ outlets, holds, what was waved off

    def outlets(self, install: Install) -> list[Outlet]:
        from left_intact.core.model.outlet import Outlet, OutletKind

        rows = self._db.execute("SELECT * FROM outlets WHERE install_id = ? ORDER BY id", (install.id,))
        return [
            Outlet(
                id=r["id"],
                install=r["install_id"],
                kind=OutletKind(r["kind"]),
                place=r["place"],
                etag=r["etag"],
                modified=r["modified"],
                checked=r["checked"],
                trouble=r["trouble"],
                leads=r["leads"],
            )
            for r in rows
        ]

    def follow(self, install: Install, kind: str, place: str) -> None:
        with self._transaction() as db:
            db.execute(
                "INSERT OR IGNORE INTO outlets (install_id, kind, place) VALUES (?,?,?)",
                (install.id, kind, place),
            )

    def unfollow(self, install: Install, place: str) -> bool:
        with self._transaction() as db:
            return bool(
                db.execute(
                    "DELETE FROM outlets WHERE install_id = ? AND place = ?", (install.id, place)
                ).rowcount
            )

    def offers(self, install: Install) -> list[Offer]:
        """What the outlets offered when they were last looked at."""
        from left_intact.core.model.outlet import Offer

        rows = self._db.execute("SELECT offers FROM outlets WHERE install_id = ? ORDER BY id", (install.id,))
        return [Offer(**said) for row in rows for said in json.loads(row[0])]

    def note_checked(self, outlet: Outlet, offers: Iterable[Offer] | None) -> None:
        """What a look gave; without offers those known before stay."""
        with self._transaction() as db:
            db.execute(
                "UPDATE outlets SET etag = ?, modified = ?, checked = ?, trouble = ?, leads = ? WHERE id = ?",
                (outlet.etag, outlet.modified, outlet.checked, outlet.trouble, outlet.leads, outlet.id),
            )
            if offers is not None:
                said = json.dumps([asdict(offer) for offer in offers])
                db.execute("UPDATE outlets SET offers = ? WHERE id = ?", (said, outlet.id))

    def hold(self, install: Install) -> Hold | None:
        from left_intact.core.model.outlet import Hold

        row = self._db.execute("SELECT * FROM holds WHERE install_id = ?", (install.id,)).fetchone()
        return Hold(beyond=row["beyond"], reason=row["reason"], until=row["until"]) if row else None

    def set_hold(self, install: Install, hold: Hold | None) -> None:
        with self._transaction() as db:
            db.execute("DELETE FROM holds WHERE install_id = ?", (install.id,))
            if hold is not None:
                db.execute(
                    "INSERT INTO holds VALUES (?,?,?,?)", (install.id, hold.beyond, hold.reason, hold.until)
                )

    def choice(self, name: str) -> str:
        """What the person chose for the program as a whole; empty where they did not."""
        row = self._db.execute("SELECT value FROM choices WHERE name = ?", (name,)).fetchone()
        return str(row[0]) if row else ""

    def set_choice(self, name: str, value: str) -> None:
        with self._transaction() as db:
            db.execute("REPLACE INTO choices VALUES (?,?)", (name, value))

    def dismissed(self, install: Install) -> frozenset[str]:
        rows = self._db.execute("SELECT version FROM dismissed WHERE install_id = ?", (install.id,))
        return frozenset(row[0] for row in rows)

    def dismiss(self, install: Install, version: str, *, again: bool = False) -> None:
        """Remember that a version is not wanted, or with `again` forget that."""
        with self._transaction() as db:
            db.execute("DELETE FROM dismissed WHERE install_id = ? AND version = ?", (install.id, version))
            if not again:
                db.execute("INSERT INTO dismissed VALUES (?,?)", (install.id, version))

    # ------------------------------------------------------------ rulings

    def rulings(self, install: Install) -> list[Ruling]:
        rows = self._db.execute("SELECT * FROM rulings WHERE install_id = ? ORDER BY made, id", (install.id,))
        return [
            Ruling(id=row["id"], pattern=os.fsdecode(row["pattern"]), file_class=FileClass(row["class"]))
            for row in rows
        ]

    def rule(self, install: Install, ruled: Mapping[str, FileClass]) -> None:
        """Rulings that were made as one have one time, later than all before."""
        with self._transaction() as db:
            last = db.execute("SELECT max(made) FROM rulings WHERE install_id = ?", (install.id,)).fetchone()[
                0
            ]
            made = max(time.time(), (last or 0.0) + 0.001)
            for pattern, file_class in ruled.items():
                db.execute(
                    "REPLACE INTO rulings (install_id, pattern, class, made) VALUES (?,?,?,?)",
                    (install.id, os.fsencode(pattern), file_class, made),
                )

    def unrule_last(self, install: Install) -> tuple[str, ...]:
        """Take back what was ruled last, all that was ruled with it; the patterns."""
        with self._transaction() as db:
            rows = db.execute(
                "DELETE FROM rulings WHERE install_id = ? AND made = (SELECT max(made) FROM rulings WHERE "
                "install_id = ?) RETURNING pattern",
                (install.id, install.id),
            ).fetchall()
        return tuple(os.fsdecode(row[0]) for row in rows)

    def unrule(self, install: Install, pattern: str) -> None:
        with self._transaction() as db:
            db.execute(
                "DELETE FROM rulings WHERE install_id = ? AND pattern = ?", (install.id, os.fsencode(pattern))
            )

    # ------------------------------------------------------------ baselines and proofs

    def baseline(self, install: Install) -> Release | None:
        """The release that the install came with, as is known."""
        return Record(self.layers(install, 0)).fold()

    def layers(self, install: Install, update: int) -> tuple[Layer, ...]:
        """What an update put on record, the lowest first; update 0 is what the install came with."""
        from left_intact.core.library.layer_rows import layers_from_row

        row = self._db.execute(
            "SELECT release FROM baselines WHERE install_id = ? AND update_id = ?", (install.id, update)
        ).fetchone()
        if row is None:
            return ()
        # A plan and its proof ask for the same ones again and again.
        known = self._layers.get((install.id, update))
        if known is None or known[0] != row[0]:
            known = (row[0], layers_from_row(row[0]))
            self._layers = {(install.id, update): known} | dict(
                islice(self._layers.items(), _LAYERS_HELD - 1)
            )
        return known[1]

    def has_layers(self, install: Install, update: int) -> bool:
        """Whether an update put something on record, without reading it."""
        row = self._db.execute(
            "SELECT 1 FROM baselines WHERE install_id = ? AND update_id = ?", (install.id, update)
        ).fetchone()
        return row is not None

    def set_baseline(self, install: Install, release: Release) -> None:
        """Put on record which release the install came with."""
        self.set_layers(install, 0, (Layer(kind=LayerKind.RELEASE, release=release),))

    def set_layers(self, install: Install, update: int, layers: Iterable[Layer]) -> None:
        from left_intact.core.library.layer_rows import layers_to_row

        with self._transaction() as db:
            db.execute("REPLACE INTO baselines VALUES (?,?,?)", (install.id, update, layers_to_row(layers)))

    def proof(self, install: Install, update: int) -> dict[str, Any] | None:
        row = self._db.execute(
            "SELECT proof FROM proofs WHERE install_id = ? AND update_id = ?", (install.id, update)
        ).fetchone()
        return json.loads(row[0]) if row else None

    def set_proof(self, install: Install, update: int, proof: Mapping[str, Any]) -> None:
        with self._transaction() as db:
            db.execute(
                "INSERT INTO proofs (install_id, update_id, proof) VALUES (?,?,?) "
                "ON CONFLICT (install_id, update_id) DO UPDATE SET proof = excluded.proof",
                (install.id, update, json.dumps(proof)),
            )

    def ticked(self, install: Install, update: int) -> frozenset[str]:
        row = self._db.execute(
            "SELECT ticked FROM proofs WHERE install_id = ? AND update_id = ?", (install.id, update)
        ).fetchone()
        return frozenset(json.loads(row[0])) if row else frozenset()

    def set_ticked(self, install: Install, update: int, ticked: Iterable[str]) -> None:
        with self._transaction() as db:
            db.execute(
                "UPDATE proofs SET ticked = ? WHERE install_id = ? AND update_id = ?",
                (json.dumps(sorted(ticked)), install.id, update),
            )

    def look_at(self, install: Install) -> tuple[str, ...]:
        """What the person wants to tick after every update of it, in their words."""
        row = self._db.execute("SELECT says FROM look_at WHERE install_id = ?", (install.id,)).fetchone()
        return tuple(json.loads(row[0])) if row else ()

    def set_look_at(self, install: Install, says: Iterable[str]) -> None:
        with self._transaction() as db:
            db.execute("REPLACE INTO look_at VALUES (?,?)", (install.id, json.dumps(list(says))))

    # ------------------------------------------------------------ what surveys leave

    def before(self, install: Install) -> PreviousSurvey:
        """What the last survey left, to spare the next one what has not changed."""
        from left_intact.core.library.surveyed import load

        return load(self._db, install.id)

    def was_surveyed(self, install: Install) -> bool:
        return (
            self._db.execute("SELECT 1 FROM surveyed WHERE install_id = ? LIMIT 1", (install.id,)).fetchone()
            is not None
        )

    def set_surveyed(
        self, install: Install, survey: Survey, context: str, before: PreviousSurvey, *, planned: bool
    ) -> None:
        """Keep what a survey read, and how it was sorted: by itself, or with an arrival in view."""
        from left_intact.core.library.surveyed import save

        with self._transaction() as db:
            own = [reading for reading in survey.readings if reading.source != SAID_BY_ITSELF]
            save(db, install.id, replace(survey, readings=tuple(own)), context, before, planned=planned)

    def seen(self, install: Install) -> list[Page]:
        """The pages of the last survey, ordered by folder; none before the first."""
        from left_intact.core.library.surveyed import pages_of

        return pages_of(self._db, install.id)

    def release_pages(self, place: str) -> list[Page] | None:
        """What was read of a release's folder before; None where it was not, or cannot be had."""
        from left_intact.core.model.page_packing import pages_from_bytes

        row = self._db.execute("SELECT pages FROM releases WHERE place = ?", (os.fsencode(place),)).fetchone()
        try:
            return pages_from_bytes(row[0]) if row else None
        except ValueError:
            return None

    def set_release_pages(self, place: str, pages: Sequence[Page]) -> None:
        """Keep what was read of a release's folder; of the oldest ones it is forgotten."""
        from left_intact.core.model.page_packing import pages_to_bytes

        with self._transaction() as db:
            row = (os.fsencode(place), time.time(), pages_to_bytes(pages))
            db.execute("REPLACE INTO releases VALUES (?,?,?)", row)
            db.execute(
                "DELETE FROM releases WHERE place NOT IN (SELECT place FROM releases ORDER BY "
                "used DESC LIMIT ?)",
                (_RELEASES_KEPT,),
            )

    # ------------------------------------------------------------ other roots, watched runs, keepsheets

    def roots(self, install: Install) -> tuple[tuple[str, str], ...]:
        """(label, absolute path) of the roots beside the first, in the order of the labels."""
        rows = self._db.execute(
            "SELECT label, place FROM roots WHERE install_id = ? ORDER BY label", (install.id,)
        )
        return tuple((row[0], os.fsdecode(row[1])) for row in rows)

    def set_root(self, install: Install, label: str, place: str | None) -> None:
        """Take a root up under a label, or with None let go of it."""
        with self._transaction() as db:
            db.execute("DELETE FROM roots WHERE install_id = ? AND label = ?", (install.id, label))
            if place is not None:
                db.execute("INSERT INTO roots VALUES (?,?,?)", (install.id, label, os.fsencode(place)))

    def runs(self, install: Install) -> dict[At, tuple[str, str]]:
        """By place: (`made` or `changed`, digest after it) in the runs that were watched."""
        rows = self._db.execute(
            "SELECT root, path, change, digest FROM watched WHERE install_id = ?", (install.id,)
        )
        return {At(row[0], os.fsdecode(row[1])): (row[2], row[3]) for row in rows}

    def note_run(self, install: Install, changes: Mapping[At, tuple[str, str]]) -> None:
        """Add what a watched run made and changed; what was made by an earlier run stays made."""
        with self._transaction() as db:
            db.executemany(
                "INSERT INTO watched VALUES (?,?,?,?,?,?) ON CONFLICT (install_id, root, path) "
                "DO UPDATE SET digest = excluded.digest, seen = excluded.seen",
                [
                    (install.id, at.root, os.fsencode(at.path), change, digest, time.time())
                    for at, (change, digest) in changes.items()
                ],
            )

    def sheet(self, install: Install) -> str:
        """The text of an install's own keepsheet; empty where it has none."""
        row = self._db.execute("SELECT sheet FROM sheets WHERE install_id = ?", (install.id,)).fetchone()
        return str(row[0]) if row else ""

    def set_sheet(self, install: Install, text: str) -> None:
        with self._transaction() as db:
            db.execute("DELETE FROM sheets WHERE install_id = ?", (install.id,))
            if text:
                db.execute("INSERT INTO sheets VALUES (?,?)", (install.id, text))


def _forget(db: sqlite3.Connection, install: Install) -> None:
    for table in _OF_AN_INSTALL:
        db.execute(f"DELETE FROM {table} WHERE install_id = ?", (install.id,))
    db.execute("DELETE FROM installs WHERE id = ?", (install.id,))
    # The next install may get this number: nothing that was chosen for this one may pass to it.
    for name in _CHOSEN_FOR:
        db.execute("DELETE FROM choices WHERE name GLOB ?", (name.format(install.id),))


def _set_place(db: sqlite3.Connection, install: Install, root: str) -> None:
    others = db.execute(
        "SELECT * FROM installs WHERE root = ? AND id != ?", (os.fsencode(root), install.id)
    ).fetchall()
    for other in map(_install, others):
        db.execute("UPDATE OR IGNORE rulings SET install_id = ? WHERE install_id = ?", (install.id, other.id))
        _forget(db, other)
    db.execute(
        "UPDATE installs SET root = ?, identity = ? WHERE id = ?",
        (os.fsencode(root), _identity_text(identity_of(root)), install.id),
    )


def _do_effect(db: sqlite3.Connection, install: Install, effect: ShelfEffect) -> None:
    """Where the person has said otherwise meanwhile, their word stays."""
    match effect:
        case InstallMoved(old, new):
            lies = db.execute("SELECT root FROM installs WHERE id = ?", (install.id,)).fetchone()
            if lies is not None and os.fsdecode(lies[0]) == old:
                _set_place(db, install, new)
        case RootAdded(label, place):
            added = (install.id, label, os.fsencode(place))
            db.execute("INSERT OR IGNORE INTO roots VALUES (?,?,?)", added)
        case RootDropped(label, place):
            dropped = (install.id, label, os.fsencode(place))
            db.execute("DELETE FROM roots WHERE install_id = ? AND label = ? AND place = ?", dropped)
        case HoldSet(beyond, reason):
            db.execute("INSERT OR IGNORE INTO holds VALUES (?,?,?,'')", (install.id, beyond, reason))
        case HoldDropped(beyond, reason):
            row = (install.id, beyond, reason)
            db.execute("DELETE FROM holds WHERE install_id = ? AND beyond = ? AND reason = ?", row)


def _install(row: sqlite3.Row) -> Install:
    return Install(
        id=row["id"],
        name=row["name"],
        root=os.fsdecode(row["root"]),
        role=row["role"],
        added=row["added"],
        version_command=tuple(json.loads(row["version_command"])),
    )


def _identity_text(identity: tuple[int, int] | None) -> str:
    return f"{identity[0]}:{identity[1]}" if identity else ""
