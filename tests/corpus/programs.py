"""The programs of the corpus. Twenty-three, of different layouts, languages and habits; a third is held out
of all tuning.
"""

from __future__ import annotations

from collections.abc import Callable

from left_intact.core.model.classes import FileClass
from tests.corpus.specimen import Specimen

C = FileClass


def spelt(title: str) -> str:
    return title.lower().replace(" ", "")


def under(title: str) -> str:
    return title.lower().replace(" ", "_")


def mudlark() -> Specimen:
    """A portable emulator of the plainest kind: everything in folders that say what they are."""
    s = Specimen("mudlark")
    m = s.make
    s.ships("{}", ["mudlark", "mudlark-cli"], m.code)
    s.ships("lib/lib{}.so.3", ["video", "sound", "pads", "net", "zip"], m.code)
    s.ships("{}", ["README.md", "CHANGES.md"], m.notes)
    s.ship("LICENSE.txt", m.text("Do as you like."))
    s.ships("resources/icons/{}.png", ["open", "close", "pause", "play", "stop", "save", "load"], m.picture)
    s.ships("resources/shaders/{}.glsl", ["scan", "soft", "sharp", "glow"], m.shader)
    s.ships("resources/lang/{}.json", ["de", "en", "fr", "es", "pl"], m.json)
    s.ship("saves/README.txt", m.text("Saves go here."))
    s.ship("roms/put games here.txt", m.text())
    s.ship_and_change("mudlark.ini", m.ini(), m.ini("video", "mine"))
    s.haves("saves/{}.sav", s.some(18), m.memory, C.SAVES)
    s.haves("states/{}.state", s.some(9), m.state, C.STATES)
    s.haves("states/{}.png", s.some(9), m.picture, C.STATES)
    s.haves("roms/{}.rom", s.some(24), m.media, C.CONTENT)
    s.haves("screenshots/{} 2025-03.png", s.some(7), m.picture, C.EXTRAS)
    s.haves("config/games/{}.cfg", s.some(6), m.ini, C.SETTINGS)
    s.haves("logs/mudlark-{}.log", ["1", "2", "3"], m.log, C.CACHE)
    return s


def gannet() -> Specimen:
    """A Windows emulator with everything beside the program, and a settings file that names its folders."""
    s = Specimen("gannet", dates="unpacked")
    m = s.make
    s.ships("{}.exe", ["gannet", "gannet-updater"], m.windows_code)
    s.ships("{}.dll", ["render11", "sound2", "runtime", "unpack", "pads"], m.windows_code)
    s.ships("{}.txt", ["readme", "whatsnew", "license"], m.text)
    s.ships("plugins/{}.dll", ["net", "lightgun", "printer"], m.windows_code)
    s.ships("help/{}.html", ["index", "first-steps", "pads", "faq"], m.page)
    s.ships("languages/{}.xml", ["german", "french", "polish"], m.xml)
    s.have(
        "gannet.ini",
        m.ini(
            MemoryFolder="C:\\Games\\gannet\\mem",
            StatePath=".\\stt",
            DiscFolder="D:\\discs",
            ShotFolder="shots",
        ),
        C.SETTINGS,
    )
    s.have("pads.ini", m.ini("pad1", "pad2"), C.SETTINGS)
    s.haves("mem/{}.mem", ["slot1", "slot2", "Mill Race"], lambda: m.memory(131072), C.SAVES)
    s.haves("stt/{}.q", [spelt(t) for t in s.some(12)], lambda: m.even_state(b"GNT5", 12000), C.STATES)
    s.haves("discs/{}.bin", s.some(14), m.media, C.CONTENT)
    s.haves("discs/{}.cue", s.some(14), lambda: m.text("FILE track BINARY"), C.CONTENT)
    s.haves("shots/{}.png", [f"shot{n:04}" for n in range(16)], m.picture, C.EXTRAS)
    s.haves("cheats/{}.cht", s.some(5), m.text, C.EXTRAS)
    s.haves("per title/{}.ini", s.some(8), m.ini, C.SETTINGS)
    s.haves("cache/{}.bin", [m.digest_name() for _ in range(40)], m.blob, C.CACHE)
    s.have("gannet.log", m.log(), C.CACHE)
    return s


