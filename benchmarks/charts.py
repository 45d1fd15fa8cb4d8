"""How well charts are found, frames chosen, colours generalised and curves recovered: the tables of docs/charts.md.

Start with the name of one table (heldout, find, curves, frames FOLDER TRUTH) or without for the first three.
"""

import json
import sys
import time
from pathlib import Path

import numpy as np
from common import ROOT

sys.path.insert(0, str(ROOT / "tests"))

from aquin.charts.curve import recover
from aquin.charts.families import GREY_U
from aquin.charts.find import find_chart
from aquin.charts.layout import layout
from aquin.charts.solve import BASES, WARPED
from aquin.charts.sweep import sweep
from aquin.colour.config import ColourConfig
from aquin.frames import open_source
from heldout import by_measuring, compared, draw
from photographs import compose, error_in_patches, random_case
from series import drawn, neutral_series


def heldout(count: int = 24) -> None:
    card, random = layout(), np.random.default_rng(100)
    draws = [draw(card, random) for _ in range(count)]
    print(
        f"{count} cameras and lights: mean dE00 of {len(draws[0].held.hero)} colours that are not on the chart"
    )
    print(
        f"{'model':14} {'chart only':>10} {'saw them':>9} {'ratio':>6} {'worst ratio':>11} {'249 others measured':>20}"
    )
    means = {}
    for model in (*BASES, *WARPED):
        found = np.array([compared(d, model) for d in draws])
        means[model] = found[:, 0].mean()
        ratios = found[:, 0] / found[:, 1]
        print(
            f"{model:14} {found[:, 0].mean():10.2f} {found[:, 1].mean():9.2f} "
            f"{found[:, 0].mean() / found[:, 1].mean():6.2f} {ratios.max():11.2f} "
            f"{np.mean([by_measuring(d, model) for d in draws]) / found[:, 1].mean():20.2f}"
        )
    print(f"root polynomial against 3x3: {100 * (1 - means['root'] / means['matrix']):.0f} % less")


def find(count: int = 300) -> None:
    card, random = layout(), np.random.default_rng(8)
    hits, errors, seconds = 0, [], []
    for seed in range(count):
        case = random_case(
            random,
            seed,
            0.16,
            stops=float(random.uniform(-2.5, 0.8)),
            encoding=("display", "log", "linear")[seed % 3],
            noise=float(random.uniform(0.002, 0.01)),
        )
        frame, true = compose(case, card)
        start = time.perf_counter()
        found = find_chart(frame, card)
        seconds.append(time.perf_counter() - start)
        if found is not None and error_in_patches(found.corners, true, card) < 0.25:
            hits += 1
            errors.append(np.abs(found.corners - true).max())
    print(
        f"{count} random placements in photographs: {hits} found; corners off by {np.median(errors):.1f} px "
        f"(median), {np.percentile(errors, 95):.1f} px (95 %); {np.median(seconds):.2f} s a frame"
    )


def curves(count: int = 45) -> None:
    card = layout()
    by_kind: dict[str, list[float]] = {}
    for seed in range(count):
        kind, encode, stops = drawn(seed)
        seen, _ = neutral_series(encode, card, np.random.default_rng(seed), stops, uneven=0.01)
        curve = recover(seen)
        u = np.linspace(max(curve.low, GREY_U - 6), min(curve.high, GREY_U + 6), 240)
        error = np.log2(np.maximum(curve.decode(encode(np.exp2(u))), 1e-9)) - u
        sure = np.interp(u, curve.u, curve.doubt) < 0.03
        by_kind.setdefault(kind, []).append(float(np.abs(error - np.median(error[sure]))[sure].max()))
    for kind, errors in by_kind.items():
        print(
            f"{kind:6} {len(errors)} series: largest error in stops {np.median(errors):.3f} (median), "
            f"{max(errors):.3f} (worst), {np.mean(np.array(errors) < 0.03):.0%} within 0.03"
        )


def frames(folder: Path, truth: Path) -> None:
    """Best frames of a whole filmed shoot against its truth (aquin simulate shoot FOLDER --truth TRUTH)."""
    config = ColourConfig.load(folder / "config.ocio")
    names = {"24-patch": "24-patch", "crossed wedge": "crossed-wedge", "video chart": "video-chart"}
    off, corners, worst, light, seen_all, found_all = [], [], [], [], 0, 0
    for file in sorted(truth.glob("[!.]*.json")):
        told = json.loads(file.read_text())
        if (
            told.get("kind") != "chart"
            or told["frames"] < 2
            or told["target"] not in names
            or told["mistake"] == "truncated"
        ):
            continue
        source = open_source(folder / "media" / told["file"])
        encoding = told["encoding"] or next(e.name for e in config.encodings() if e.kind == "sdr-video")
        numbers = range(source.first, source.last + 1)
        seen = sweep(
            ((n, source.read(n).rgb) for n in numbers),
            config.to_linear(encoding),
            layout(names[told["target"]]),
        )
        held = told["held"]
        cost = np.array(
            [np.log2(1 + h["glare"]) / 0.35 - np.log2(max(h["shadow"], 0.05)) / 0.9 for h in held]
        )
        seen_all += len(seen.looks)
        found_all += sum(k.found for k in seen.looks)
        if seen.best is None or seen.best.reading is None:
            continue
        k = seen.best.number - source.first
        off.append(cost[k] - cost.min())
        worst.append(np.ptp(cost))
        lit = np.log2([h["irradiance"] for h in held])
        light.append((abs(lit[k] - lit[told["zero"]]), np.ptp(lit)))
        corner = [
            np.abs(np.array(held[k]["corners"]) - np.roll(seen.best.reading.corners, r, 0)).max()
            for r in (0, 2)
        ]
        corners.append(min(corner))
    print(
        f"{len(off)} sweeps: chosen frame's fault over the least {np.mean(off):.3f} (mean), {max(off):.2f} "
        f"(worst), where the worst frame has {np.mean(worst):.2f}"
    )
    apart, range_ = np.array(light).T
    print(
        f"light on it there from that in which it was held: {apart.mean():.2f} st (mean), {apart.max():.2f} (worst), "
        f"where it changes by {range_.mean():.2f} over the take"
    )
    print(
        f"found in {found_all} of {seen_all} frames; corners off by {np.median(corners):.1f} px (median), "
        f"{max(corners):.1f} px (worst)"
    )


if __name__ == "__main__":
    what = sys.argv[1:] or ["heldout", "find", "curves"]
    if what[0] == "frames":
        frames(Path(what[1]), Path(what[2]))
    else:
        for name in what:
            {"heldout": heldout, "find": find, "curves": curves}[name]()
