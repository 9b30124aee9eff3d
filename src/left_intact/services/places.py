"""The folder that a new build gets for itself, and where the install lies once it is there.

The journal decides where an install lies: what a run does to the shelf stands in it with the run, and is done
once the run has ended, or, where a crash came between, by the next command that changes something. Whoever
only asks is told the same, and writes nothing.
"""

from __future__ import annotations

import os
from contextlib import suppress
from dataclasses import replace
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.place import OLD, Root, old_root_in
from left_intact.core.model.update import IN_FORCE, RunKind, State, Update

if TYPE_CHECKING:
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.model.install import Install
    from left_intact.core.model.release import Arrival
    from left_intact.core.planning.circumstances import Circumstances
    from left_intact.core.planning.new_root.lying import NewRoot, StartFile

from left_intact.services.home import Home, Service
from left_intact.services.records import Records

_TAKEN_BACK = (State.GONE_BACK, State.ABANDONED)


class Places(Service):
    """Where an install lies, and the folder that a new build gets for itself."""

    def __init__(self, home: Home, records: Records) -> None:
        super().__init__(home)
        self.records = records

    def new_root(
        self, install: Install, into: str | None, arrival: Arrival, circumstances: Circumstances
    ) -> NewRoot:
        """The new folder as it lies now: the one that is named, else what came where that was unpacked beside
        the install, else a sibling that is named for the new version. Raises `bad-into`, `no-into`.
        """
        from left_intact.core.files.tree import read_tree, text_reader
        from left_intact.core.planning.new_root.lying import NewRoot

        beside = os.path.dirname(arrival.source) == os.path.dirname(install.root)
        if not into and arrival.shape == "folder" and beside and not arrival.root:
            into = arrival.source
        place = self._vetted(install, into or folder_for(install.root, arrival.release.version_text))
        existed = os.path.isdir(place)
        new_root = NewRoot(
            place=place,
            was=install.root,
            pages=read_tree(place).pages if existed else (),
            existed=existed,
            of=next((o.name for o in self.library.installs() if os.path.realpath(o.root) == place), ""),
            read=text_reader(place) if existed else (lambda path: None),
            starts=_starts_of(install.root),
        )
        return replace(new_root, circumstances=self._circumstances(install, circumstances, new_root))

    def _vetted(self, install: Install, into: str) -> str:
        """The whole path of a new folder. Raises `bad-into` with what is wrong with it."""
        from left_intact.core.files.names import STRONGBOX_FOLDER, lies_in

        place = os.path.abspath(os.path.expanduser(into))
        above = os.path.realpath(os.path.dirname(place))
        place = os.path.join(above, os.path.basename(place))

        def bad(says: str) -> LeftIntactError:
            return LeftIntactError("bad-into", says, path=place, way_out="Name another folder with --into.")

        if not os.path.isdir(above):
            raise bad("the folder that it is to lie in is not there")
        if os.path.lexists(place) and (os.path.islink(place) or not os.path.isdir(place)):
            raise bad("the new folder must be a folder, and this is something else")
        if STRONGBOX_FOLDER in place.split(os.sep) or lies_in(place, os.path.realpath(self.home)):
            raise bad("here this program keeps its own things")
        roots = [(install.name, install.root), *((install.name, p) for _, p in self.library.roots(install))]
        roots += [(other.name, other.root) for other in self.library.installs() if other.id != install.id]
        for name, root in roots:
            real = os.path.realpath(root)
            if place == real and name != install.name:
                continue  # it says so itself, in a plan that shows what else can be done
            if lies_in(place, real) or lies_in(real, place):
                raise bad(f"this and a folder of {name} lie in each other")
        return place

    def _circumstances(
        self, install: Install, circumstances: Circumstances, new_root: NewRoot
    ) -> Circumstances:
        """What the machine says of the two folders, from what it says of the install."""
        from left_intact.core.carrying.boxes import strongbox_for
        from left_intact.core.files import host
        from left_intact.core.files.identity import identity_of
        from left_intact.core.planning.circumstances import BOX

        box = strongbox_for(install.root, install.name, self.home, self.library.box(install))
        new = Root(
            label="", place=new_root.place, identity=identity_of(new_root.place), existed=new_root.existed
        )
        first, *others = circumstances.roots
        roots = (new, replace(first, label=OLD), *others)
        above = new_root.place if new_root.existed else os.path.dirname(new_root.place)
        folders = ["", *(page.folder for page in new_root.pages)]
        name_bytes, path_bytes = host.longest_names(above)
        return replace(
            circumstances,
            roots=roots,
            free=host.free_bytes(above),
            unwritable=host.unwritable(above, folders if new_root.existed else [""]),
            narrow_names=host.narrow_names(above),
            folds_case=host.folds_case(above),
            running=(
                *circumstances.running,
                *(host.running_from(new_root.place) if new_root.existed else ()),
            ),
            name_bytes=name_bytes,
            path_bytes=path_bytes,
            rooms=host.rooms({BOX: box.folder, **{root.label: root.place for root in roots}}),
        )

    # ------------------------------------------------------------ where the install lies

    def folder_left(self, install: Install) -> tuple[str, Update | None]:
        """The folder that the last update left behind, with that update; ("", None) where there is none."""
        for update in self.records.history(install):
            if update.state in IN_FORCE and (old := old_root_in(update.roots)):
                return (old, update) if os.path.isdir(old) else ("", None)
        return "", None

    def now(self, install: Install) -> Install:
        """An install in the folder that it lies in, for a command that changes something: what its runs did
        to the shelf is done. Raises `another-folder` where another one lies in its place.
        """
        self.do_effects(install)
        return self.where(install)

    def where(self, install: Install) -> Install:
        """The same for a command that only asks: it writes nothing."""
        fresh = next((one for one in self.library.installs() if one.id == install.id), install)
        found = self.lies_at(fresh)
        try:
            box = self.records.strongbox(found)
        except LeftIntactError:
            return found  # whoever needs the strongbox says why it cannot be had
        if box.exists:
            from left_intact.core.carrying.whose import refuse_another

            refuse_another(box, found.root, found.name)
        return found

    def lies_at(self, install: Install) -> Install:
        """An install with the folder that it lies in: as the library says, and as a run in its journal tells
        that the library has not heard of. Writes nothing.

        Raises nothing: where the journal cannot be read the library counts.
        """
        with suppress(LeftIntactError):
            return self.standing(install)[0]
        return install

    def standing(self, install: Install) -> tuple[Install, list[Update], Update | None]:
        """(the same, all its updates, the run that was cut off or waits) by one look into its journal. Raises
        what opening that raises.
        """
        box, runs, open_run = self._box_and_runs(install)
        updates = [run for run in runs if run.kind is RunKind.UPDATE]
        return self._led(install, box, runs), updates, open_run

    def _led(self, install: Install, box: Strongbox, runs: list[Update]) -> Install:
        if not any(run.effects for run in runs) or (card := box.card()) is None:
            return install
        from left_intact.core.carrying.boxes import lies_after

        done = self.library.effects_done(install, card.id)
        return replace(install, root=lies_after(install.root, runs, done))

    def do_effects(self, install: Install) -> None:
        """Do what the runs of an install that have ended do to the shelf, where a crash came between, or
        another home looked after it; what cannot be read now is done the next time.
        """
        from left_intact.core.model.update import UNFINISHED

        with suppress(LeftIntactError):
            box, runs, _ = self._box_and_runs(install)
            card = box.card() if any(run.effects for run in runs) else None
            if card is None:
                return
            done = self.library.effects_done(install, card.id)
            for run in reversed(runs):
                if run.id in done or not run.effects or run.state in (*UNFINISHED, State.WAITING):
                    continue
                undone = run.kind is RunKind.UPDATE and run.state in _TAKEN_BACK
                void = undone or run.state is State.ABANDONED
                self.library.do_effects(install, card.id, run.id, () if void else run.effects)

    def _box_and_runs(self, install: Install) -> tuple[Strongbox, list[Update], Update | None]:
        from left_intact.core.carrying.heads import unfinished_of, waiting_of

        box = self.records.strongbox(install)
        if not box.exists:
            return box, [], None
        with box.heads() as journal:
            runs = journal.runs()
            return box, runs, unfinished_of(runs) or waiting_of(runs)