def kittiwake() -> Specimen:
    """A front end: shipped looks beside the person's own, pictures by machine, lists, and a database."""
    s = Specimen("kittiwake")
    m = s.make
    s.ship("kittiwake", m.code())
    s.ships("lib/{}.so", [f"lib{n}" for n in ("ui", "video", "pads", "search")], m.code)
    s.ships("resources/looks/plain/{}.xml", ["frame", "inks", "grid"], m.xml)
    s.ships("resources/looks/plain/drawn/{}.png", ["back", "sign", "star", "pad"], m.picture)
    s.ships("resources/chimes/{}.wav", ["step", "choose", "back"], m.sound)
    s.ships("resources/letters/{}.ttf", ["plain", "bold"], m.font)
    s.ships("resources/machines/{}.json", ["brindle", "tarn", "quillon", "osprey"], m.json)
    s.have("settings.xml", m.xml("wishes"), C.SETTINGS)
    s.have("lists/liked.txt", m.text(), C.EXTRAS)
    for machine in ("brindle", "osprey"):
        s.haves(f"lists/{machine}/{{}}", ["shelf.xml"], m.xml, C.EXTRAS)
        s.haves(f"pictures/{machine}/fronts/{{}}.jpg", s.some(12), m.photo, C.EXTRAS)
        s.haves(f"pictures/{machine}/films/{{}}.mp4", s.some(4), m.blob, C.EXTRAS)
        s.haves(f"games/{machine}/{{}}.zip", s.some(12), m.archive, C.CONTENT)
    s.brought("looks/lantern-night/{}", ["frame.xml", "inks.xml"], m.xml, C.EXTRAS)
    s.brought("looks/lantern-night/drawn/{}.png", ["a", "b", "c", "d"], m.picture, C.EXTRAS)
    s.have("hours played.json", m.json(), C.SAVES)
    s.haves("logs/{}.log", ["kittiwake", "picture-fetch"], m.log, C.CACHE)
    s.have("cache/small-pictures.db", m.database(), C.CACHE)
    s.have("input/pad one.cfg", m.xml("buttons"), C.SETTINGS)
    return s


def wrack() -> Specimen:
    """A modding tool: mods that bring code of their own, line-ups, a shelf of fetched ones."""
    s = Specimen("wrack", dates="sources")
    m = s.make
    s.ships("{}.exe", ["wrack", "wrack-layer"], m.windows_code)
    s.ships("parts/{}.dll", ["join", "pack", "net", "show", "script", "sums"], m.windows_code)
    s.ships("lessons/{}.js", ["first", "second"], m.text)
    s.ships("paint/{}.css", ["day", "night", "paper"], m.text)
    s.ships("languages/{}.qm", ["de", "fr", "it"], m.blob)
    s.have(
        "wrack.ini",
        m.ini(mod_folder="C:\\tools\\wrack\\mods", lineup_folder="lineups", fetched="larder"),
        C.SETTINGS,
    )
    for number, mod in enumerate(("Night Harbour", "Better Ropes", "HD Gulls")):
        s.brought(f"mods/{mod}/cloth/{{}}.dds", ["sea", "sky", "rope"], m.blob, C.EXTRAS, -30 * number)
        s.brought(f"mods/{mod}/bin/{{}}.dll", ["hook", "loader"], m.windows_code, C.EXTRAS, -30 * number)
        s.brought(f"mods/{mod}/{{}}", ["label.ini"], m.ini, C.EXTRAS, -30 * number)
        s.brought(f"mods/{mod}/docs/{{}}", ["readme.txt", "licence.txt"], m.text, C.EXTRAS, -30 * number)
    s.haves("lineups/main/{}", ["on-and-off.txt", "what-first.txt", "settings.ini"], m.text, C.SETTINGS)
    s.haves("lineups/main/saves/{}.sav", ["quick", "hourly", "harbour"], m.save, C.SAVES)
    s.haves("larder/{}.zip", ["night-harbour-1.2", "better-ropes-0.9"], m.archive, C.EXTRAS)
    s.have("logs/last evening.log", m.log(), C.CACHE)
    s.haves("crash reports/{}.dmp", ["a", "b"], m.blob, C.CACHE)
    return s


def turnstone() -> Specimen:
    """Names that mislead: shipped files called saves and states, a library of games called lib, discs in
    bin.
    """
    s = Specimen("turnstone")
    m = s.make
    s.ships("{}", ["turnstone"], m.code)
    s.ships("core/{}.so", ["save", "state", "content", "mods"], m.code)
    s.ships("core/{}.json", ["states", "saves", "games", "titles"], m.json)
    s.ships("doc/{}.html", ["saves", "settings", "states", "cheats"], m.page)
    s.ships("core/log/{}.glsl", ["a", "b"], m.shader)
    s.ships("palettes/{}.pal", ["warm", "cold", "grey"], m.blob)
    s.have("turnstone.json", m.json(library_path="lib", discs="bin", memory="flash"), C.SETTINGS)
    s.haves("lib/{}.game", [under(t) for t in s.some(15)], m.media, C.CONTENT)
    s.haves("bin/{}.iso", [under(t) for t in s.some(4, 15)], m.media, C.CONTENT)
    s.haves("flash/{}", [under(t) for t in s.some(10)], lambda: m.memory(4096), C.SAVES)
    s.haves("temp keep/{} film.avi", s.some(3), m.blob, C.EXTRAS)
    s.have("palettes/mine.pal", m.blob(), C.EXTRAS)
    s.haves("captain/{}.state", [under(t) for t in s.some(6)], m.state, C.STATES)
    s.have("settings/hotkeys.json", m.json(), C.SETTINGS)
    s.have("notes on settings.txt", m.text(), C.EXTRAS)
    return s


