"""Makes changes to a production file and is killed while it does; run by test_broken.

For each round a child edits and says on a pipe what is saved; it is killed at a random moment, and the file is
examined.
"""

import os
import random
import signal
import sqlite3
import sys
import time
from dataclasses import replace
from pathlib import Path

from aquin.production import Camera, Production, Root, Setup, Shot


def edit(path: Path, out: int, seed: int) -> None:
    """Change after change; a line on `out` after each one that `change` has reported as saved."""
    rng = random.Random(seed)
    production = Production.open(path)
    while True:
        shots = production.all(Shot)
        word = f"{rng.random():.12f}"
        kind = rng.choice(["one", "many", "new", "drop", "undo"])
        if kind == "many":
            production.change(word, *(replace(s, note=word) for s in shots))
        elif kind == "new":
            production.change(word, Camera(word), Setup(word))
        elif kind == "drop" and len(production.all(Camera)) > 3:
            production.change(word, drop=[rng.choice(production.all(Camera))])
        elif kind == "undo" and len(production.journal(50)) > 10:
            production.undo()
        else:
            production.change(word, replace(rng.choice(shots), note=word))
        last = production.journal(1)[0]
        os.write(out, f"{last.number} {last.what}\n".encode())


def examine(path: Path, saved: dict[int, str]) -> str:
    """What is wrong with the file after a kill; empty when nothing is."""
    production = Production.open(path)
    entries = {e.number: e.what for e in production.journal(1_000_000)}
    production.close()
    raw = sqlite3.connect(path)
    if (said := raw.execute("PRAGMA integrity_check").fetchone()[0]) != "ok":
        return f"integrity_check: {said}"
    raw.close()
    lost = {n: w for n, w in saved.items() if entries.get(n) != w}
    return f"lost: {lost}" if lost else ""


def main(path: Path, rounds: int) -> None:
    seed = random.SystemRandom().randrange(2**32)
    rng = random.Random(seed)
    production = Production.create(path)
    root = Root("media", "media")
    production.change("log", root, *(Shot(root.id, f"{k}.mkv", f"{k}") for k in range(40)))
    production.close()
    saved: dict[int, str] = {}
    for k in range(rounds):
        read, write = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(read)
            try:
                edit(path, write, rng.randrange(2**32) + k)
            finally:
                os._exit(1)
        os.close(write)
        first = os.read(read, 4096)  # it works: now at any moment
        time.sleep(rng.uniform(0, 0.05))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        said = first
        while more := os.read(read, 65536):
            said += more
        os.close(read)
        if not said:
            sys.exit(f"seed {seed}, round {k}: the child ended by itself")
        for line in said.decode().splitlines():
            number, _, what = line.partition(" ")
            saved[int(number)] = what
        if wrong := examine(path, saved):
            sys.exit(f"seed {seed}, round {k}: {wrong}")
    print(f"{rounds} kills, {len(saved)} changes")


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
