#!/usr/bin/env python3
"""Writes places.def anew: where each name of the key table stands in word.c's hash tables. To be run from the
project's folder after a change of include/lurk/keys.def; tests/core/test_keys.c fails where it was not."""
import re

LINUX_BITS, BITS, FACTOR = 10, 9, 2836867589  # as in word.c; with this factor no name takes more than six looks


def lines(macro, names, bits):
    taken, line = {}, ""
    for name, key in names:
        h = 0
        for byte in re.sub("[ _-]", "", name).lower().encode():
            h = (h ^ byte) * FACTOR & 0xffffffff
        at = h >> (32 - bits)
        while at in taken:
            at = (at + 1) % (1 << bits)
        taken[at] = key
    for at, key in sorted(taken.items()):
        word = f"{macro}({at}, {key})"
        if len(line) + len(word) >= 110:
            yield line
            line = ""
        line += (" " if line else "") + word
    yield line


rows = []
for kind, fields in re.findall(r"^(KEY|BTN)\((.*)\)$", open("include/lurk/keys.def").read(), re.M):
    _, name, code, meaning, _ = re.findall(r'\s*("(?:[^"\\]|\\.)*"|[^,"]+?)\s*(?:,|$)', fields)
    rows.append((("BTN_" if kind == "BTN" else "") + name, name, *(eval(text) for text in (code, meaning))))
first = {}
for key, _, _, meaning in rows:
    if re.sub("[ _-]", "", meaning):
        first.setdefault(meaning.lower(), key)
with open("src/core/places.def", "w") as file:
    file.write("/* Written by places.py: places of keys in word.c's hash tables, by Linux name, W3C code and meaning. */\n")
    for part in (lines("L", [(name, key) for key, name, _, _ in rows], LINUX_BITS),
                 lines("C", [(code, key) for key, _, code, _ in rows if code], BITS),
                 lines("M", first.items(), BITS)):
        file.write("\n".join(part) + "\n")