def saltwick() -> Specimen:
    """German, with umlauts, and a habit of keeping old copies."""
    s = Specimen("saltwick")
    m = s.make
    s.ships("{}", ["saltwick"], m.code)
    s.ships("bibliothek/{}.so", ["bild", "ton", "eingabe"], m.code)
    s.ships("Hilfe/{}.html", ["start", "tasten"], m.page)
    s.ships("Sprachen/{}.xml", ["de", "en"], m.xml)
    s.ships("{}.txt", ["Liesmich", "Lizenz"], m.text)
    s.have("Einstellungen/saltwick.cfg", m.ini(), C.SETTINGS)
    s.have("Einstellungen/saltwick.cfg.bak", m.ini(), C.SETTINGS)
    s.haves("Einstellungen/Tasten/{}.cfg", ["Tastatur", "Pad"], m.ini, C.SETTINGS)
    s.haves("Spielstände/{}.sav", s.some(14), m.memory, C.SAVES)
    s.haves("Spielstände/Sicherung/{}.sav.old", s.some(5), m.memory, C.SAVES)
    s.haves("Zustände/{}.zst", s.some(8), lambda: m.even_state(b"SLTZ", 7000), C.STATES)
    s.haves("Spiele/{}.rom", s.some(16), m.media, C.CONTENT)
    s.haves("Bildschirmfotos/{}.png", s.some(5), m.picture, C.EXTRAS)
    s.haves("Titelbilder/{}.jpg", s.some(9), m.photo, C.EXTRAS)
    s.have("Protokoll.log", m.log(), C.CACHE)
    s.haves("Zwischenspeicher/{}", [m.digest_name(20) for _ in range(30)], m.blob, C.CACHE)
    return s


def oystercatch() -> Specimen:
    """A console emulator that files saves under ids, with firmware and much that was built up while
    playing.
    """
    s = Specimen("oystercatch")
    m = s.make
    s.ships("{}", ["oystercatch"], m.code)
    s.ships("shipped/{}/usual.ini", ["pads", "per title"], m.ini)
    s.ships("shipped/shaders/{}.glsl", ["unblur", "glow", "two eyes"], m.shader)
    s.ships("shipped/pictures/{}.png", ["ribbon", "disc", "empty"], m.picture)
    s.ships("languages/{}.mo", ["de", "fr", "ja"], m.blob)
    s.have("mine/settings/oystercatch.ini", m.ini(), C.SETTINGS)
    s.have("mine/settings/pads/ada.ini", m.ini(), C.SETTINGS)
    s.haves("mine/per title/{}.ini", ["q-0107", "q-0412", "q-0977"], m.ini, C.SETTINGS)
    for title in ("7f3a-0107", "7f3a-0412", "7f3a-0977"):
        s.have(f"mine/vault/{title}/kept/progress.blk", m.save(b"QSAV"), C.SAVES)
        s.have(f"mine/vault/{title}/laid/part-0.blk", m.media(), C.CONTENT)
    s.haves("mine/memory cards/{}.blk", ["left", "right"], lambda: m.memory(131072), C.SAVES)
    s.haves("mine/moments/{}.m1", ["q-0107", "q-0412"], m.state, C.STATES)
    s.haves("mine/cache/shaders/{}.blk", [m.digest_name(16) for _ in range(120)], m.blob, C.CACHE)
    s.haves("mine/screenshots/q-0107/{}.png", [f"evening-{n}" for n in range(8)], m.picture, C.EXTRAS)
    s.haves("mine/textures/q-0107/{}.png", [m.digest_name(12) for _ in range(25)], m.picture, C.EXTRAS)
    s.haves("mine/logs/{}.txt", ["run"], m.log, C.CACHE)
    s.haves("mine/firmware/{}.blk", ["boot", "letters"], m.even_media, C.CONTENT)
    return s


def limewash() -> Specimen:
    """Copied from another disk without its times: everything is of one moment."""
    s = Specimen("limewash", dates="flat")
    m = s.make
    s.ships("{}", ["limewash", "limewash.sh"], m.code)
    s.ships("lib/{}.so", ["a", "b", "c", "d"], m.code)
    s.ships("docs/{}.html", ["index", "more"], m.page)
    s.ships("docs/img/{}.png", ["one", "two"], m.picture)
    s.ships("data/{}.pak", ["base", "fonts"], m.blob)
    s.ship_and_change("config/limewash.toml", m.keys(), m.keys(mine=1))
    s.haves("memcards/{}.card", ["first", "second"], lambda: m.memory(65536), C.SAVES)
    s.haves("savestates/{}.snap", s.some(7), m.state, C.STATES)
    s.haves("games/{}.disc", s.some(11), m.media, C.CONTENT)
    s.haves("mods/ropes/{}.so", ["hook"], m.code, C.EXTRAS)
    s.haves("mods/ropes/{}.png", ["rope", "knot"], m.picture, C.EXTRAS)
    s.haves("covers/{}.png", s.some(11), m.picture, C.EXTRAS)
    s.have("log.txt", m.log(), C.CACHE)
    return s


