"""What `aquin look` says."""

from typing import Any


def say(action: str, data: dict[str, Any]) -> None:
    if action == "fit":
        _fit(data)
    elif action == "compare":
        for c in data["compared"]:
            skin = (
                ""
                if c["skin_off_line"] is None
                else f"  skin {c['skin_off_line']:+z.1f}° {c['skin_level_moved']:+z.1f} %"
            )
            apart = (
                ""
                if c["farther_from_hero"] is None
                else f"  from hero {c['farther_from_hero']:+z.2f} dE00"
                + (", no longer within tolerance" if c["no_longer_within"] else "")
            )
            print(
                f"{c['look']:20} {c['shot']:12} clipped {c['clipped']:.2f} %  crushed {c['crushed']:.2f} %  pushed out "
                f"{c['pushed']:.2f} %  banding {c['banding']:.1f}x{skin}{apart}"
            )
    elif action == "export":
        print(
            f"{data['out']}: {data['shot']} with "
            + (f"look {data['look']} at {100 * data['strength']:.0f} %" if data["look"] else "no look")
            + f"; 99.9 % within {data['p999_code10']:.2f} codes of 10 bit, at worst {data['largest_code10']:.2f}"
        )
        if data["not_in_it"]:
            print(f"  not in it: {data['not_in_it']}")
    else:
        _list(data)


def _list(data: dict[str, Any]) -> None:
    if not data["looks"]:
        print("No look yet: add a file, or fit one to a still.")
    for one in data["looks"]:
        if one["trouble"]:
            print(f"{one['name']:20} {one['trouble']}")
            continue
        state = "on " if one["on"] else "off"
        print(
            f"{one['name']:20} {state} {100 * one['strength']:3.0f} %  {', '.join(one['parts']) or 'nothing yet'}  "
            f"({one['for']})"
        )
        for where, left in (("CDL", one["not_in_a_cdl"]), ("LUT", one["not_in_a_lut"])):
            if left:
                print(f"{'':25}not in a {where}: {left}")


def _fit(data: dict[str, Any]) -> None:
    def number(v: float | None, digits: int = 1) -> str:
        return "-" if v is None else f"{v:.{digits}f}"

    print(f"{'':10} {'reference':^38}   {'shots':^38}")
    print(f"{'zone':10} " + f"{'share':>6} {'level':>6} {'mired':>7} {'Duv':>6} {'C*':>6}      " * 2)
    for a, b in zip(data["zones"], data["own"]["zones"], strict=True):
        row = "".join(
            f"{100 * z['share']:5.0f} % {number(z['level']):>6} {number(z['warmth']):>7} {number(z['tint']):>6} "
            f"{number(z['chroma']):>6}     "
            for z in (a, b)
        )
        print(f"{a['zone']:10} {row}")
    own = data["own"]
    print(
        f"floor {number(data['floor'])} / {number(own['floor'])} %, ceiling {number(data['ceiling'])} / "
        f"{number(own['ceiling'])} %, contrast {number(data['contrast'])} / {number(own['contrast'])} stops"
    )
    suits = data["suitability"]
    print(
        f"suits: {suits['score']:.2f}; worst: "
        + ", ".join(f"{s['shot']} {s['score']:.2f}" for s in suits["shots"][:3])
    )
    for reason in suits["reasons"]:
        print(f"  {reason}")
    print(f"without a look: {data['distance']['before']:.2f} apart")
    for p in data["parts"]:
        print(f"  {p['part']:12} leaves {p['left']:.2f}" + ("" if p["kept"] else ", not kept"))
    e = data["delta_e00"]
    print(f"tone zones' colours: {e['before']:.1f} -> {e['after']:.1f} dE00")
