"""What settling, grades, history, light and tolerances say, in words."""

from collections.abc import Collection, Mapping
from typing import Any

import numpy as np

from aquin.colour.white import STOPS_A_MIRED
from aquin.jobs.light import Light
from aquin.match.drift import to_parts
from aquin.measure.ledger import MAIN
from aquin.production.cells import Cell
from aquin.production.matching import Summary
from aquin.production.setups import seconds_of
from aquin.production.shoot import CellKey


def cells_data(
    done: Summary, names: Mapping[CellKey, tuple[str, str]], found: Mapping[CellKey, Cell]
) -> dict[str, Any]:
    """What settling did, as plain values."""
    cells = [
        {
            "setup": names[c.place][0],
            "camera": names[c.place][1],
            "done": c.done,
            "what": c.words,
            "by": c.by,
            "model": c.model,
            "sure": c.sure,
            "delta_e00_before": c.before,
            "delta_e00_after": c.after,
            "state": found[c.place].word if c.place in found else "",
            "findings": found[c.place].findings if c.place in found else 0,
            "shots": _shots_data(found[c.place]) if c.place in found else [],
        }
        for c in done.cells
    ]
    shots = {s.shot.id: s.shot.name for cell in found.values() for s in cell.shots}
    return {
        "cells": cells,
        "trims": [{"shot": name, "why": why} for name, why in done.trims],
        "encoded": [
            {"camera": e.camera, "encoding": e.encoding, "by": e.by, "why": e.why, "doubtful": e.doubtful}
            for e in done.encoded
        ],
        "fixes_offered": [
            {"shots": [shots[i] for i in f.shots if i in shots], "what": f.what, "fix": f.fix.words}
            for f in done.fixes
            if f.fix is not None
        ],
    }


def _shots_data(cell: Cell) -> list[dict[str, Any]]:
    """Of each shot what decides, and how sure that is."""
    return [
        {
            "shot": s.shot.name,
            "state": s.word,
            "axes": {
                r.axis.name: {
                    "value": r.value,
                    "doubt": None if np.isnan(r.doubt) else r.doubt,
                    "weak": r.weak,
                    "unit": r.axis.unit,
                    "within": r.within,
                }
                for r in s.rows
                if r.axis.name in MAIN
            },
        }
        for s in cell.shots
    ]


def drift_data(setup: str, found: Light, kept: Collection[str]) -> dict[str, Any]:
    """How light changed, as plain values; `kept`: shots whose trim was just accepted."""
    seen = []
    for s in found.drift.seen:
        parts = to_parts(np.array(s.change)[None])[0]
        mired = float(parts[1]) / STOPS_A_MIRED
        change = {"stops": float(parts[0]), "mired": mired, "green_stops": float(parts[2])}
        seen.append({"at": s.at, **change, "error_stops": s.error})
    trims = [
        {
            "shot": t.shot.name,
            "camera": found.cameras.get(t.shot.camera_id, ""),
            "at": (seconds_of(t.shot) or (None,))[0],
            "stops": t.parts[0],
            "mired": t.parts[1],
            "error_stops": t.error,
            "by": t.by,
            "kept": t.held or t.shot.id in kept,
        }
        for t in found.trims
    ]
    return {"setup": setup, "seen": seen, "trims": trims}


def say_cells(data: dict[str, Any]) -> None:
    for e in data["encoded"]:
        print(
            f"{e['camera']} had no encoding: {e['encoding']} by {e['by']}"
            + (", no more than a guess" if e["doubtful"] else "")
            + f" ({e['why']})"
        )
    for f in data["fixes_offered"]:
        print(f"{', '.join(f['shots'])}: {f['what']}; --fix: {f['fix']}")
    for c in data["cells"]:
        print(f"{c['setup']}, {c['camera']}: {c['state'] or 'left'}; {c['what']}")
        for s in c["shots"]:
            unsure = [
                f"{k} {v['value']:+z.2f} ±{v['doubt']:.2f} {v['unit']}"
                for k, v in s["axes"].items()
                if v["doubt"] is not None and not v["within"]
            ]
            if unsure:
                print(f"  {s['shot']}: {s['state']}; {', '.join(unsure)}")
    for t in data["trims"]:
        print(f"  {t['shot']}: {t['why']}")


def say_grade(data: dict[str, Any]) -> None:
    g = data["grade"]
    print(f"{data['shot']}: {data['origin'] or 'as filmed'}")
    print(f"  exposure {g['stops']:+z.3f} st, gains {' '.join(f'{v:.4f}' for v in g['gains'])}")
    for key in ("slope", "offset", "power"):
        print(f"  {key:8} {' '.join(f'{v:.4f}' for v in g[key])}")
    print(f"  saturation {g['saturation']:.4f}")
    if any(g.get("flare") or ()):
        print(f"  flare    {' '.join(f'{100 * v:+z.2f}' for v in g['flare'])} % of white off")
    for words in (data["not_in_a_cdl"], data["not_in_a_lut"]):
        if words:
            print(f"  and {words}")
    if data["note"]:
        print(f"  note: {data['note']}")
    if "out" in data:
        print(f"  written to {data['out']}" + (f", {data['proof']}" if "proof" in data else ""))


def say_history(data: dict[str, Any]) -> None:
    for s in data["steps"]:
        off = ", ".join(f"{k} {v['after']:+z.2f}" for k, v in s["ledger"].items() if not v["within"])
        state = "" if not s["ledger"] else f"  off: {off}" if off else "  within tolerance"
        print(f"{s['at'][:16].replace('T', ' '):16}  {s['who']:12} {s['what']}{state}")


def say_drift(data: dict[str, Any]) -> None:
    for s in data["seen"]:
        print(f"{_clock(s['at'])}  light {s['stops']:+z.2f} st, {s['mired']:+z.0f} mired")
    for t in data["trims"]:
        kept = "kept" if t["kept"] else "proposed"
        print(
            f"{_clock(t['at'])}  {t['shot']} ({t['camera']}): {t['stops']:+z.2f} st, {t['mired']:+z.0f} mired, "
            f"±{t['error_stops']:.2f} st, by {t['by']}; {kept}"
        )
    if not data["trims"]:
        print("no shot needs a trim for its light")


def say_tolerances(data: dict[str, Any]) -> None:
    for a in data["axes"]:
        usual = "" if a["usual"] == a["tolerance"] else f"  (usually {a['usual']:g})"
        print(f"{a['axis']:14} {a['tolerance']:8g} {a['unit']}{usual}")


def _clock(seconds: float | None) -> str:
    if seconds is None:
        return "        "
    whole = round(seconds)
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}"
