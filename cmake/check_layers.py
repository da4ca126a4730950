#!/usr/bin/env python3
"""Fails when a source includes what its folder may not: the table is the one in ARCHITECTURE.md."""
import pathlib
import re
import sys

ALLOWED = {
    "core/base": [],
    "core/signal": ["core/base"],
    "core/decode": ["core/base", "core/signal"],
    "core/query": ["core/base", "core/signal", "core/decode"],
    "core/view": ["core/base", "core/signal", "core/decode", "core/query"],
    "core/io": ["core/base", "core/signal", "core/decode", "core/query", "core/view"],
    "rig": ["core/base", "core/signal", "core/io"],
    "cli": ["core/base", "core/signal", "core/decode", "core/query", "core/view", "core/io"],
    "ui": ["core/base", "core/signal", "core/decode", "core/query", "core/view", "core/io"],
    "app": ["core/base", "core/decode", "ui"],
}
QT_FREE = ("core/", "rig", "cli")

root = pathlib.Path(__file__).resolve().parent.parent / "src"
wrong = []
for path in sorted(root.rglob("*.[hc]*")):
    if path.suffix not in (".h", ".cpp"):
        continue
    parts = path.relative_to(root).parts
    here = "/".join(parts[:2]) if parts[0] == "core" else parts[0]
    if here not in ALLOWED:
        wrong.append(f"{path}: its folder is not in the table")
        continue
    for number, line in enumerate(path.read_text().splitlines(), 1):
        include = re.match(r'\s*#\s*include\s*[<"]([^>"]+)[>"]', line)
        if not include:
            continue
        target = include[1]
        if here.startswith(QT_FREE) and re.match(r"Q[A-Z]|Qt", target):
            wrong.append(f"{path}:{number}: {target}: no Qt in {here}")
        folder = re.match(r"(core/\w+|rig|cli|ui|app)/", target)
        if folder and folder[1] != here and folder[1] not in ALLOWED[here]:
            wrong.append(f"{path}:{number}: {here} may not include {folder[1]}")
print("\n".join(wrong) or f"layers hold in {root}")
sys.exit(1 if wrong else 0)
