#!/usr/bin/env python3
"""Fails when a source includes what its folder may not (the table is the one in ARCHITECTURE.md), or when anybody but a
protocol's own room names that protocol."""
import pathlib
import re
import sys

CORE = ["core/base", "core/signal", "core/decode", "core/device", "core/session", "core/store", "core/query", "core/check", "core/view", "core/format", "core/export"]
ALLOWED = {
    "core/base": [],
    "core/signal": ["core/base"],
    "core/decode": ["core/base", "core/signal"],
    "core/device": ["core/base", "core/signal", "core/decode"],
    "core/format": ["core/base", "core/signal", "core/decode"],
    "core/session": ["core/base", "core/signal", "core/decode"],
    "core/store": ["core/base", "core/signal", "core/decode", "core/session"],
    "core/query": ["core/base", "core/signal", "core/decode"],
    "core/check": ["core/base", "core/signal", "core/decode", "core/query", "core/device"],
    "core/view": ["core/base", "core/signal", "core/decode", "core/query", "core/device"],
    "core/export": ["core/base", "core/signal", "core/decode", "core/query", "core/device", "core/check", "core/view"],
    "rig": ["core/base", "core/signal", "core/format"],
    "live": CORE,
    "cli": [*CORE, "live"],
    "app": ["core/base", "core/decode", "core/device", "core/check", "core/session", "core/store", "rig", "ui"],
}
# Views know the session, the engine and the focus, and not one another: what several show stands in a room of its own.
GROUND = ["ui/access", "ui/text", "ui/theme", "ui/job", "ui/session", "ui/engine", "ui/sheets", "ui/verdicts", "ui/focus", "ui/keeper"]
UI = {
    "ui/access": [],
    "ui/text": [],
    "ui/theme": ["ui/text"],
    "ui/job": [],
    "ui/session": ["ui/text"],
    "ui/engine": ["ui/text", "ui/job", "ui/session"],
    "ui/sheets": ["ui/text", "ui/job", "ui/session", "ui/engine"],
    "ui/verdicts": ["ui/text", "ui/job", "ui/session", "ui/engine"],
    "ui/focus": ["ui/text", "ui/session", "ui/engine", "ui/sheets", "ui/verdicts", "ui/keeper"],
    "ui/keeper": ["ui/text", "ui/job", "ui/session", "ui/engine"],
    "ui/page": ["ui/text", "ui/theme"],
    "ui/query": GROUND,
    "ui/overview": [*GROUND, "ui/query"],
    "ui/ledger": [*GROUND, "ui/query", "ui/page"],
    "ui/bytes": [*GROUND, "ui/page"],
    "ui/devices": [*GROUND, "ui/page"],
    "ui/checks": [*GROUND, "ui/page"],
    "ui/buses": GROUND,
    "ui/timeline": GROUND,
    "ui/anatomy": GROUND,
    "ui/markers": GROUND,
    "ui/command": GROUND,
    "ui/import": GROUND,
    "ui/segments": GROUND,
    "ui/bench": [*GROUND, "ui/query"],
}
UI["ui/window"] = [*UI]  # puts all of them together
ALLOWED.update({folder: [*CORE, "live", *may] for folder, may in UI.items()})
QT_ONLY_CORE = ("live", "cli", "ui/session", "ui/engine", "ui/job", "ui/keeper")  # no widget in them
ROOM_MAY = ["core/base", "core/signal", "core/decode"]  # and no other room
QT_FREE = ("core/", "rig")
QT_MAY = ("rig/main.cpp", "rig/instrument/server.h", "rig/instrument/server.cpp", "rig/instrument/served_instrument.h",
          "rig/instrument/served_instrument.cpp", "rig/peers/can_peer.h",
          "rig/peers/can_peer.cpp", "rig/peers/serial_peer.h", "rig/peers/serial_peer.cpp")  # what is on a port
OF_A_BUS = ("live/can_source.h", "live/can_source.cpp", "live/serial_source.h", "live/serial_source.cpp",
            "live/sources.cpp")  # interfaces of one bus: they make its records
NAMELESS = (*CORE, "live", "cli", *UI, "app")  # folders that know no protocol

