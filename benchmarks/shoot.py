"""A whole simulated shoot matched from nothing, against its truth: how far each camera is from its hero before and
after, and how long it takes.

    python benchmarks/shoot.py FOLDER TRUTH [MODEL]

FOLDER is a shoot of `aquin simulate shoot FOLDER --seed N --truth TRUTH`, of another seed than the demo's. The truth
holds each
shot's view as the hero's camera would have recorded it; the recording as graded is compared with that, graded as the
hero camera's recording of
that moment is. The production is made anew in FOLDER/bench.aquin.
"""

import sys
import time
from collections import defaultdict
from pathlib import Path

import numpy as np
from common import ROOT

from aquin.production.audit import run_audit
from aquin.production.cells import board
from aquin.production.charting import keep_profile, profile_of, read_series, series_of
from aquin.production.heroes import take_proposed
from aquin.production.matching import Wish, settle
from aquin.production.records import Camera, Setup
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.production.store import Production
from aquin.simulate.logbook import log_demo

sys.path.insert(0, str(ROOT / "tests"))
from yardstick import Judged, judged


def clean(folder: Path) -> Production:
    path = folder / "bench.aquin"
    for old in folder.glob("bench*"):
        old.unlink()
    log_demo(folder)
    first = Production.open(folder / "ferry.aquin")
    first.save_copy(path)
    first.close()
    return Production.open(path)


def main(folder: Path, truth: Path, model: str) -> None:
    production = clean(folder)
    config = config_of(production)
    began = time.monotonic()
    run_audit(production, config)
    print(f"measured and audited in {time.monotonic() - began:.0f} s")
    take_proposed(production)
    for camera in production.all(
        Camera
    ):  # as a person would: a camera without a known encoding gets a measured one
        if not camera.encoding and series_of(production, camera):
            made = profile_of(read_series(production, config, camera))
            keep_profile(production, config, camera, made, f"Measured {camera.name}")
            config = config_of(production)
    before = Shoot(production, config)
    then = time.monotonic()
    done = settle(production, config, list(before.shots), Wish(model))
    print(f"settled in {time.monotonic() - then:.0f} s: {done.line}")
    for cell in done.cells:
        print(
            f"  {production.get(Setup, cell.place[0]).name}, {production.get(Camera, cell.place[1]).name}: {cell.words}"
        )
    compare(production, Shoot(production, config), truth)
    found = board(production, config)
    shots = [s for c in found.values() for s in c.shots]
    print({w: sum(s.word == w for s in shots) for w in sorted({s.word for s in shots})})


def compare(production: Production, desk: Shoot, truth: Path) -> None:
    """By the yardstick of `tests/yardstick.py`, which has tests of its own."""
    cells: dict[tuple[str, str], list[Judged]] = defaultdict(list)
    for one in judged(production, desk, truth):
        if not one.hero and not one.odd:  # what the hero's camera itself got wrong is no truth to be matched
            cells[one.setup, one.camera].append(one)
    print(f"{'setup':12} {'camera':8} {'before':>7} {'after':>7} {'stops':>6}   shots")
    for (setup, camera), rows in sorted(cells.items()):
        b, a, e = (float(np.median([getattr(r, k) for r in rows])) for k in ("before", "after", "stops"))
        words = ", ".join(
            f"{r.shot.name}{f' ({r.mistake})' if r.mistake else ''} {r.before:.1f} to {r.after:.1f}"
            for r in rows
        )
        print(f"{setup:12} {camera:8} {b:7.1f} {a:7.1f} {e:+6.2f}   {words}")
    every = [r for rows in cells.values() for r in rows]
    sound = [r for r in every if not r.mistake and r.moment.same_time]
    for name, group in (("all shots", every), ("without planted mistakes", sound)):
        x, y = (np.array([getattr(r, k) for r in group]) for k in ("before", "after"))
        print(
            f"{name}: {len(group)} shots, median dE00 {np.median(x):.1f} to {np.median(y):.1f}, mean "
            f"{x.mean():.1f} to {y.mean():.1f}, "
            f"within 2: {np.mean(x <= 2):.0%} to {np.mean(y <= 2):.0%}, within 4: {np.mean(x <= 4):.0%} to "
            f"{np.mean(y <= 4):.0%}"
        )


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3] if len(sys.argv) > 3 else "best")
