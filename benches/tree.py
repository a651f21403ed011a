#!/usr/bin/env python3
"""Makes a tree to measure on: FILES files like those of a company's repositories, SETUPS of them setups.

usage: tree.py FOLDER [FILES] [SETUPS]
"""
import json
import pathlib
import random
import sys

folder = pathlib.Path(sys.argv[1])
files, setups = (int(n) for n in (sys.argv[2:4] + ["60000", "1500"][len(sys.argv) - 2:]))
rng = random.Random(1)
WORDS = "tide berth quay ledger crew engine manifest siren harbour ticket ferry lock mooring return value let match".split()
# What a company's tree consists of: mostly program text, some documents and pictures, a fifth in the notations of setups.
KINDS = [(".rs", 24), (".ts", 20), (".py", 12), (".md", 6), (".png", 6), (".css", 4), (".txt", 4), (".sql", 3), (".json", 12), (".yaml", 6), (".toml", 2), ("", 1)]


def prose(size):
    return " ".join(rng.choices(WORDS, k=size // 6))


def plain(ending, size):
    if ending == ".json":
        return json.dumps({"name": rng.choice(WORDS), "rows": [prose(40) for _ in range(size // 48)]}, indent=1)
    if ending == ".yaml":
        return "".join(f"{rng.choice(WORDS)}_{n}: {prose(40)}\n" for n in range(size // 48))
    if ending == ".toml":
        return "".join(f"{rng.choice(WORDS)}_{n} = \"{prose(40)}\"\n" for n in range(size // 48))
    return prose(size)


def setup(number):
    servers = {f"{rng.choice(WORDS)}-{n}": {"command": "npx", "args": ["-y", f"@saltmarsh/{rng.choice(WORDS)}@{n}.0.{number}"], "env": {"TOKEN": "${TOKEN}"}} for n in range(4)}
    return json.dumps({"mcpServers": servers}, indent=2)


kinds = [ending for ending, weight in KINDS for _ in range(weight)]
for number in range(files):
    place = folder / f"repo{number % 60:02}" / rng.choice(WORDS) / f"{number // 60 % 6}"
    place.mkdir(parents=True, exist_ok=True)
    if number % (files // max(setups, 1)) == 0:
        (place / f".mcp{number}.json").write_text(setup(number))
    else:
        ending = rng.choice(kinds)
        (place / f"{rng.choice(WORDS)}{number}{ending}").write_text(plain(ending, rng.choice([400, 1500, 4000, 12000])))
