"""A person's traces over an unpacked release: what people leave in a portable folder, and where.

Everything is drawn from a seed of the package's name, so that a tree is the same each time. What is laid is
made up; what is edited or patched is the release's own.
"""

from __future__ import annotations

import io
import random
import shutil
import sqlite3
import zipfile
from dataclasses import dataclass, field
from pathlib import Path

_SETTINGS = (".ini", ".cfg", ".conf", ".toml", ".yaml", ".yml", ".properties", ".json", ".xml")
_METADATA = ("package.json", "metadata", "record", "wheel", "manifest.json", "direct_url.json")
_CODE = (".py", ".js", ".php", ".pl", ".pm", ".rb", ".sh", ".css", ".so", ".erl", ".sql", ".mjs", ".ts")
_COPIES = (
    "{stem}{end}.bak",
    "{stem}{end}.orig",
    "{stem} (2){end}",
    "{stem} - Copy{end}",
    "Kopie von {stem}{end}",
    "{stem} - Kopie{end}",
    "copia de {stem}{end}",
    "{stem} - copie{end}",
    "{stem} のコピー{end}",
    "コピー ～ {stem}{end}",
    "Copy of {stem}{end}",
    "{stem}_old{end}",
)
_DOCUMENTS = (
    "Brief an Oma.odt",
    "Einkaufsliste.txt",
    "notes.txt",
    "notizen 2024.txt",
    "Lebenslauf.pdf",
    "Proyecto final.csv",
    "presupuesto.csv",
    "lettre de motivation.docx",
    "todo.md",
    "備忘録.txt",
    "メモ.txt",
    "заметки.txt",
    "budget_2023.xlsx",
    "IMG_20240311_142233.jpg",
    "DSC00412.jpg",
    "holiday plans.rtf",
    "report-final-v2.pdf",
    "passwords old.txt",
    "links.html",
    "scan0001.png",
    "my report.html",
    "minutes of the meeting.md",
    "Rechnung 0815.pdf",
    "relazione.docx",
)
_SAVES = (
    ("saves", "slot1.sav"),
    ("saves", "slot 2.sav"),
    ("Spielstände", "Stand 3.dat"),
    ("projects/first try", "project.db"),
    ("projects/first try", "chapter 1.txt"),
    ("my documents", "letter.txt"),
    ("user", "profile.db"),
    ("userdata", "history.sqlite"),
    ("Projekte/Küche", "plan.json"),
    ("workspace", "draft.bin"),
    ("データ", "記録1.dat"),
    ("export", "export-2024-05-01.csv"),
    ("backup", "backup-2024-01.zip"),
    ("sessions", "last.session"),
    ("sauvegardes", "partie1.sav"),
)
_OWN_SETTINGS = (
    "settings.ini",
    "user.cfg",
    "config.local.json",
    "preferences.xml",
    "{name}.ini",
    "{name}rc",
    "options.toml",
    "local.conf",
    "einstellungen.ini",
    "layout.json",
)
_CACHES = (
    ("cache", "{hash}.bin"),
    ("cache/{h2}", "{hash}"),
    ("logs", "run.log"),
    ("logs", "2024-03-0{digit}.log"),
    ("tmp", "tmp{digit}x.tmp"),
    (".cache/thumbs", "{hash}.png"),
)
_PLUGGED = ("kolibri", "exporter2", "quickfix", "nightly_helper", "tidy", "oma", "wecker", "hello")
_MOST_OF_ONE, _ALIKE, _CHANGED = 40, 4, 0.7
"""Files of a folder that somebody makes another of, how many alike lie beside it, and the share of
what is changed."""
_THEMES = ("mitternacht", "Solar Sea", "papier", "high-noon")


@dataclass(slots=True)
class Traces:
    """What was laid."""

    own: set[str] = field(default_factory=set)
    """Paths of what is the person's now."""
    patched: set[str] = field(default_factory=set)
    """Shipped code that the person changed."""
    deleted: set[str] = field(default_factory=set)
    packs: list[set[str]] = field(default_factory=list)
    """What the person unpacked, each with the times that its own makers gave it."""


def lay_traces(release: Path, install: Path, name: str) -> Traces:
    """Copy a release to `install` and lay a person's traces over it."""
    shutil.copytree(release, install, symlinks=True)
    return _Person(install, name).live()


