"""The chain and the exposure cards, as values and in words."""

from typing import Any

from aquin.production.plan import Chain


def chain_data(chain: Chain) -> dict[str, Any]:
    """The chain as plain values."""

    def check(c: Any) -> dict[str, str]:
        return {"name": c.name, "state": c.state, "words": c.words}

    def level(v: Any) -> dict[str, float]:
        return {"signal": v.signal, "code10": v.code10}

    cameras = []
    for c in chain.cameras:
        card = c.card
        cameras.append(
            {
                "camera": c.camera.name,
                "shots": c.shots,
                "checks": [check(x) for x in c.checks],
                "card": None
                if card is None
                else {
                    "encoding": card.levels.encoding,
                    "range": card.range,
                    "grey": level(card.grey),
                    "white": level(card.white),
                    "ceiling": level(card.ceiling),
                    "floor": level(card.floor),
                    "stops_above": card.above,
                    "stops_below": card.below,
                    "asked_stops": card.asked_stops,
                    "asked": level(card.asked),
                    "headroom": card.headroom,
                },
            }
        )
    screens = [
        {
            "name": s.deliverable.name,
            "display": s.deliverable.display,
            "view": s.deliverable.view,
            "check": check(s.check),
            "grey": s.grey,
            "white": s.white,
            "reach_stops": s.reach,
            "plain": s.plain,
        }
        for s in chain.screens
    ]
    return {
        "screens": screens,
        "working": check(chain.working),
        "cameras": cameras,
        "differing": list(chain.differing),
    }


def say_plan(data: dict[str, Any]) -> None:
    marks = {"right": "ok", "doubt": "??", "wrong": "!!"}
    for s in data["screens"]:
        print(
            f"screen   {marks[s['check']['state']]} {s['name']}: {s['view']}; {s['check']['words']}, grey at "
            f"{s['grey']:.1f} %"
        )
    print(f"working  {marks[data['working']['state']]} {data['working']['name']}: {data['working']['words']}")
    for c in data["cameras"]:
        print(f"camera   {c['camera']}, {c['shots']} recordings")
        for check in c["checks"]:
            print(f"           {marks[check['state']]} {check['name']}: {check['words']}")
        if card := c["card"]:
            levels = ", ".join(
                f"{n} {card[n]['signal']:.1f} % ({card[n]['code10']})"
                for n in ("grey", "white", "floor", "ceiling")
            )
            print(
                f"           {levels}; {card['stops_above']:.1f} st above grey, {card['stops_below']} below"
            )
            print(
                f"           asked: grey at {card['asked']['signal']:.1f} % ({card['asked_stops']:+z.1f} st), "
                f"{card['headroom']:.1f} st left above it"
            )
    for line in data["differing"]:
        print(f"note     {line}")
    for c in data.get("nearest", []):
        print(
            f"nearest  {c['encoding']}: {c['rms_stops']:.3f} st rms, slope {c['slope']:.3f}, dE00 "
            f"{c['delta_e00_mean']:.2f}"
        )
    for lut in data.get("luts", []):
        print(f"LUT      {lut['file']}: within {lut['error_code10']:.1f} codes of 10 bit (99.9 %)")
    if "sheet" in data:
        print(f"sheet    {data['sheet']}")
