"""Jumps that are planted at cuts: how often they are found, how near, and how often none is called one.

    AQUIN_DEMO=FOLDER PYTHONPATH=src:tests:benchmarks python benchmarks/continuity.py [PAIRS]

FOLDER holds a settled production `st.aquin` of the demo shoot. The yardstick first: two frames next to each other in
one take, under one grade, are a cut without a jump; the same with one side moved by a known amount is that jump. Then
two frames of one take apart in time, where things and people move; two cameras of one setup, where only the change is
known; and two setups, which mostly share nothing and are then told, not judged.
"""

import json
import os
import sys
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np

from aquin.colour.grade import Balance
from aquin.measure.ledger import axes as ledger_axes
from aquin.production import Production
from aquin.production.cut.judged import Jump, together
from aquin.production.cut.pieces import edit_named, graded_at, pieces_of
from aquin.production.cut.work import PairJob, pair_job
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.workers import each

STOPS = (0.0, 0.05, 0.1, 0.15, 0.2, 0.3, 0.6)
MIRED = (3.0, 6.0, 10.0, 20.0, 40.0)
TOLERANCES = {a.name: a.tolerance for a in ledger_axes()}


def moved(ref, stops: float, mired: float):
    """A frame whose grade is moved by a known amount."""
    grade = ref.graded
    if mired:
        grade = replace(grade, balance=Balance.from_factors(grade.balance.factors * warmer(mired)))
    factors = grade.balance.factors * 2.0**stops
    return replace(ref, grade=json.dumps(replace(grade, balance=Balance.from_factors(factors)).values()))


def warmer(mired: float) -> np.ndarray:
    """(3,) gains that move grey by so many mired, found by bisection on the product's own definition."""
    low, high = 0.0, 2.0
    for _ in range(40):
        at = (low + high) / 2
        gains = np.exp2(at * np.array([0.5, 0.0, -0.5]))
        low, high = (at, high) if Balance.from_factors(gains).shift[0] < mired else (low, at)
    return np.exp2(low * np.array([0.5, 0.0, -0.5]))


def judged(found: dict) -> dict[str, Jump]:
    said = [(*(np.array(w[k]) for k in ("off", "error", "doubt")), w["by"]) for w in found["said"]]
    if not said:
        return {}
    verdict = together(said)
    return {a: Jump(a, v, TOLERANCES[a], verdict.by, e) for a, (v, e) in verdict.axes.items()}


def pairs(production: Production, config, many: int):
    """Groups of two frames each: name, left, right, whether views may be shared."""
    shoot = Shoot(production, config)
    pieces = [p for p in pieces_of(production, edit_named(production)) if p.readable and p.shot.frames > 40]

    def ref(piece, frame):
        return shoot.ref(piece.shot, frame, graded_at(production, piece.shot, frame))

    out = []
    for p in pieces[:many]:
        out.append(("next to each other", ref(p, p.first + 8), ref(p, p.first + 9), True))
        out.append(("apart in time", ref(p, p.first + 2), ref(p, p.last - 2), True))
    for a, b in pairwise(pieces):
        same = a.shot.setup_id == b.shot.setup_id
        if same and a.shot.camera_id != b.shot.camera_id:
            out.append(("two cameras", ref(a, a.last), ref(b, b.first), True))
        elif not same:
            out.append(("two setups", ref(a, a.last), ref(b, b.first), False))
    return [o for o in out if o[1] is not None and o[2] is not None]


def main(many: int) -> None:
    folder = Path(os.environ["AQUIN_DEMO"])
    production = Production.open(folder / "st.aquin", True)
    config = config_of(production)
    path = Shoot(production, config).config_path
    jobs, meant = [], {}
    for k, (group, left, right, views) in enumerate(pairs(production, config, many)):
        for stops, mired in [(s, 0.0) for s in STOPS] + [(0.0, m) for m in MIRED]:
            key = f"{k}/{stops}/{mired}"
            jobs.append(PairJob(key, left, moved(right, stops, mired), path, views))
            meant[key] = (group, k, stops, mired)
    found: dict[tuple, dict[str, Jump]] = {}
    for job, made in each(pair_job, jobs):
        if isinstance(made, dict):
            found[meant[job.key]] = judged(made)
    report(found)


def report(found: dict) -> None:
    for group in dict.fromkeys(g for g, *_ in found):
        mine = {k: v for k, v in found.items() if k[0] == group}
        base = {k[1]: v for k, v in mine.items() if k[2:] == (0.0, 0.0)}
        silent = sum(not v for v in base.values())
        print(f"\n{group}: {len(base)} pairs, {silent} not judged")
        print("planted            found   off by (median, 95 %)   within one, two sigma")
        for axis, sizes in (("exposure", STOPS), ("warmth", (0.0, *MIRED))):
            for size in sizes:
                at = (size, 0.0) if axis == "exposure" else (0.0, size)
                rows = [(v[axis], base[k[1]].get(axis)) for k, v in mine.items() if k[2:] == at and axis in v]
                rows = [(j, b) for j, b in rows if b is not None]
                if not rows:
                    continue
                # where the truth at no change is not known, only the change is judged
                zero = [b.difference if group.startswith("two") else 0.0 for _, b in rows]
                off = np.array([j.difference - z - size for (j, _), z in zip(rows, zero, strict=True)])
                flagged = np.mean([j.jumps for j, _ in rows])
                share = [np.mean(np.abs(off) <= n * np.array([j.doubt for j, _ in rows])) for n in (1, 2)]
                print(
                    f"{axis:9} {size:6.2f} {100 * flagged:9.0f} % {np.median(np.abs(off)):10.3f} "
                    f"{np.percentile(np.abs(off), 95):8.3f} {100 * share[0]:13.0f} % {100 * share[1]:5.0f} %"
                )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 12)
