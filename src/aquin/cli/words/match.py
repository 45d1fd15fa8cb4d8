"""Levels, matches and their solutions in words."""

from pathlib import Path
from typing import Any

from aquin.charts.solve import title_of
from aquin.colour.levels import Levels
from aquin.exchange.proof import Proof


def levels_data(found: Levels) -> dict[str, Any]:
    def level(part: Any) -> dict[str, Any]:
        return {"linear": part.linear, "signal": part.signal, "code10": part.code10}

    return {
        "encoding": found.encoding,
        "grey": level(found.grey),
        "white": level(found.white),
        "black": level(found.black),
        "ceiling": {"linear": found.ceiling_linear, "stops_above_grey": found.ceiling_stops_above_grey},
        "stop_per_code10": found.stop_per_code10,
    }


def say_levels(data: dict[str, Any]) -> None:
    print(data["encoding"])
    for key, title in (("grey", "18 % grey"), ("white", "90 % white"), ("black", "black")):
        print(f"  {title:11} {data[key]['signal']:7.2f} %   code {data[key]['code10']:4d} of 1023")
    print(
        f"  ceiling     {data['ceiling']['stops_above_grey']:+7.2f} stops above grey (linear "
        f"{data['ceiling']['linear']:.3g})"
    )
    print(f"  at grey, one 10-bit code is {data['stop_per_code10']:.4f} stop")


def say_match(data: dict[str, Any], out: Path, proof: Proof) -> None:
    b = data["balance"]
    print(
        f"{out}: {title_of(data['model'])} by {data['by'].replace('+', ' and ')}, sure {data['confidence']:.2f}"
    )
    for source in data["evidence"]:
        print(f"  {source['by']:11} {source['pairs']} pairs, sure {source['sure']:.2f}")
    print(
        f"  dE00 on the evidence  before {data['before']['delta_e00_mean']:.2f}   after "
        f"{data['after']['delta_e00_mean']:.2f} (95 %: {data['after']['delta_e00_p95']:.2f})"
    )
    print(
        f"  balance     {b['stops']:+z.3f} stops  {b['mired']:+z.1f} mired  {1e3 * b['duv']:+z.2f} 1e-3 Duv"
    )
    if any(data["flare"]):
        print(
            f"  flare       {' '.join(f'{100 * v:+z.2f}' for v in data['flare'])} % of white off (red, green, blue)"
        )
    for row in data["ledger"]:
        state = "within" if row["within"] else "off"
        print(
            f"  {row['axis']:13} {row['difference']:+8.3f} -> {row['after']:+8.3f} {row['unit']:11} {state}"
        )
    _say_solutions(data["alternatives"])
    print(f"  {proof.line()}")
    for warning in data["warnings"]:
        print(f"  note: {warning}")


def _say_solutions(solutions: list[dict[str, Any]]) -> None:
    for s in solutions:
        print(
            f"  {s['model']:7} dE00 {s['delta_e00_mean']:.2f}, 95 % {s['delta_e00_p95']:.2f}, leave-one-out "
            f"{'-' if s['delta_e00_loo'] is None else format(s['delta_e00_loo'], '.2f')}"
        )
