"""Programs of the corpus, each drawn from a seed: a sequence of independent decisions from what such programs
must keep and do. None is written by hand, and none is a layout that somebody knows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cache

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from tests.corpus.decisions import Decisions
from tests.corpus.specimen import APART, Specimen
from tests.corpus.words import Words, lexicon

C = FileClass
TUNING = tuple(f"pier {n}" for n in range(60))
"""Seeds of the programs that weights are tuned on."""
HELD_OUT = tuple(f"quay {n}" for n in range(60))
"""Seeds of those that nobody looks at while tuning."""

CLASSES = {
    "code": C.PROGRAM,
    "resources": C.PROGRAM,
    "languages": C.PROGRAM,
    "documents": C.PROGRAM,
    "settings": C.SETTINGS,
    "title-settings": C.SETTINGS,
    "saves": C.SAVES,
    "states": C.STATES,
    "content": C.CONTENT,
    "pictures": C.EXTRAS,
    "mods": C.EXTRAS,
    "patches": C.EXTRAS,
    "lists": C.EXTRAS,
    "caches": C.CACHE,
    "logs": C.CACHE,
}
"""The things that a program may have, and what each is."""
SHIPPED = ("code", "resources", "languages", "documents")
TITLED = ("saves", "states", "title-settings", "pictures", "patches")
"""Things that are one for each title."""
ROLES = {
    "emulator": ("content", "saves"),
    "front end": ("content", "pictures", "lists"),
    "core set": ("saves", "title-settings"),
    "modding tool": ("mods", "lists"),
    "launcher": ("saves", "logs", "caches"),
}
"""What each role cannot be without, beside code, resources and settings."""
WHERE = {
    "at the root": 1.6,
    "one deep": 5.0,
    "two deep": 2.0,
    "three deep": 1.2,
    "four deep": 1.0,
    "beside the content": 3.5,
    "by title": 1.4,
    "by date": 2.0,
    "by id": 1.4,
    "in the container": 2.0,
    "in another root": 1.0,
}
DEPTHS = {"one deep": 1, "two deep": 2, "three deep": 3, "four deep": 4}
_ANYWHERE = frozenset((*DEPTHS, "in the container", "in another root"))
_SUITS = {
    "settings": _ANYWHERE | {"at the root"},
    "title-settings": _ANYWHERE | {"beside the content", "by title", "by id"},
    "saves": _ANYWHERE | {"at the root", "beside the content", "by title", "by date", "by id"},
    "states": _ANYWHERE | {"beside the content", "by title", "by date", "by id"},
    "content": _ANYWHERE | {"by title", "by id"},
    "pictures": _ANYWHERE | {"beside the content", "by title", "by date", "by id"},
    "mods": _ANYWHERE | {"by title"},
    "patches": _ANYWHERE | {"beside the content", "by title"},
    "lists": _ANYWHERE | {"at the root"},
    "caches": _ANYWHERE | {"by id", "by title"},
    "logs": _ANYWHERE | {"at the root", "by date"},
}
FORMATS = {
    **{"ini": 3.0, "key value": 2.0, "json": 2.0, "xml": 2.0, "toml": 1.2, "yaml": 1.2, "commands": 1.0},
    **{"database": 0.9, "bytes": 0.9},
}
_TEXTS = {"ini": 2.0, "key value": 2.0, "json": 2.0, "xml": 2.0, "toml": 1.0, "yaml": 1.0, "commands": 1.0}
_ENDING_OF = {"json": ".json", "xml": ".xml", "toml": ".toml", "yaml": ".yaml"}


@cache
def draw(seed: str) -> Specimen:
    """The program of a seed. Called twice it gives the same one."""
    return _Program(seed).specimen


def tuning() -> Iterator[Specimen]:
    """The programs that weights are tuned on."""
    return map(draw, TUNING)


def held_out() -> Iterator[Specimen]:
    """The programs that nobody looks at."""
    return map(draw, HELD_OUT)


class _Program:
    """One draw, from the first decision to the last file."""

    def __init__(self, seed: str) -> None:
        self.choose = choose = Decisions(seed)
        self.rng, self.words = choose.rng, Words(choose)
        self.name = self.words.invent()
        self.role = choose.pick("role", tuple(ROLES))
        times = choose.pick("how its times tell", ("kept", "unpacked", "sources", "parts"))
        self.specimen = Specimen(self.name, times=times, held_out=seed in HELD_OUT)
        self.specimen.role, self.specimen.decisions = self.role, choose.taken
        self.make = self.specimen.make
        self.by_title = choose.pick("grouped by", {"kind": 4, "title": 1}) == "title"
        self.between = [self._between() for _ in range(4)]
        container = self._between()
        self.container = choose.pick("the container", {"plain": 3, "hidden": 1}) == "hidden"
        self.container_name = f".{container}" if self.container else container
        self.program_at = (
            self.words.folder("code")
            if choose.pick("where the program lies", {"at the root": 4, "in one folder": 1})
            == "in one folder"
            else ""
        )
        self.titles = list(dict.fromkeys(self.words.title() for _ in range(choose.count("titles", 4, 30))))
        self.ids = {title: self.words.new_id() for title in self.titles}
        self.lead = self.make.noise(1) + self.words.invent(1)[:3].upper().encode()
        self.homes: dict[str, str] = {}
        """By thing: the folder that holds it."""
        self.where: dict[str, str] = {}
        self._ship()
        self._live()
        self._act()

    # ------------------------------------------------------------ where things lie

    def _between(self) -> str:
        kind = self.choose.pick("folders between", {"of the trade": 3, "its own name": 1, "made-up": 1})
        if kind == "of the trade":
            return str(self.rng.choice(lexicon()["between"]["trade"]))
        return f"{self.name} files" if kind == "its own name" else self.words.invent()

    def _place(self, thing: str) -> str:
        """Decide where a thing lies; its folder, without what comes of titles, dates and ids."""
        if thing in SHIPPED:
            suits = {**DEPTHS, "at the root": 0}
            where = self.choose.pick("where shipped things lie", {w: WHERE[w] for w in suits})
            base = self.program_at
        else:
            suits = {w: WHERE[w] for w in WHERE if w in _SUITS[thing]}
            if thing in TITLED and "content" not in self.homes:
                suits.pop("beside the content", None)
            where = self.choose.pick("where things lie", suits)
            base = ""
        self.where[thing] = where
        if where == "beside the content":
            self.where[thing] = where
            return self.homes["content"]
        own = self.words.folder(thing)
        if where == "at the root":
            return base
        if where == "in the container":
            base = self.container_name
        if where == "in another root":
            base = At(APART, "").shown
        depth = DEPTHS.get(where, 1)
        path = "/".join((*self.between[: depth - 1], own))
        return f"{base}/{path}" if base else path

    def _home(self, thing: str) -> str:
        if thing not in self.homes:
            self.homes[thing] = self._place(thing)
        return self.homes[thing]

    def _path(self, thing: str, title: str, file: str) -> str:
        """Where one file of a thing lies, by title, date or id where it lies so."""
        home, where = self._home(thing), self.where[thing]
        written = self.words.written(title)
        if self.by_title and thing in TITLED and where not in ("beside the content", "in another root"):
            above = self.homes.get("content") or home
            own = home.rpartition("/")[2] or thing
            return self._free("/".join(part for part in (above, written, own, file) if part))
        middle = {
            "by title": written,
            "by id": self.ids[title],
            "by date": f"20{self.rng.randrange(18, 24)}-{self.rng.randrange(1, 13):02}",
        }.get(where, "")
        return self._free("/".join(part for part in (home, middle, file) if part))

    def _free(self, path: str) -> str:
        """A path like this one at which nothing lies, below no file, and that is no folder."""
        taken, parts = self.specimen.truth, path.split("/")
        for depth in range(1, len(parts)):
            while "/".join(parts[:depth]) in taken:
                parts[depth - 1] += " files"
        path = "/".join(parts)
        stem, dot, ending = path.rpartition(".")
        number, found = 2, path
        while found in taken or any(p.startswith(f"{found}/") for p in taken):
            found = f"{stem or path} {number}{dot}{ending if stem else ''}"
            number += 1
        return found

    # ------------------------------------------------------------ what the release ships

    def _ship(self) -> None:
        for _ in range(self.rng.choice((1, 2, 3))):
            self._ship_resources()
            self.homes.pop("resources")
        self._ship_code()
        if self.choose.happens("has languages"):
            self._ship_languages()
        self._ship_documents()
        if self.choose.happens("ships a list of its files", 0.12):
            self.specimen.ship_list(f"{self.words.invent(1)}.sha256")

    def _shipped(self, thing: str, file: str, content: bytes) -> None:
        home = self._home(thing)
        self.specimen.ship(self._free(f"{home}/{file}" if home else file), content)

    def _ship_code(self) -> None:
        make, kind = self.make, self.choose.pick("code is", ("elf", "pe", "macho", "scripts", "archives"))
        body: dict[str, Callable[..., bytes]] = {
            "elf": make.code,
            "pe": make.windows_code,
            "macho": make.mac_code,
            "scripts": make.source,
            "archives": make.archive,
        }
        ending = {"elf": ".so", "pe": ".dll", "macho": ".dylib", "scripts": ".lua", "archives": ".jar"}[kind]
        start = {"pe": (".exe", make.windows_code), "elf": ("", make.code), "macho": ("", make.mac_code)}
        suffix, starter = start.get(kind, ("", make.script))
        above = f"{self.program_at}/" if self.program_at else ""
        if self.choose.happens("has a second program", 0.3):
            self.specimen.ship(f"{above}{self.name}-{self.words.invent(1)}{suffix}", starter())
        for _ in range(self.choose.count("parts of code", 2, 16)):
            self._shipped("code", f"{self.words.invent(2)}{ending}", body[kind]())
        named = self.choose.pick("its code names", ("nothing", "its parts", "all it needs"))
        needed = [
            path for path in self.specimen.shipped.plants if named == "all it needs" or path.endswith(ending)
        ]
        self.main = f"{above}{self.name}{suffix}"
        self.specimen.ship(self.main, starter(*(() if named == "nothing" else needed)))

    def _ship_resources(self) -> None:
        make = self.make
        kind = self.choose.pick(
            "resources are", ("pictures", "shaders", "fonts", "sounds", "packs", "tables")
        )
        own = self.words.ending("resources")
        ending, body = {
            "pictures": (".png", make.picture),
            "shaders": (".glsl", make.shader),
            "fonts": (".ttf", make.font),
            "sounds": (".wav", make.sound),
            "packs": (own, make.blob),
            "tables": (self.rng.choice((".json", ".xml")), self._table),
        }[kind]
        for number in range(self.choose.count("resources", 3, 40)):
            word = self.words.invent(2) if number % 3 else f"{self.words.invent(1)}-{number:02}"
            self._shipped("resources", f"{word}{ending}", body())

    def _table(self) -> bytes:
        return self.make.rows([self.words.title() for _ in range(6)], self.rng.choice(("json", "xml")))

    def _ship_languages(self) -> None:
        make, ending = self.make, self.words.ending("languages")
        body = make.blob if ending in (".mo", "") else make.text
        for code in self.rng.sample(("en", "de", "fr", "es", "it", "nl", "pl", "sv", "ja", "pt_BR"), 6):
            self._shipped("languages", f"{code}{ending}", body())

    def _ship_documents(self) -> None:
        above = f"{self.program_at}/" if self.program_at else ""
        for name in self.rng.sample(("README", "LICENSE", "CHANGES", "NEWS", "AUTHORS"), 2):
            self.specimen.ship(f"{above}{name}{self.rng.choice(('', '.txt', '.md'))}", self.make.text())
        if self.choose.happens("has a manual"):
            for _ in range(self.rng.randrange(2, 7)):
                self._shipped("documents", f"{self.words.invent()}.html", self.make.page())

    # ------------------------------------------------------------ what is lived in

    def _live(self) -> None:
        things = {"settings", *ROLES[self.role]}
        things |= {
            t for t in CLASSES if t not in (*SHIPPED, *things) and self.choose.happens(f"has {t}", 0.5)
        }
        lay: dict[str, Callable[[], None]] = {
            "content": self._content,
            "saves": self._saves,
            "states": self._states,
            "title-settings": self._title_settings,
            "pictures": self._pictures,
            "mods": self._mods,
            "patches": self._patches,
            "lists": self._lists,
            "caches": self._caches,
            "logs": self._logs,
        }
        for thing, plant in lay.items():  # content first: others lie beside it
            if thing in things:
                plant()
        self._settings()
        self._first_start()

    def _some(self, most: int = 30) -> Sequence[str]:
        """Some of the titles: those that have been played."""
        return self.rng.sample(self.titles, self.rng.randint(2, max(2, min(most, len(self.titles)))))

    def _have(self, thing: str, title: str, file: str, content: bytes, when: int | None = None) -> str:
        path = self._path(thing, title, file)
        self.specimen.have(path, content, CLASSES[thing], when=when)
        return path

    def _brought(self, thing: str) -> Callable[[], int | None]:
        """Moments for what others packed: older than the release, or of the day it came here."""
        old = self.choose.pick(f"times of {thing}", ("as packed", "as they came")) == "as packed"
        return lambda: self.specimen.brought_at(self.rng.randrange(30, 2000)) if old else None

    def _size(self, thing: str, least: int, most: int) -> int:
        """A size for all of a thing: a power of two, or any."""
        size = self.rng.randint(least, most)
        if self.choose.pick(f"sizes of {thing}", ("a power of two", "one size", "any")) == "a power of two":
            return 1 << size.bit_length() - 1
        return size

    def _content(self) -> None:
        form = self.choose.pick(
            "content is", ("one file", "an archive", "a sheet with tracks", "a folder of parts")
        )
        ending, when = self.words.ending("content"), self._brought("content")
        weighs = self.choose.pick("content weighs", ("little", "much"))
        least, most = (12_000, 60_000) if weighs == "little" else (120_000, 400_000)
        even = self._size("content", least, most)
        for title in self.titles:
            size = even if even.bit_count() == 1 else self.rng.randint(least, most)
            written, moment = self.words.written(title), when()
            if form == "one file":
                self._have("content", title, f"{written}{ending}", self.make.noise(size), moment)
            elif form == "an archive":
                self._have("content", title, f"{written}.zip", self.make.archive(size), moment)
            elif form == "a sheet with tracks":
                sheet = f"TITLE {title}\nTRACK 1 {written}{ending}\n".encode()
                self._have("content", title, f"{written}.cue", sheet, moment)
                self._have("content", title, f"{written}{ending or '.bin'}", self.make.noise(size), moment)
            else:
                for part in range(3):
                    file = f"{self.words.invent(1)}{part}{ending}"
                    self._have("content", title, f"{written}/{file}", self.make.noise(size // 3), moment)

    def _saves(self) -> None:
        form = self.choose.pick(
            "saves are",
            ("blank memory", "full memory", "bytes of its own", "text", "several files", "one for all"),
        )
        ending, make = self.words.ending("saves"), self.make
        size = 1 << self.rng.randint(9, 17)
        if form == "one for all":
            for number in range(self.rng.randint(1, 3)):
                file = f"{self.words.invent(1)}{number}{ending}"
                self._have("saves", self.titles[0], file, make.memory(max(size, 8192)))
            return
        shape = self._size("saves", 300, 6000)
        for title in self._some():
            name = self.words.written(title) if self.choose.happens("saves bear the title", 0.7) else "slot1"
            if form == "several files":
                for part in ("head", "body", "picture.png"):
                    content = make.picture() if part.endswith("png") else make.marked(self.lead, shape)
                    self._have("saves", title, f"{name}/{part}", content)
                continue
            content = {
                "blank memory": lambda: make.memory(size),
                "full memory": lambda: make.noise(size),
                "bytes of its own": lambda: make.marked(self.lead, shape + self.rng.randrange(200)),
                "text": lambda: make.settings("json", make.values(("stage", "lives", "gold")), "progress"),
            }[form]()
            self._have("saves", title, f"{name}{ending}", content)

    def _states(self) -> None:
        form = self.choose.pick("states are", ("packed", "of one size", "of any size", "with a picture"))
        ending, size = self.words.ending("states"), self._size("states", 5000, 20_000)
        for title in self._some():
            stem = f"{self.words.written(title)}{self.rng.choice(('', '-1', '.2'))}"
            content = (
                self.make.packed(size)
                if form == "packed"
                else self.make.marked(
                    self.lead[::-1], size + (self.rng.randrange(900) if "any" in form else 0)
                )
            )
            path = self._have("states", title, f"{stem}{ending}", content)
            if form == "with a picture":
                picture = path.removesuffix(ending) if ending else path
                self.specimen.have(self._free(f"{picture}.png"), self.make.picture(), C.STATES)

    def _format(self, decision: str, ending: str, formats: dict[str, float]) -> str:
        """A format that does not give the lie to an ending that names one."""
        named = next((f for f, e in _ENDING_OF.items() if e == ending), "")
        taken = self.choose.pick(decision, formats)
        return named or taken

    def _title_settings(self) -> None:
        ending = self.words.ending("title-settings")
        file_format = self._format("settings of titles are", ending, _TEXTS)
        keys = self.rng.sample(lexicon()["options"]["trade"], 3)
        for title in self._some(14):
            content = self.make.settings(file_format, self.make.values(keys))
            self._have("title-settings", title, f"{self.words.written(title)}{ending}", content)

    def _pictures(self) -> None:
        kind = self.choose.pick("pictures are", ("fetched covers", "own shots", "films"))
        when = self._brought("pictures") if kind == "fetched covers" else lambda: None
        for number, title in enumerate(self._some()):
            if kind == "own shots":
                file = f"{self.words.written(title)} 20{18 + number % 6}-0{1 + number % 9}-1{number % 9}.png"
                self._have("pictures", title, file, self.make.picture())
            elif kind == "films":
                self._have("pictures", title, f"{self.words.written(title)}.mp4", self.make.film())
            else:
                self._have("pictures", title, f"{self.words.written(title)}.jpg", self.make.photo(), when())

    def _mods(self) -> None:
        make, code = self.make, self.choose.happens("mods bring code", 0.3)
        for _ in range(self.choose.count("mods", 2, 6)):
            name, moment = self.words.title(), self.specimen.brought_at(self.rng.randrange(30, 900))
            for number in range(self.rng.randint(2, 8)):
                file, body = self.rng.choice(
                    (("png", make.picture), ("dds", make.blob), ("wav", make.sound), ("txt", make.text))
                )
                path = f"{name}/{self.words.invent(1)}{number}.{file}"
                self._have("mods", self.titles[0], path, body(), moment + number % 3)
            if code:
                self._have(
                    "mods", self.titles[0], f"{name}/{self.words.invent(1)}.dll", make.windows_code(), moment
                )

    def _patches(self) -> None:
        ending, text = self.words.ending("patches"), self.choose.happens("patches are text")
        for title in self._some(10):
            content = self.make.text() if text else self.make.marked(self.lead[:2], self.rng.randint(80, 900))
            self._have("patches", title, f"{self.words.written(title)}{ending}", content)

    def _lists(self) -> None:
        ending = self.words.ending("lists")
        file_format = self._format("lists are", ending, {"lines": 1, "json": 1, "xml": 1})
        for _ in range(self.rng.randint(1, 4)):
            content = self.make.rows([self.words.written(t) for t in self._some()], file_format)
            self._have("lists", self.titles[0], f"{self.words.invent()}{ending}", content)

    def _caches(self) -> None:
        named = self.choose.pick("caches are named by", ("digest", "number", "title"))
        ending, size = self.words.ending("caches"), self._size("caches", 300, 4000)
        for number in range(self.choose.count("caches", 4, 60)):
            title = self.rng.choice(self.titles)
            stem = {"digest": self.make.digest_name(), "number": f"{number:04}"}.get(
                named, f"{self.words.written(title)}-{number}"
            )
            self._have("caches", title, f"{stem}{ending}", self.make.noise(size + number * (number % 7)))

    def _logs(self) -> None:
        ending = self.words.ending("logs")
        for number in range(self.rng.randint(1, 6)):
            self._have("logs", self.titles[0], f"{self.words.invent(1)}-{number}{ending}", self.make.log())

    def _settings(self) -> None:
        ending = self.words.ending("settings")
        file_format = self._format("settings are", ending, FORMATS)
        keys = self.rng.sample(lexicon()["options"]["trade"], 5)
        named = self.choose.pick(
            "the main settings are called", ("after the program", "as settings", "made up")
        )
        stem = {"after the program": self.name, "as settings": self.words.folder("settings")}.get(
            named, self.words.invent()
        )
        values = self.make.values(keys)
        if self.choose.happens("settings name folders", 0.4):
            values |= self._folders_named()
        content = self.make.settings(file_format, values)
        origin = self.choose.pick("the main settings came", ("shipped and changed", "written by a run"))
        home = self._home("settings")
        path = self._free(f"{home}/{stem}{ending}" if home else f"{stem}{ending}")
        if origin == "shipped and changed" and not path.startswith(APART):
            self.specimen.ship(path, self.make.settings(file_format, self.make.values(keys)))
            self.specimen.change(path, content, C.SETTINGS)
        else:
            self.specimen.have(path, content, C.SETTINGS)
        for _ in range(self.choose.count("profiles", 1, 6)):
            content = self.make.settings(file_format, self.make.values(("up", "down", "fire", "jump")), "pad")
            self._have("settings", self.titles[0], f"{self.words.invent(2)}{ending}", content)

    def _folders_named(self) -> dict[str, object]:
        """Settings that name the folders of things: the key says which, or half the time does not."""
        found: dict[str, object] = {}
        style = self.choose.pick(
            "folders are named", ("as they lie", "with backslashes", "of another machine")
        )
        for thing, home in self.homes.items():
            if thing in SHIPPED or not home or home.startswith(APART) or self.rng.random() < 0.4:
                continue
            word = self.rng.choice(lexicon()[thing]["trade"]).replace(" ", "_")
            place = home if style == "as they lie" else home.replace("/", "\\")
            found[f"{word}_folder"] = f"D:\\{self.name}\\{place}" if style == "of another machine" else place
        return found

    def _first_start(self) -> None:
        """What a program writes by itself when it is started for the first time."""
        kind = self.choose.pick(
            "a first start writes", ("nothing", "a window's place", "a database", "a list of what is there")
        )
        home = self._home("settings")
        above = f"{home}/" if home else ""
        if kind == "a window's place":
            content = self.make.settings("ini", {"width": 1280, "height": 720, "x": 10, "y": 20}, "window")
            self.specimen.have(self._free(f"{above}window.ini"), content, C.SETTINGS)
        elif kind == "a database":
            path = self._free(f"{above}{self.words.invent()}.db")
            self.specimen.have(path, self.make.database(), (C.SETTINGS, C.CACHE))
        elif kind == "a list of what is there":
            content = self.make.rows(sorted(self.titles), "lines")
            self.specimen.have(
                self._free(f"{above}{self.words.invent()}.txt"), content, (C.SETTINGS, C.CACHE, C.EXTRAS)
            )

    # ------------------------------------------------------------ what people do to it

    def _act(self) -> None:
        acts: dict[str, Callable[[], None]] = {
            "edit": self._edit,
            "add": self._add,
            "delete": self._delete,
            "rename": self._rename,
            "copy beside": self._copy,
            "unpack twice": self._unpack_again,
        }
        for act, do in acts.items():
            if self.choose.happens(f"somebody did {act}", 0.3):
                do()

    def _shipped_at(self, *endings: str) -> list[str]:
        plants = self.specimen.shipped.plants
        return [p for p in plants if p.endswith(endings) and p in self.specimen.truth and p != self.main]

    def _edit(self) -> None:
        for path in self._shipped_at(".txt", ".glsl", ".html", ".md", ".json", ".lua")[:2]:
            if self.specimen.truth[path] == {C.PROGRAM}:
                self.specimen.change(path, self.specimen.bed.plants[path].content + b"// mine\n")

    def _add(self) -> None:
        for path in self._shipped_at(".png", ".glsl", ".ttf", ".wav", ".dat")[:1]:
            folder, _, name = path.rpartition("/")
            own = self._free(f"{folder}/{self.words.invent()} of mine.{name.rpartition('.')[2]}".lstrip("/"))
            body = (
                self.make.picture() if path.endswith(".png") else self.specimen.bed.plants[path].content[:40]
            )
            self.specimen.have(own, body + self.make.noise(9), C.EXTRAS)

    def _delete(self) -> None:
        for path in self._shipped_at(".txt", ".html", ".png", ".wav")[:2]:
            if self.specimen.truth[path] == {C.PROGRAM}:
                self.specimen.lose(path)

    def _kept(self, *things: str) -> list[str]:
        kinds = {frozenset((CLASSES[thing],)) for thing in things}
        return [p for p, k in self.specimen.truth.items() if k in kinds and not p.startswith(APART)]

    def _rename(self) -> None:
        for path in self._kept("saves", "states")[:1]:
            folder, _, name = path.rpartition("/")
            plant, kind = self.specimen.bed.plants.pop(path), self.specimen.truth.pop(path)
            stem, dot, ending = name.partition(".")
            new = f"{folder}/{stem} before the last level{dot}{ending}".lstrip("/")
            self.specimen.have(self._free(new), plant.content, kind, when=plant.mtime)

    def _copy(self) -> None:
        style = self.choose.pick("copies are called", ("(2)", "- copy", ".bak", "old"))
        for path in self._kept("saves", "settings")[:2]:
            stem, dot, ending = path.rpartition(".")
            if not dot or "/" in ending:
                stem, dot, ending = path, "", ""
            copy = f"{path}.bak" if style == ".bak" else f"{stem} {style}{dot}{ending}"
            content = self.specimen.bed.plants[path].content
            self.specimen.have(self._free(copy), content, self.specimen.truth[path])

    def _unpack_again(self) -> None:
        """The release once more, in a folder of its own inside the install: of both at once, the program's by
        what it is and the person's by who put it there.
        """
        folder = f"{self.name}-{self.rng.randrange(1, 9)}.{self.rng.randrange(20)}"
        for path, plant in list(self.specimen.shipped.plants.items())[:10]:
            self.specimen.have(
                self._free(f"{folder}/{path}"),
                plant.content,
                (C.PROGRAM, C.EXTRAS, C.UNSORTED),
                when=plant.mtime,
            )