def hawser() -> Specimen:
    """A command-line emulator with dot files, without endings, and a list of its own files."""
    s = Specimen("hawser", dates="sources")
    m = s.make
    s.ships("bin/{}", ["hawser", "hawser-tape"], m.code)
    s.ships("share/hawser/{}", ["charset", "keyboard", "palette"], m.blob)
    s.ships("share/man/{}", ["hawser.1", "hawser-tape.1"], m.text)
    s.ships("share/hawser/samples/{}.wav", ["click", "motor"], m.sound)
    s.ship_list()
    s.have(".hawserrc", m.keys(tape_dir="tapes", state_dir=".frozen"), C.SETTINGS)
    s.have(".hawser_history", m.text("load harbour"), C.CACHE)
    s.haves("tapes/{}", [spelt(t) for t in s.some(20)], m.media, C.CONTENT)
    s.haves(".frozen/{}", [spelt(t) for t in s.some(6)], lambda: m.even_state(b"HWSR", 6000), C.STATES)
    s.haves("scores/{}", [spelt(t) for t in s.some(9)], m.blob, C.SAVES)
    s.haves("share/hawser/{}", ["my-palette"], m.blob, C.EXTRAS)
    s.have("todo.txt", m.text("finish level nine"), C.EXTRAS)
    return s


def fender() -> Specimen:
    """A launcher in a scripting language: the program itself is text, and so are its settings."""
    s = Specimen("fender")
    m = s.make
    s.ships("{}", ["fender.py", "run.sh"], m.script)
    s.ships("fender/{}.py", ["app", "ui", "store", "pads", "net", "__init__"], m.text)
    s.ships("fender/assets/{}.svg", ["logo", "star"], lambda: m.xml("svg"))
    s.ships("fender/assets/{}.json", ["strings", "icons"], m.json)
    s.ships("{}", ["requirements.txt", "pyproject.toml"], m.text)
    s.ship("README.md", m.notes())
    s.haves("fender/__pycache__/{}.pyc", ["app", "ui", "store"], m.blob, C.CACHE)
    s.have("userdata/settings.json", m.json(home="/home/ada/games"), C.SETTINGS)
    s.have("userdata/library.db", m.database(), C.EXTRAS)
    s.haves("userdata/art/{}.png", s.some(10), m.picture, C.EXTRAS)
    s.haves("userdata/saves/{}.zip", s.some(5), m.archive, C.SAVES)
    s.haves("userdata/logs/{}.log", ["1", "2"], m.log, C.CACHE)
    s.have("userdata/playlists/rainy day.m3u", m.text(), C.EXTRAS)
    return s


def bollard() -> Specimen:
    """French, a prefix with a drive in it, saves far down."""
    s = Specimen("bollard", dates="unpacked")
    m = s.make
    s.ships("Programme/{}.exe", ["bollard"], m.windows_code)
    s.ships("Programme/{}.dll", ["rendu", "son"], m.windows_code)
    s.ships("Programme/Aide/{}.html", ["accueil", "touches"], m.page)
    s.ships("Programme/Langues/{}.xml", ["fr", "en"], m.xml)
    s.have("Programme/bollard.ini", m.ini(), C.SETTINGS)
    s.have("Utilisateur/Paramètres/manettes.ini", m.ini(), C.SETTINGS)
    s.haves("Utilisateur/Sauvegardes/{}.dat", s.some(12), m.save, C.SAVES)
    s.haves("Utilisateur/Cartes mémoire/{}.bin", ["carte1", "carte2"], lambda: m.memory(65536), C.SAVES)
    s.haves("Utilisateur/États/{}.etat", s.some(7), m.state, C.STATES)
    s.haves("Jeux/{}.bin", s.some(9), m.media, C.CONTENT)
    s.haves("Utilisateur/Captures/{}.png", [f"capture{n}" for n in range(9)], m.picture, C.EXTRAS)
    s.haves("Utilisateur/Jaquettes/{}.jpg", s.some(9), m.photo, C.EXTRAS)
    s.have("Utilisateur/journal.log", m.log(), C.CACHE)
    return s


