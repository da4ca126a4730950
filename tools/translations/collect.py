#!/usr/bin/env python3
"""Collects the core's texts for people, as a file that Qt's lupdate reads.

    collect.py BEXTO-WORDS > core_texts.h

The core is free of Qt, so its texts are not inside tr(): they are literals inside say(), counted() and Noun, messages of
the filter's grammar, names of fields in the rooms' anatomies, and what stands in tables, which BEXTO-WORDS prints.
"""
import pathlib
import re
import subprocess
import sys

ROOT = pathlib.Path(__file__).resolve().parent.parent.parent
LITERAL = r'"((?:[^"\\]|\\.)*)"'
COUNTED = re.compile(r'\{\s*' + LITERAL + r',\s*' + LITERAL + r'\s*\}')
SAID = re.compile(r'\bsay\(\s*((?:' + LITERAL + r'\s*)+)')
MESSAGE = re.compile(r'kMessage<\w+>\s*=\s*' + LITERAL)


def texts_of(path, code):
    """(plain texts, texts with several forms) as they stand in the source."""
    said, counted = set(), set()
    for match in SAID.finditer(code):
        said.add("".join(re.findall(LITERAL, match[1])))
    for match in COUNTED.finditer(code):
        if "{}" in match[1] and "{}" in match[2]:
            counted.add(match[2])
    said.update(m[1] for m in MESSAGE.finditer(code))
    if path.name.endswith("_anatomy.cpp"):
        bare = re.sub(r"^\s*(#|//).*$", "", code, flags=re.M)
        said.update(t for t in re.findall(LITERAL, bare) if re.search(r"[a-zA-Z]{2}", t))
    said.discard("")
    return said, counted


def main():
    said, counted = set(), set()
    for path in sorted([*(ROOT / "src/core").rglob("*"), *(ROOT / "src/live").rglob("*"), *(ROOT / "src/ui").rglob("*")]):
        if path.suffix in (".cpp", ".h"):
            some, others = texts_of(path, path.read_text())
            said |= some
            counted |= others
    tables = subprocess.run([sys.argv[1]], check=True, capture_output=True, text=True).stdout.splitlines()
    said.update(t.replace("\\", "\\\\").replace('"', '\\"') for t in tables)
    for text in sorted(said):
        print(f'QT_TRANSLATE_NOOP("core", "{text}")')
    for text in sorted(counted):
        print(f'QT_TRANSLATE_N_NOOP("core", "{text}")')


if __name__ == "__main__":
    main()
