"""What charts, profiles, identification and latitude say, in words."""

from typing import Any

import numpy as np

from aquin.charts.latitude import Row
from aquin.exchange.latitude_report import row_words
from aquin.jobs.balance_charts import Kept
from aquin.jobs.chart_file import solution_data
from aquin.production import Camera, Production, Setup


def say_solutions(solutions: list[dict[str, Any]]) -> None:
    for s in solutions:
        loo = "      " if not np.isfinite(s["delta_e00_loo"]) else f"{s['delta_e00_loo']:6.2f}"
        print(
            f"  {s['model']:12} {s['metric']} {s['delta_e00_mean']:6.2f}   95 % {s['delta_e00_p95']:6.2f}   "
            f"leave-one-out {loo}"
            f"   moves colours by {s['size']:5.2f}, stretch {s['condition']:.2f}"
        )


def _say_written(data: dict[str, Any]) -> None:
    """What became of the result, and what must be known of it."""
    if data.get("proof"):
        print(f"  {data['out']}: {data['proof']}")
    if data.get("kept"):
        print(f"  the production uses {data['kept']} now")
    for note in [*([data["untold"]] if data.get("untold") else []), *data["warnings"]]:
        print(f"  note: {note}")


def say_chart(data: dict[str, Any]) -> None:
    if not data["found"]:
        print("no chart found")
    if data.get("chosen"):
        print(f"  {data['chosen']}")
    for p in data["patches"]:
        signal = " ".join(f"{100 * v:6.2f}" for v in p["signal"])
        left = f"   left out: {p['left_out']}" if p["left_out"] else ""
        print(
            f"  {p['name']:14} {p['role']:8} signal {signal} %   dE00 {p['delta_e00']:5.2f}   noise "
            f"{p['noise']:4.1f} codes{left}"
        )
    say_solutions(data["solutions"])
    for s in data.get("stages", []):
        print(
            f"  {s['stage']:11} {data['metric']} {s['mean']:6.2f}   neutrals {s['neutral']:5.2f}   hue off "
            f"{s['hue_degrees']:5.2f} degrees"
            f"   saturation {s['saturation']:.3f}"
        )
    _say_written(data)


def balance_data(production: Production, kept: Kept) -> dict[str, Any]:
    """One kept balance as plain values."""
    mired, duv = kept.solution.grade.balance.shift
    return {
        "camera": production.get(Camera, kept.shot.camera_id).name,
        "setup": production.get(Setup, kept.shot.setup_id).name,
        "take": kept.shot.name,
        "reference": "hero" if kept.to_hero else "published",
        "stops": kept.solution.grade.balance.stops,
        "mired": mired,
        "duv": duv,
        **solution_data(kept.solution),
        "following": [s.name for s in kept.following],
        "own_corrections": [s.name for s in kept.own],
    }


def say_balance(data: dict[str, Any]) -> None:
    for b in data["balances"]:
        print(
            f"{b['setup']:14} {b['camera']:10} {b['take']:10} {b['stops']:+z.2f} st {b['mired']:+6.1f} mired "
            f"{1e3 * b['duv']:+5.1f} 10-3 Duv"
            f"   {b['metric']} {b['delta_e00_mean']:.2f}   {len(b['following'])} shots follow"
            + (f", {len(b['own_corrections'])} hold their own" if b["own_corrections"] else "")
        )
    for trouble in data["troubles"]:
        print(f"  trouble: {trouble}")


def say_profile(data: dict[str, Any]) -> None:
    c = data["curve"]
    print(f"{data['name']}: {c['family']} curve, {c['rms_stops']:.3f} stop rms")
    if c["parameters"]:
        print("  " + "  ".join(f"{k} {v:.6g}" for k, v in c["parameters"].items()))
    for row in data["matrix"]:
        print("  " + "  ".join(f"{v:8.4f}" for v in row))
    print(f"  colours: dE00 {data['delta_e00_mean']:.2f}, 95 % {data['delta_e00_p95']:.2f}")
    pairs = zip(data["marked"], data["stops"], strict=True)
    print("  stops: " + "  ".join(f"{m:+g} is {s:+z.2f}" for m, s in pairs))
    lat = data["latitude"]
    print(f"  supported from {lat['under']:+z.1f} to {lat['over']:+z.1f} stops of grey")
    for k in data["compared"]:
        print(f"  {k['words']}")
    _say_written(data)


def say_identification(data: dict[str, Any]) -> None:
    print(data["verdict"] + ("" if data["none_fits"] else f"   (sure {data['confidence']:.2f})"))
    for k, c in enumerate(data["ranking"], 1):
        colours = "" if not np.isfinite(c["delta_e00_mean"]) else f"   dE00 {c['delta_e00_mean']:6.2f}"
        same = f"   same: {', '.join(c['same_to_a_chart'])}" if c["same_to_a_chart"] else ""
        print(
            f"  {k:2}  {c['encoding']:38} steps {c['rms_stops']:.3f} st{colours}   exposure "
            f"{c['exposure_stops']:+z.1f} st{same}"
        )


def say_latitude(data: dict[str, Any]) -> None:
    for c in data["cameras"]:
        print(
            f"{c['camera']}: usable {c['under']:+z.1f} to {c['over']:+z.1f} stops, {c['headroom']:.1f} stops "
            "over grey before clipping"
        )
        for r in c["per_stop"]:
            row = Row(**{k: v for k, v in r.items() if k != "usable"} | {"faults": tuple(r["faults"])})
            w = row_words(row)
            print(
                f"  {w[0]:>6} is {w[1]:>8}  {w[2]:>12} {w[3]:>6}e-3 Duv  skin {w[4]:>5}  all {w[5]:>5}  "
                f"noise {w[6]:>5} /{w[7]:>6}  edges {w[8]:>6}  {w[10]}"
            )
        for line in c["advice"]:
            print(f"  {line}")
    for trouble in data["troubles"]:
        print(f"  trouble: {trouble}")
    if data.get("report"):
        print(data["report"])