def samphire() -> Specimen:
    """A set of cores: shared libraries with notes, the person's options for each, files updated one at a
    time.
    """
    s = Specimen("samphire", dates="sources")
    m = s.make
    s.ships("{}", ["samphire"], m.code)
    s.ships("cores/{}.so", ["brindle-core", "tarn-core", "quillon-core", "osprey-core"], m.code)
    s.ships("about cores/{}.about", ["brindle", "tarn", "quillon", "osprey"], m.keys)
    s.ships("assets/signs/{}.png", [f"g{n}" for n in range(9)], m.picture)
    s.ships("known titles/{}.pack", ["brindle", "osprey"], m.packed)
    s.ships("known pads/{}.cfg", ["pad-a", "pad-b", "pad-c"], m.keys)
    s.have(
        "samphire.cfg",
        m.keys(keep_saves_in="saves", keep_states_in="states", titles="/home/ada/carts"),
        C.SETTINGS,
    )
    s.haves("settings/{}.core", ["brindle", "osprey"], m.keys, C.SETTINGS)
    s.haves("saves/{}.sav", s.some(15), m.memory, C.SAVES)
    s.haves("states/{}.s1", s.some(5), m.state, C.STATES)
    s.haves("states/{}.on leaving", s.some(3), m.state, C.STATES)
    s.haves("lists/{}.json", ["brindle", "osprey"], m.json, C.EXTRAS)
    s.haves("pictures/brindle/fronts/{}.png", s.some(10), m.picture, C.EXTRAS)
    s.haves("firmware/{}.bin", ["brindle_bios", "quillon_boot"], m.even_media, C.CONTENT)
    s.have("history.lst", m.text(), C.CACHE)
    return s


def driftline() -> Specimen:
    """Spanish, portable, with a folder for each title."""
    s = Specimen("driftline")
    m = s.make
    s.ships("{}", ["driftline"], m.code)
    s.ships("bibliotecas/{}.so", ["video", "audio", "mando"], m.code)
    s.ships("ayuda/{}.html", ["inicio", "mandos"], m.page)
    s.ships("idiomas/{}.json", ["es", "en", "pt"], m.json)
    s.ship("leeme.txt", m.text())
    s.have("configuración/driftline.ini", m.ini(), C.SETTINGS)
    for title in s.some(7):
        s.have(f"juegos/{title}/{spelt(title)}.cart", m.media(), C.CONTENT)
        s.have(f"juegos/{title}/portada.png", m.picture(), C.EXTRAS)
        s.have(f"partidas/{title}/ranura1.sav", m.memory(), C.SAVES)
    s.haves("estados/{}.est", s.some(5), m.state, C.STATES)
    s.haves("capturas/{}.png", [f"pantalla{n}" for n in range(6)], m.picture, C.EXTRAS)
    s.have("registro.log", m.log(), C.CACHE)
    return s


def spindrift() -> Specimen:
    """Held out. A disc console emulator on Windows: per-game folders, a profile for each pad, no endings on
    saves.
    """
    s = Specimen("spindrift", dates="unpacked", held_out=True)
    m = s.make
    s.ships("{}.exe", ["spindrift", "spindrift-window"], m.windows_code)
    s.ships("{}.dll", [f"sdpart{n}" for n in range(4)], m.windows_code)
    s.ships("resources/known discs/{}.yaml", ["all", "cures"], m.keys)
    s.ships("resources/fonts/{}.ttf", ["mono"], m.font)
    s.ships("resources/shaders/{}.fx", ["tube", "mist"], m.shader)
    s.ships("docs/{}.pdf", ["manual"], lambda: b"%PDF-1.4" + m.noise(900))
    s.have("keep everything here.txt", b"", C.PROGRAM)
    s.have(
        "settings/spindrift.ini", m.ini(CardsIn="cards", MomentsIn="frozen", PicturesIn="shots"), C.SETTINGS
    )
    s.haves("settings/pads/{}.ini", ["ada", "guest"], m.ini, C.SETTINGS)
    s.haves("settings/by title/{}.ini", ["Q-1001 A3", "Q-1044 7F"], m.ini, C.SETTINGS)
    s.haves("cards/{}.blk", ["card one", "card two"], lambda: m.memory(131072), C.SAVES)
    s.haves("cards/loose card/Q-1001/{}", ["part0", "part1", "sign"], m.save, C.SAVES)
    s.haves("frozen/{}.frz", ["Q-1001 1", "Q-1001 2", "Q-1044 1"], m.archive, C.STATES)
    s.haves("shots/{}.png", s.some(6), m.picture, C.EXTRAS)
    s.haves("bios/{}.bin", ["console v1.6", "console v2.2"], m.even_media, C.CONTENT)
    s.haves("textures/Q-1001/instead/{}.png", [m.digest_name(16) for _ in range(14)], m.picture, C.EXTRAS)
    s.haves("cache/{}", ["shaders.one", "shaders.two", "discs seen"], m.blob, C.CACHE)
    s.have("logs/evening.txt", m.log(), C.CACHE)
    return s


