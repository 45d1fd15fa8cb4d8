"""Several seats on one production: processes that change shots, settings and grades at once, undo, and are killed.

    python benchmarks/several_seats.py [--seats 8] [--edits 500] [--kills]
    python benchmarks/several_seats.py --server [--restarts 3] [--cut 60]

With --server on a PostgreSQL that is started here, killed and started again, with one seat's line cut for some seconds.
Counts what was reported as saved (or kept to be sent) and is neither in the journal nor among what was refused and
told, numbers given twice, and whether the journal, applied to nothing, makes what the tables hold. Prints one line of
JSON.
"""

from __future__ import annotations

import argparse
import json
import multiprocessing
import os
import random
import sys
import tempfile
import threading
import time
from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import Any

from aquin.errors import AquinError
from aquin.production import Camera, Grade, Option, Production, Root, Setup, Shot
from aquin.production.moved import Moved
from aquin.production.records import RECORDS
from aquin.production.rows import NAMES, row_of

SHOTS = 60
KILLS = 200


def seat(where: str, name: str, edits: int, seed: int, log: str, pace: float = 0.0) -> None:
    """One seat's work; what it was told was saved goes to a log, a line each."""
    out = os.open(log, os.O_WRONLY | os.O_APPEND | os.O_CREAT)

    def tell(*words: Any) -> None:
        os.write(out, (json.dumps(words) + "\n").encode())

    os.environ["AQUIN_PERSON"] = name
    rng = random.Random(seed)
    production = opened(where, name)
    said: Counter[str] = Counter()
    waits: list[float] = []
    for k in range(edits):
        shots = production.all(Shot)
        shot = rng.choice(shots)
        begun = time.perf_counter()
        try:
            entry = work(production, rng, shot, f"{name}.{seed}", k)
        except Moved:
            said["refused"] += 1
            continue
        except AquinError as error:
            said["other: " + error.what[:60]] += 1
            continue
        finally:
            waits.append(time.perf_counter() - begun)
        if entry is not None:
            said["kept to be sent" if entry.waiting else entry.step] += 1
            tell("kept" if entry.waiting else "saved", entry.number, entry.what, entry.step)
        time.sleep(pace)
    until = time.monotonic() + 90
    while production.waiting and time.monotonic() < until:
        time.sleep(0.2)
    said["refused when sent"] += len(production.refused)
    said["never sent"] += len(production.waiting)
    tell("same", sorted(production.needless.values()))
    production.close()
    tell("done", name, dict(said), sorted(waits)[len(waits) // 2], max(waits))


def opened(where: str, name: str) -> Production:
    """A file, or a server's production for an account of the seat's name; again while the server is away."""
    if not where.startswith("postgresql:"):
        return Production.open(Path(where))
    os.environ["AQUIN_STATE"] = str(Path(os.environ["AQUIN_SEATS"]) / name)
    until = time.monotonic() + 60
    while True:
        try:
            return Production.open(where.replace("//postgres@", f"//{name.replace(' ', '')}@"))
        except AquinError:
            if time.monotonic() > until:
                raise
            time.sleep(0.3)


def work(production: Production, rng: random.Random, shot: Shot, name: str, k: int) -> Any:
    """One decision of a mixed day."""
    kind = rng.random()
    if kind < 0.35:
        return production.change(f"{name} note {k}", replace(shot, note=f"{name} {k}"))
    if kind < 0.6:
        held = next((g for g in production.all(Grade) if g.shot_id == shot.id), None)
        made = held or Grade("trim", shot_id=shot.id)
        return production.change(f"{name} trim {k}", replace(made, values={"stops": k / 100}, origin=name))
    if kind < 0.8:
        held = dict(production.option("marks", {}))
        return production.change(f"{name} mark {k}", Option(held | {f"{name} {k}": k}, id="marks"))
    if kind < 0.88:
        return production.change(f"{name} camera {k}", Camera(f"{name} {k}"), Setup(f"{name} {k}"))
    if kind < 0.94:
        return production.undo("leave")
    return production.redo("leave")


def replayed(production: Production) -> str:
    """What is wrong with the journal: empty where, applied to nothing, it makes what the tables hold."""
    rows: dict[str, dict[str, dict[str, Any]]] = {k.table: {} for k in RECORDS}
    for entry in reversed(production.journal(10_000_000, changes=True)):
        for table, id, before, after in entry.changes:
            there = rows[table].get(id)
            if (before is None) != (there is None) or any(
                (there or {})[f] != v for f, v in (before or {}).items()
            ):
                return f"entry {entry.number} does not say what was there before"
            if after is None:
                del rows[table][id]
            else:
                rows[table][id] = (there or {}) | after
    for kind in RECORDS:
        held = {r.id: row_of(r) for r in production.all(kind)}
        if held != {i: {n: r[n] for n in NAMES[kind]} for i, r in rows[kind.table].items()}:
            return f"the journal does not make the {kind.table} table"
    return ""


def main() -> None:
    ask = argparse.ArgumentParser()
    ask.add_argument("--seats", type=int, default=8)
    ask.add_argument("--edits", type=int, default=500)
    ask.add_argument("--kills", action="store_true", help="kill a seat now and then; another takes its place")
    ask.add_argument("--server", action="store_true", help="on a PostgreSQL server that is started here")
    ask.add_argument(
        "--restarts", type=int, default=3, help="times that the server is killed and started again"
    )
    ask.add_argument("--cut", type=float, default=60.0, help="seconds for which one seat's line is cut")
    given = ask.parse_args()
    if given.server:
        print(json.dumps(on_server(given)))
        return
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "p.aquin"
        production = Production.create(path)
        root = Root("media", "media")
        production.change("log", root, *(Shot(root.id, f"{k}", f"{k}") for k in range(SHOTS)))
        production.close()
        print(json.dumps(run([str(path)] * given.seats, given.edits, given.kills)))


def on_server(given: argparse.Namespace) -> dict[str, Any]:
    """The same on a server, which fails now and then."""
    sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
    from aquin.jobs.people import let_in
    from postgres import Postgres, Wire

    server = Postgres()
    wire = Wire(server.port)
    with tempfile.TemporaryDirectory() as folder:
        os.environ["AQUIN_SEATS"], os.environ["AQUIN_STATE"] = folder, f"{folder}/lead"
        try:
            where = server.url(production="ferry")
            production = Production.create(where)
            root = Root("media")
            production.change("log", root, *(Shot(root.id, f"{k}", f"{k}") for k in range(SHOTS)))
            names = [f"seat{k}" for k in range(given.seats)]
            server.run(*(f"CREATE ROLE {n} LOGIN" for n in names))
            let_in(production, [(n, "leads") for n in names])
            production.close()
            places = [where] * given.seats
            places[0] = server.url(production="ferry", port=wire.port)
            over = threading.Event()

            def fail() -> None:
                for _ in range(given.restarts):
                    if over.wait(8):
                        return
                    server.kill()
                    over.wait(2)
                    server.start()

            def cut() -> None:
                if over.wait(5):
                    return
                wire.cut()
                over.wait(given.cut)
                wire.mend()

            threads = [threading.Thread(target=t) for t in (fail, cut)]
            for thread in threads:
                thread.start()
            found = run(places, given.edits, given.kills, 0.05 if given.restarts else 0.0, where)
            over.set()
            for thread in threads:
                thread.join()
            return {"server": "PostgreSQL", "restarts": given.restarts, "cut s": given.cut} | found
        finally:
            wire.close()
            server.close()


def run(places: list[str], edits: int, kills: bool, pace: float = 0.0, final: str = "") -> dict[str, Any]:
    folder = tempfile.TemporaryDirectory()
    seats = len(places)
    log = str(Path(folder.name) / "log")
    begun = time.monotonic()
    running = [start(places[k], f"seat {k}", edits, k, log, pace) for k in range(seats)]
    killed = 0
    rng = random.Random(1)
    while any(p.is_alive() for p in running):
        time.sleep(rng.uniform(0.05, 0.3))
        victim = rng.randrange(len(running))
        if kills and killed < KILLS and time.monotonic() - begun > 3 and running[victim].is_alive():
            running[victim].kill()
            killed += 1
            running[victim] = start(places[victim], f"seat {victim}", edits, 1000 + killed, log, pace)
    saved: dict[int, str] = {}
    kept: list[str] = []
    same: set[str] = set()
    """What others had done just so."""
    twice = 0
    said: Counter[str] = Counter()
    medians: list[float] = []
    longest = 0.0
    for line in Path(log).read_text().splitlines():
        got = json.loads(line)
        if got[0] == "saved":
            twice += got[1] in saved
            saved[got[1]] = got[2]
        elif got[0] == "same":
            same |= set(got[1])
        elif got[0] == "kept":
            kept += [got[2]] if got[3] == "do" else []
        else:
            said.update(got[2])
            medians.append(got[3])
            longest = max(longest, got[4])
    seconds = time.monotonic() - begun
    refused: set[str] = set()
    for k in range(seats if final else 0):
        back = opened(places[k], f"seat {k}")
        refused |= {i.what for i in back.refused}
        back.close()
    if final:
        os.environ["AQUIN_STATE"] = str(Path(os.environ["AQUIN_SEATS"]) / "lead")
    production = Production.open(final or Path(places[0]))
    entries = {e.number: e.what for e in production.journal(10_000_000)}
    lost = [what for n, what in saved.items() if entries.get(n) != what]
    there = Counter(entries.values())
    lost += [what for what in kept if what not in there and what not in refused | same]
    for what in lost:
        print(f"lost: {what}", file=sys.stderr)
    firsts = Counter(e.what for e in production.journal(10_000_000) if e.step == "do")
    places = Counter((g.layer, g.shot_id) for g in production.all(Grade))
    wrong = replayed(production)
    production.close()
    return {
        "seats": seats,
        "edits": edits,
        "seconds": round(seconds, 1),
        "saved": len(saved),
        "kept to be sent": len(kept),
        "refused when sent": len(refused),
        "entries twice": sum(1 for n in firsts.values() if n > 1),
        "lost": len(lost),
        "numbers twice": twice,
        "gaps": len(entries) - max(entries, default=0),
        "grades twice": sum(1 for n in places.values() if n > 1),
        "journal": wrong or "makes the tables",
        "killed": killed,
        "said": dict(said),
        "median ms": round(1000 * sorted(medians)[len(medians) // 2], 1) if medians else None,
        "longest s": round(longest, 2),
    }


def start(where: str, name: str, edits: int, seed: int, log: str, pace: float) -> Any:
    args = (where, name, edits, seed, log, pace)
    made = multiprocessing.get_context("spawn").Process(target=seat, args=args)
    made.start()
    return made


if __name__ == "__main__":
    main()