root = pathlib.Path(__file__).resolve().parent.parent / "src"
protocol_root = root / "core" / "protocol"
rooms = sorted(p.name for p in protocol_root.iterdir() if p.is_dir())
wrong = []


def folder_of(path):
    """The row of the table that a file, or an include, belongs to."""
    parts = path.split("/")
    if parts[:2] == ["core", "protocol"]:
        return "/".join(parts[:3]) if len(parts) > 3 else "core/protocol"
    return "/".join(parts[:2]) if parts[0] in ("core", "ui") else parts[0]


def allowed(here):
    if here == "core/protocol":  # the list
        return ["core/decode", *(f"core/protocol/{room}" for room in rooms)]
    if here.startswith("core/protocol/"):
        return ROOM_MAY
    return ALLOWED.get(here)


def names_of_rooms():
    """What may not be said elsewhere: names and labels of protocols, and of their wires as texts in the code."""
    labels, roles = set(), set()
    for room in rooms:
        door = (protocol_root / room / f"{room}_protocol.cpp").read_text()
        labels.update(re.findall(r'f\.label = "([^"]+)"', door))
        for body in re.findall(r"f\.roles = \{(.*?)\};", door, re.S):
            for name, label in re.findall(r'\{"(\w+)", "(\w+)", (?:true|false)', body):
                roles.update((name, label))
    return labels, roles


def words_of(identifier):
    return [w.lower() for w in re.findall(r"[A-Z]?[a-z0-9]+|[A-Z]+(?![a-z])", identifier)]


def names_a_protocol(line, labels, roles):
    code = re.sub(r"//.*", "", line)
    texts = re.findall(r'"((?:[^"\\]|\\.)*)"', code)
    for text in texts:
        if text in roles or text.lower() in rooms or labels & set(re.findall(r"\w+", text)):
            return text
    if label := labels & set(re.findall(r"\w+", line)):
        return label.pop()
    for identifier in re.findall(r"[A-Za-z_]\w*", re.sub(r'"(?:[^"\\]|\\.)*"', '""', code)):
        for room in rooms:
            if room == "can":  # also an English word: canOpen is none, CanFrame and can::Machine are
                if re.match(r"k?Can[A-Z]", identifier) or re.search(rf"\b{identifier}::", code) and identifier == "can":
                    return identifier
            elif room in words_of(identifier):
                return identifier
    return None


labels, roles = names_of_rooms()
for path in sorted(root.rglob("*.[hc]*")):
    if path.suffix not in (".h", ".cpp"):
        continue
    here = folder_of(str(path.relative_to(root)))
    may = allowed(here)
    if may is None:
        wrong.append(f"{path}: its folder is not in the table")
        continue
    for number, line in enumerate(path.read_text().splitlines(), 1):
        include = re.match(r'\s*#\s*include\s*[<"]([^>"]+)[>"]', line)
        if include:
            target = include[1]
            if here.startswith(QT_FREE) and str(path.relative_to(root)) not in QT_MAY and re.match(r"Q[A-Z]|Qt", target):
                wrong.append(f"{path}:{number}: {target}: no Qt in {here}")
            if here in QT_ONLY_CORE and re.match(r"Q(Widget|Application|Label|Dialog|Main|Push|Tool|Combo|Line|Menu|Paint)", target):
                wrong.append(f"{path}:{number}: {target}: no widget in {here}")
            if re.match(r"(core/\w+|rig|live|cli|ui|app)/", target):
                folder = folder_of(target)
                of_a_bus = str(path.relative_to(root)) in OF_A_BUS and folder.startswith("core/protocol/")
                if folder != here and folder not in may and not of_a_bus and not (here == "app" and folder.startswith("ui/")):
                    wrong.append(f"{path}:{number}: {here} may not include {folder}")
        elif here in NAMELESS and str(path.relative_to(root)) not in OF_A_BUS and (name := names_a_protocol(line, labels, roles)):
            wrong.append(f"{path}:{number}: {here} knows no protocol, and this names one: {name}")
print("\n".join(wrong) or f"layers hold in {root}")
sys.exit(1 if wrong else 0)
