"""What `aquin continuity` says."""

from typing import Any

SHORT = {"stop": "st", "mired": "mired", "1e-3 Duv": "1e-3 Duv", "ratio": "x", "%": "%", "degree": "deg"}


def say(data: dict[str, Any]) -> None:
    if "changes" in data:
        print(f"{data['edit']} after {data['before']}: {data['summary']}")
        for c in data["changes"]:
            at = c["after"] if c["after"] is not None else c["before"]
            print(f"  {at:4}  {c['what']:9} {c['name']:16} {c['words']}")
    cuts = {c["position"]: c for c in data["cuts"]}
    print(f"{data['edit']}: {len(data['pieces'])} pieces, {len(cuts)} cuts, {_counts(data['cuts'])}")
    for position in data["jumps"]:
        cut = cuts[position]
        print(f"  {position:4}  {cut['from']} to {cut['to']}: {_axes(cut)}")
    for piece in data["pieces"]:
        if "odd" in piece:
            odd = piece["odd"]
            far = f"{odd['axis']} {odd['sigmas']:+z.1f} sigma"
            print(f"  {piece['number']:4}  {piece['shot']} falls out of its setup: {far}")
        if piece["why"]:
            print(f"  {piece['number']:4}  {piece['shot']}: {piece['why']}")
    if data["unmeasured"]:
        print(f"  {data['unmeasured']} cuts are not measured: leave out --known, or find their media")
    if "out" in data:
        print(f"{data['out']}: {data['markers']} markers")


def _counts(cuts: list[dict[str, Any]]) -> str:
    states: dict[str, int] = {}
    for c in cuts:
        states[c["state"]] = states.get(c["state"], 0) + 1
    return ", ".join(f"{n} {state}" for state, n in states.items()) or "none"


def _axes(cut: dict[str, Any]) -> str:
    found = [
        f"{name} {a['difference']:+z.2f} {SHORT[a['unit']]}"
        + (f" (tolerance {a['tolerance']:g}, by {a['judged_by']})")
        for name, a in cut["axes"].items()
        if a["jumps"]
    ]
    return ", ".join(found)