def _starts_of(root: str) -> tuple[StartFile, ...]:
    """What leads to a program below a folder, from where people keep such things."""
    from left_intact.core.files.identity import identity_of
    from left_intact.core.files.starts import find_starts, start_folders
    from left_intact.core.files.tree import entry_of, first_bytes
    from left_intact.core.model.entry import Kind
    from left_intact.core.planning.new_root.lying import StartFile

    found = []
    for start in find_starts(root, start_folders()):
        folder, name = os.path.realpath(os.path.dirname(start.path)), os.path.basename(start.path)
        entry = entry_of(os.path.join(folder, name), name)
        content = b"" if entry.kind is Kind.LINK else first_bytes(start.path, entry.bytes + 1) or b""
        found.append(
            StartFile(folder=folder, place=name, identity=identity_of(folder), entry=entry, content=content)
        )
    return tuple(found)


def folder_for(root: str, version: str) -> str:
    """A sibling of an install that is named for a version: in place of the one in its name, else after it.

    Raises `no-into` where no version is known to name it for, or where that would be the install's own.
    """
    from left_intact.core.planning.naming import named_for

    place = named_for(root, version) if version else ""
    if place and place != root:
        return place
    says = "no version is known that the new folder could be named for"
    if place:
        says = f"a folder named for {version} is the install's own"
    raise Misuse("no-into", says, way_out="Name the new folder with --into.")