def cormorant() -> Specimen:
    """Held out. A front end with portable players inside it, each with saves of its own."""
    s = Specimen("cormorant", held_out=True)
    m = s.make
    s.ships("{}", ["cormorant"], m.code)
    s.ships("lib/{}.so", ["shell", "media"], m.code)
    s.ships("lib/plugins/{}.so", ["brindle", "osprey"], m.code)
    s.ships("share/{}.md", ["README", "NEWS"], m.notes)
    s.ships("share/skins/slate/{}.png", ["bar", "star", "tile"], m.picture)
    s.have("etc/cormorant.yaml", m.keys(), C.SETTINGS)
    s.have("etc/systems.d/brindle.yaml", m.keys(), C.SETTINGS)
    s.haves("players/osprey/battery/{}.sav", s.some(9), m.memory, C.SAVES)
    s.haves("players/osprey/quick states/{}.qst", s.some(4), m.state, C.STATES)
    s.haves("carts/{}.cart", s.some(18), m.media, C.CONTENT)
    s.haves("media/fronts/{}.png", s.some(18), m.picture, C.EXTRAS)
    s.haves("media/manuals/{}.pdf", s.some(5), lambda: b"%PDF-1.5" + m.noise(1500), C.EXTRAS)
    s.brought("skins/brass/{}.png", ["bar", "star", "tile"], m.picture, C.EXTRAS)
    s.haves("var/log/{}.log", ["shell", "media"], m.log, C.CACHE)
    s.haves("var/cache/{}", [m.digest_name(32) for _ in range(26)], m.blob, C.CACHE)
    return s


def tidepool() -> Specimen:
    """Held out. Japanese names, flat times."""
    s = Specimen("tidepool", dates="flat", held_out=True)
    m = s.make
    s.ships("{}.exe", ["tidepool"], m.windows_code)
    s.ships("{}.dll", ["sound", "input"], m.windows_code)
    s.ships("{}.txt", ["readme", "license"], m.text)
    s.have("設定/tidepool.ini", m.ini(), C.SETTINGS)
    s.haves("セーブデータ/{}.dat", s.some(8), m.memory, C.SAVES)
    s.haves("ステート/{}.bin", s.some(5), lambda: m.even_state(b"TDPL", 5000), C.STATES)
    s.haves("ゲーム/{}.rom", s.some(10), m.media, C.CONTENT)
    s.haves("スクリーンショット/{}.png", [f"{n:03}" for n in range(7)], m.picture, C.EXTRAS)
    s.haves("キャッシュ/{}", [m.digest_name() for _ in range(24)], m.blob, C.CACHE)
    return s


def groyne() -> Specimen:
    """Held out. An arcade emulator: a folder for each kind, many small files, shipped artwork beside the
    person's.
    """
    s = Specimen("groyne", dates="sources", held_out=True)
    m = s.make
    s.ships("{}", ["groyne"], m.code)
    s.ships("artwork/{}.xml", ["upright", "table"], m.xml)
    s.ships("known boards/{}.xml", ["boards", "chips"], m.xml)
    s.ships("plugins/{}/start.lua", ["counter", "best-of", "clock"], m.text)
    s.ships("plugins/{}/about.json", ["counter", "best-of", "clock"], m.json)
    s.ships("language/{}/words.mo", ["german", "french"], m.blob)
    s.ship("docs/changes.txt", m.text())
    s.have(
        "groyne.ini",
        m.keys(boards_in="boards;/media/ada/boards", memory_in="battery", settings_in="tuned"),
        C.SETTINGS,
    )
    s.have("window.ini", m.keys(), C.SETTINGS)
    s.haves("roms/{}.zip", [under(t)[:8] for t in s.some(22)], m.archive, C.CONTENT)
    s.haves("battery/{}/chip", [under(t)[:8] for t in s.some(7)], lambda: m.full_memory(2048), C.SAVES)
    s.haves("scores/{}.top", [under(t)[:8] for t in s.some(10)], m.blob, C.SAVES)
    s.haves("tuned/{}.cfg", [under(t)[:8] for t in s.some(12)], lambda: m.xml("board"), C.SETTINGS)
    s.haves("moments/{}/1.mom", [under(t)[:8] for t in s.some(4)], m.state, C.STATES)
    s.haves("shots/{}/first.png", [under(t)[:8] for t in s.some(6)], m.picture, C.EXTRAS)
    s.haves("artwork/{}.zip", [under(t)[:8] for t in s.some(5)], m.archive, C.EXTRAS)
    s.haves("replays/{}.rpl", [under(t)[:8] for t in s.some(2)], m.blob, C.EXTRAS)
    s.have("trouble.log", m.log(), C.CACHE)
    return s


