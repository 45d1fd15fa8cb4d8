"""A whole simulated shoot matched from nothing, against its truth: how far each camera is from its hero before and
after, and how long it takes.

    python benchmarks/shoot.py FOLDER TRUTH [MODEL]

FOLDER is a shoot of `aquin simulate shoot FOLDER --seed N --truth TRUTH`, of another seed than the demo's. The truth
holds each
shot's view as the hero's camera would have recorded it; the recording as graded is compared with that, graded as the
hero camera's recording of
that moment is. The production is made anew in FOLDER/bench.aquin.
"""

import json
import sys
import time
from collections import defaultdict
from pathlib import Path

import cv2
import numpy as np
from common import ROOT

from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.production.audit import run_audit
from aquin.production.cells import board
from aquin.production.charting import keep_profile, profile_of, read_series, series_of
from aquin.production.heroes import hero_of, moment_of, take_proposed
from aquin.production.match_work import side_of
from aquin.production.matching import Wish, settle
from aquin.production.records import Camera, Setup, Shot
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot, shot_grade
from aquin.production.store import Production
from aquin.simulate.cameras import CAMERAS
from aquin.simulate.logbook import log_demo

assert ROOT


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
    # the truth is in the main camera's own scene-linear RGB
    to_ap1 = desk.config.to_linear(CAMERAS["Heron"].linear_encoding.name)
    cells: dict[tuple[str, str], list[tuple[str, str, float, float, float]]] = defaultdict(list)
    for shot in production.all(Shot):
        file = truth / f"{shot.name}.npz"
        setup = production.find(Setup, shot.setup_id)
        hero = hero_of(production, setup)
        if shot.kind != "shot" or not file.exists() or setup is None or hero is None:
            continue
        said = json.loads(file.with_suffix(".json").read_text())
        seen = to_ap1(np.load(file)["hero"].astype(np.float32))
        clip = shot if shot.camera_id == hero.camera_id else moment_of(production, shot, hero).hero
        theirs = json.loads((truth / f"{clip.name}.json").read_text())
        ref = desk.ref(shot, shot.first + said["zero"])
        if shot.camera_id == hero.camera_id or ref is None or desk.odd.get(clip.id):
            continue  # what the hero's camera itself got wrong is no truth to be matched
        linear = side_of(ref, desk.config_path).linear
        # means of blocks: noise, grain and a hand's shake are no colour difference
        own, seen = (
            cv2.resize(v.astype(np.float32), (60, 34), interpolation=cv2.INTER_AREA)
            .reshape(-1, 3)
            .astype(float)
            for v in (linear, seen)
        )
        # how bright the hero's camera was at that moment, against the truth's standing exposure
        seen = seen * 2.0 ** (theirs["stops"] - theirs["hero_stops"])
        inside = ((own > 1e-3) & (seen > 1e-3) & (seen < 8)).all(axis=1)
        target = np.asarray(shot_grade(desk, clip).linear(seen))
        gaps = [
            float(np.median(delta_e00(lab_of_ap1(a[inside]), lab_of_ap1(b[inside]))))
            for a, b in (
                (seen, own),
                (target, np.asarray(shot_grade(desk, shot).linear(own))),
            )
        ]
        level = np.asarray(shot_grade(desk, shot).linear(own))[inside].mean(axis=1) / target[inside].mean(
            axis=1
        )
        camera = production.get(Camera, shot.camera_id).name
        cells[setup.name, camera].append(
            (shot.name, said["mistake"], *gaps, float(np.median(np.log2(level))))
        )
    print(f"{'setup':12} {'camera':8} {'before':>7} {'after':>7} {'stops':>6}   shots")
    every: list[tuple[float, float, str]] = []
    for (setup_name, camera), rows in sorted(cells.items()):
        b, a, e = (float(np.median([r[k] for r in rows])) for k in (2, 3, 4))
        words = ", ".join(f"{n}{f' ({m})' if m else ''} {x:.1f} to {y:.1f}" for n, m, x, y, _ in rows)
        print(f"{setup_name:12} {camera:8} {b:7.1f} {a:7.1f} {e:+6.2f}   {words}")
        every += [(r[2], r[3], r[1]) for r in rows]
    sound = [r for r in every if not r[2]]
    for name, group in (("all shots", every), ("without planted mistakes", sound)):
        x, y = (np.array([r[k] for r in group]) for k in (0, 1))
        print(
            f"{name}: {len(group)} shots, median dE00 {np.median(x):.1f} to {np.median(y):.1f}, mean "
            f"{x.mean():.1f} to {y.mean():.1f}, "
            f"within 2: {np.mean(x <= 2):.0%} to {np.mean(y <= 2):.0%}, within 4: {np.mean(x <= 4):.0%} to "
            f"{np.mean(y <= 4):.0%}"
        )


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3] if len(sys.argv) > 3 else "best")