class _Person:
    def __init__(self, install: Path, name: str) -> None:
        self.install = install
        self.name = name.rpartition("/")[2]
        self.chance = random.Random(f"traces of {name}")
        self.shipped = sorted(
            str(p.relative_to(install)) for p in install.rglob("*") if p.is_file() and not p.is_symlink()
        )
        self.folders = sorted({path.rpartition("/")[0] for path in self.shipped} - {""})
        self.traces = Traces()

    def live(self) -> Traces:
        self._edit_settings()
        self._patch_and_delete()
        self._own_settings()
        self._documents()
        self._saves()
        self._plugged_in()
        self._packs()
        self._copies()
        self._one_more_of_many()
        self._caches()
        return self.traces

    def _put(self, folder: str, name: str, data: bytes) -> None:
        path = f"{folder}/{name}" if folder else name
        target = self.install / path
        if target.exists() or any(p.is_file() for p in target.parents):
            return
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
        self.traces.own.add(path)

    def _some(self, paths: list[str], count: int) -> list[str]:
        return self.chance.sample(paths, min(count, len(paths)))

    def _edit_settings(self) -> None:
        known = [p for p in self.shipped if p.lower().endswith(_SETTINGS)]
        known = [p for p in known if p.rpartition("/")[2].lower() not in _METADATA and ".dist-info/" not in p]
        for path in self._some(known, 3):
            target = self.install / path
            text = target.read_bytes()
            edited = text.replace(b"true", b"false", 1).replace(b"1", b"2", 1)
            target.write_bytes(edited if edited != text else text + b"\n")
            self.traces.own.add(path)

    def _patch_and_delete(self) -> None:
        code = [p for p in self.shipped if p.lower().endswith(_CODE) and p not in self.traces.own]
        for path in self._some(code, 4):
            target = self.install / path
            target.write_bytes(target.read_bytes() + b"\n/* mended */\n")
            self.traces.patched.add(path)
        left = [p for p in self.shipped if p not in self.traces.own and p not in self.traces.patched]
        for path in self._some(left, 2):
            (self.install / path).unlink()
            self.traces.deleted.add(path)

    def _own_settings(self) -> None:
        for name in self._some(list(_OWN_SETTINGS), 3):
            folder = self.chance.choice(["", "", "config", "conf", self.chance.choice(self.folders or [""])])
            text = f"[window]\nwidth = {self.chance.randrange(600, 2000)}\nrecent = letter\n"
            if name.endswith(".json"):
                text = f'{{"width": {self.chance.randrange(600, 2000)}, "recent": ["letter"]}}\n'
            elif name.endswith(".xml"):
                text = f"<?xml version='1.0'?><prefs><width>{self.chance.randrange(2000)}</width></prefs>\n"
            self._put(folder, name.format(name=self.name), text.encode())

    def _documents(self) -> None:
        for name in self._some(list(_DOCUMENTS), 6):
            folder = self.chance.choice(["", "docs", *self._some(self.folders, 3)])
            self._put(folder, name, _content_of(name, self.chance))

    def _saves(self) -> None:
        for folder, name in self._some(list(_SAVES), 5):
            inside = self.chance.choice(["", "", *self._some(self.folders, 1)])
            self._put(f"{inside}/{folder}".strip("/"), name, _content_of(name, self.chance))

    def _plugged_in(self) -> None:
        """Plug-ins and themes among the shipped ones, in the manner of those that lie there."""
        by_folder: dict[str, list[str]] = {}
        for path in self.shipped:
            if path.lower().endswith(_CODE):
                by_folder.setdefault(path.rpartition("/")[0], []).append(path)
        likely = [f for f, inside in by_folder.items() if len(inside) >= 4]
        for folder in self._some(sorted(likely), 3):
            model = self.chance.choice(by_folder[folder])
            data = (self.install / model).read_bytes() if (self.install / model).exists() else b"x = 1\n"
            name = self.chance.choice(_PLUGGED) + Path(model).suffix
            self._put(folder, name, data[: len(data) // 2] + b"\n# mine\n")
        for folder in self._some(self.folders, 1):
            theme = self.chance.choice(_THEMES)
            above = folder.rpartition("/")[0]
            place = f"{above}/{theme}".strip("/")
            self._put(place, "theme.css", b"body { background: #101018 }\n")
            self._put(place, "logo.png", _picture(self.chance))

    def _packs(self) -> None:
        """Content, and a plug-in of several files, as somebody else packed them."""
        for folder, names in (
            (self.chance.choice(("titles/harbour", "packs/pier", "library/set 1")), ("VERSION", "title.txt")),
            (f"{self.chance.choice(self.folders or [''])}/kolibri".strip("/"), ("README.md", "kolibri.js")),
        ):
            before = set(self.traces.own)
            for name in names:
                self._put(folder, name, f"{name} of {folder}\n".encode())
            for number in range(self.chance.randrange(6, 14)):
                code = names[1].endswith(".js")
                data = f"var part{number} = 1;\n".encode() if code else self.chance.randbytes(900)
                self._put(folder, f"part{number}.{'js' if code else 'dat'}", data)
            self.traces.packs.append(self.traces.own - before)

    def _copies(self) -> None:
        models = [p for p in self.shipped if (self.install / p).is_file()]
        for path in self._some(models, 4):
            folder, _, name = path.rpartition("/")
            stem, dot, end = name.rpartition(".") if "." in name.strip(".") else (name, "", "")
            copy = self.chance.choice(_COPIES).format(stem=stem, end=dot + end)
            self._put(folder, copy, (self.install / path).read_bytes() + b"\n")

    def _one_more_of_many(self) -> None:
        """A folder made from one of several alike, as people make their own plug-in, theme or language: its
        files are called what the others' are, some are changed, some are as they were.
        """
        inside: dict[str, list[str]] = {}
        for path in self.shipped:
            parts = path.split("/")
            for at in range(2, len(parts)):
                inside.setdefault("/".join(parts[:at]), []).append("/".join(parts[at:]))
        called: dict[tuple[str, str], list[str]] = {}
        for folder, paths in inside.items():
            above, _, last = folder.rpartition("/")
            for path in paths if len(paths) <= _MOST_OF_ONE else ():
                called.setdefault((above, path.replace(last, "*")), []).append(folder)
        models = sorted({folder for alike in called.values() if len(alike) >= _ALIKE for folder in alike})
        for model in self._some(models, 1):
            above, _, last = model.rpartition("/")
            mine = self.chance.choice(_PLUGGED)
            for path in inside[model]:
                there = self.install / model / path
                if not there.is_file():
                    continue
                data = there.read_bytes()
                if self.chance.random() < _CHANGED:
                    data = data[: len(data) // 2] + b"\n# mine\n"
                folder, _, name = f"{above}/{mine}/{path.replace(last, mine)}".rpartition("/")
                self._put(folder, name, data)

    def _caches(self) -> None:
        for folder, name in self._some(list(_CACHES), 3):
            for _ in range(self.chance.randrange(1, 4)):
                digest = f"{self.chance.getrandbits(128):032x}"
                filled = {"hash": digest, "h2": digest[:2], "digit": self.chance.randrange(10)}
                self._put(folder.format(**filled), name.format(**filled), self.chance.randbytes(300))


def _picture(chance: random.Random) -> bytes:
    return b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" + chance.randbytes(400)


def _content_of(name: str, chance: random.Random) -> bytes:
    ending = name.rpartition(".")[2]
    if ending in ("odt", "docx", "xlsx", "zip"):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("content.xml", chance.randbytes(200))
        return packed.getvalue()
    if ending in ("txt", "md", "csv", "rtf", "html", "session"):
        words = ["milk", "bread", "Anna", "Tuesday", "letter", "garden", "42", "to do", "later"]
        lines = [" ".join(chance.choices(words, k=6)) for _ in range(chance.randrange(2, 30))]
        return ("<html><body>" * (ending == "html") + "\n".join(lines) + "\n").encode()
    if ending == "json":
        return b'{"doors": 2, "left": true, "size": [320, 210]}\n'
    if ending in ("db", "sqlite"):
        base = sqlite3.connect(":memory:")
        base.execute("create table t (a)")
        return base.serialize()
    if ending == "pdf":
        return b"%PDF-1.4\n" + chance.randbytes(800)
    if ending == "jpg":
        return b"\xff\xd8\xff\xe0\0\x10JFIF\0" + chance.randbytes(900)
    if ending == "png":
        return _picture(chance)
    return chance.randbytes(chance.choice((512, 2048, 8192, 700, 3000)))