def pilotage() -> Specimen:
    """Held out. A bundle for another system, with its settings and saves beside it in a documents folder."""
    s = Specimen("pilotage", held_out=True)
    m = s.make
    s.ships("Pilotage.app/Contents/MacOS/{}", ["Pilotage"], m.mac_code)
    s.ships("Pilotage.app/Contents/Frameworks/{}.dylib", ["libvideo", "libsound"], m.mac_code)
    s.ships("Pilotage.app/Contents/Resources/{}.png", ["icon", "pad"], m.picture)
    s.ships("Pilotage.app/Contents/Resources/{}.lproj/Localizable.strings", ["de", "en", "ja"], m.text)
    s.ship("Pilotage.app/Contents/Info.plist", m.xml("plist"))
    s.have("Pilotage Files/Preferences.plist", m.xml("plist"), C.SETTINGS)
    s.have("Pilotage Files/Pads/Mine.json", m.json(), C.SETTINGS)
    s.haves("Pilotage Files/Cart Memory/{}.sav", s.some(8), m.memory, C.SAVES)
    s.haves("Pilotage Files/Moments/{}.moment", s.some(4), m.state, C.STATES)
    s.haves("Pilotage Files/Games/{}.cart", s.some(9), m.media, C.CONTENT)
    s.haves("Pilotage Files/Screenshots/{}.png", s.some(5), m.picture, C.EXTRAS)
    s.haves("Pilotage Files/Cheats/{}.txt", s.some(3), m.text, C.EXTRAS)
    s.have("Pilotage Files/Logs/run.txt", m.log(), C.CACHE)
    return s


def thimble() -> Specimen:
    """A launcher with rooms: each has mods, saves in folders of their own, and settings; libraries are
    shipped.
    """
    s = Specimen("thimble")
    m = s.make
    s.ships("{}", ["thimble"], m.code)
    s.ships("libraries/{}.jar", ["core-2.4", "net-1.1", "ui-0.9"], m.archive)
    s.ships("runtime/bin/{}", ["engine", "signer"], m.code)
    s.ships("runtime/lib/{}", ["parts", "locks"], m.blob)
    s.have("thimble.cfg", m.keys(RoomsIn="rooms"), C.SETTINGS)
    s.have("accounts.json", m.json(), C.SETTINGS)
    for room in ("Harbour", "Long Winter"):
        s.haves(f"rooms/{room}/mods/{{}}.jar", ["ropes", "gulls", "lanterns"], m.archive, C.EXTRAS)
        s.haves(f"rooms/{room}/settings/{{}}.toml", ["ropes", "gulls"], m.keys, C.SETTINGS)
        s.haves(f"rooms/{room}/saves/Pier at dusk/{{}}", ["head", "land-0", "land-1"], m.save, C.SAVES)
        s.haves(f"rooms/{room}/screenshots/{{}}.png", ["a", "b"], m.picture, C.EXTRAS)
        s.haves(f"rooms/{room}/logs/{{}}.log", ["tonight"], m.log, C.CACHE)
    return s


def gunwale() -> Specimen:
    """Held out. A card of a handheld: saves beside what they belong to, a hidden folder with the program."""
    s = Specimen("gunwale", held_out=True)
    m = s.make
    s.ships(".gunwale/bin/{}", ["gunwale", "goodnight"], m.code)
    s.ships(".gunwale/lib/{}.so", ["draw", "png", "tune"], m.code)
    s.ships(".gunwale/cores/{}.so", ["brindle", "osprey"], m.code)
    s.ships(".gunwale/pictures/{}.png", ["charging", "sign", "letters"], m.picture)
    s.ship("README.txt", m.text())
    s.have(".kept/gunwale.cfg", m.keys(), C.SETTINGS)
    s.haves("Carts/Osprey Leaf/{}.cart", s.some(12), m.media, C.CONTENT)
    s.haves("Carts/Osprey Leaf/{}.sav", s.some(7), m.memory, C.SAVES)
    s.haves("Carts/Osprey Leaf/{}.state0", s.some(3), m.state, C.STATES)
    s.haves("Carts/Osprey Leaf/pictures/{}.png", s.some(12), m.picture, C.EXTRAS)
    s.haves("Firmware/{}.bin", ["osprey_boot"], m.even_media, C.CONTENT)
    s.have(".kept/recent.txt", m.text(), C.SETTINGS)
    s.have(".kept/logs/run.log", m.log(), C.CACHE)
    return s


def marlinspike() -> Specimen:
    """A program of web pages with a browser inside: packed resources, a profile folder full of caches."""
    s = Specimen("marlinspike", dates="unpacked")
    m = s.make
    s.ships("{}", ["marlinspike", "render-sandbox"], m.code)
    s.ships("{}.so", ["libmedia", "libgl"], m.code)
    s.ships("locales/{}.pak", ["de", "en", "fr", "pl", "it"], m.blob)
    s.ships("resources/{}", ["app.pack", "default.pack"], m.blob)
    s.ships("{}", ["LICENSE", "version"], m.text)
    s.have("profile/settings.json", m.json(), C.SETTINGS)
    s.have("profile/bindings.json", m.json(), C.SETTINGS)
    s.haves("profile/cache/pages/p_{}", [f"{n:06x}" for n in range(30)], m.blob, C.CACHE)
    s.haves("profile/shader cache/{}", ["part 0", "part 1", "index"], m.blob, C.CACHE)
    s.haves("profile/salvataggi/{}.sav", s.some(8), m.memory, C.SAVES)
    s.haves("profile/istantanee/{}.state", s.some(5), m.state, C.STATES)
    s.haves("library/{}.cart", s.some(12), m.media, C.CONTENT)
    s.haves("profile/copertine/{}.jpg", s.some(12), m.photo, C.EXTRAS)
    return s


def jackstay() -> Specimen:
    """Held out. A sandboxed app: everything of the person's below a hidden folder of its own, by the open
    base folders.
    """
    s = Specimen("jackstay", held_out=True)
    m = s.make
    s.ships("app/bin/{}", ["jackstay"], m.code)
    s.ships("app/lib/{}.so", ["render", "mixer", "joy"], m.code)
    s.ships("app/share/jackstay/{}.json", ["known discs", "languages"], m.json)
    s.ships("app/share/icons/hicolor/{}.png", ["48", "128"], m.picture)
    s.ships("app/share/applications/{}", ["jackstay.desktop"], m.keys)
    s.have("config/jackstay/jackstay.yml", m.keys(), C.SETTINGS)
    s.haves("config/jackstay/pads/{}.yml", ["pad one", "pad two"], m.keys, C.SETTINGS)
    s.haves("config/jackstay/by title/{}.yml", ["Q-1001", "Q-1044"], m.keys, C.SETTINGS)
    for title in ("Q-1001 first player", "Q-1044 on leaving"):
        s.haves(
            f"data/jackstay/drawer/player 1/saves/{title}/{{}}", ["sign.png", "back.png"], m.picture, C.SAVES
        )
        s.haves(
            f"data/jackstay/drawer/player 1/saves/{title}/{{}}",
            ["label.blk", "progress.blk"],
            m.save,
            C.SAVES,
        )
    s.haves("data/jackstay/drawer/titles/Q-1001/{}.arc", ["stage1", "stage2", "sound"], m.media, C.CONTENT)
    s.haves("data/jackstay/patches/{}.yml", ["own", "fetched"], m.keys, C.EXTRAS)
    s.haves("cache/jackstay/Q-1001/shaders/{}.blk", [m.digest_name() for _ in range(40)], m.blob, C.CACHE)
    s.haves("cache/jackstay/{}", ["jackstay.log"], m.log, C.CACHE)
    return s


def lazyjack() -> Specimen:
    """Held out. Polish, capital letters, endings of the program's own making, all in one folder deep."""
    s = Specimen("lazyjack", dates="unpacked", held_out=True)
    m = s.make
    s.ships("{}.EXE", ["LAZYJACK", "SETUP"], m.windows_code)
    s.ships("{}.DLL", ["GRAFIKA", "DZWIEK"], m.windows_code)
    s.ships("POMOC/{}.HTM", ["INDEX", "KLAWISZE"], m.page)
    s.ships("{}.TXT", ["CZYTAJ", "LICENCJA"], m.text)
    s.have("LAZYJACK.INI", m.ini(), C.SETTINGS)
    s.haves("USTAWIENIA/{}.INI", ["PAD", "EKRAN"], m.ini, C.SETTINGS)
    s.haves("GRY/{}.LJD", [spelt(t).upper()[:8] for t in s.some(11)], m.media, C.CONTENT)
    s.haves("ZAPISY/{}.LJZ", [spelt(t).upper()[:8] for t in s.some(9)], m.memory, C.SAVES)
    s.haves(
        "STANY/{}.LJS",
        [spelt(t).upper()[:8] for t in s.some(4)],
        lambda: m.even_state(b"LJS1", 6000),
        C.STATES,
    )
    s.haves("ZRZUTY/{}.PNG", [f"ZRZUT{n:03}" for n in range(6)], m.picture, C.EXTRAS)
    s.have("BLEDY.LOG", m.log(), C.CACHE)
    return s


PROGRAMS: tuple[Callable[[], Specimen], ...] = (
    mudlark,
    gannet,
    kittiwake,
    wrack,
    turnstone,
    saltwick,
    oystercatch,
    limewash,
    hawser,
    fender,
    bollard,
    samphire,
    thimble,
    driftline,
    spindrift,
    cormorant,
    tidepool,
    groyne,
    pilotage,
    gunwale,
    marlinspike,
    jackstay,
    lazyjack,
)
