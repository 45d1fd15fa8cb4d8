"""What `aquin screens` says."""

from typing import Any


def say(data: dict[str, Any]) -> None:
    if "profile" in data:
        _profile(data)
    elif "players" in data:
        _movie(data)
    elif "worst" in data:
        for screen, ranked in data["worst"].items():
            print(f"{screen}:")
            for one in ranked[:5]:
                print(f"  {one['shot']:16} {one['words']}")
    else:
        _shot(data)


def _shot(data: dict[str, Any]) -> None:
    look = f", look {data['look']}" if data["look"] else ""
    print(f"{data['shot']}, frame {data['frame']}, as {data['deliverable']}{look}")
    for s in data["screens"]:
        print(f"  {s['screen']:12} {s['words']}")
    print("read wrongly:")
    for m in data["misread"]:
        print(
            f"  {m['name']:42} {m['moved_dE00']:5.1f} dE00, black {m['black']:.0f} %, white {m['white']:.0f} %"
        )
    print("deliverables:")
    for d in data["deliverables"]:
        t = d["tags"]
        codes = "-".join(str(t[k]["code"]) for k in ("primaries", "transfer", "matrix"))
        print(
            f"  {d['name']:28} tags {codes} {t['range']}, peak {d['peak']:.0f} cd/m2, {d['apart_dE00']:.1f} dE00 from "
            f"the first, {d['highlight_steps_lost']:.0f} % of highlight steps lost"
        )
    for path in data.get("out", ()):
        print(f"  {path}")


def _movie(data: dict[str, Any]) -> None:
    print(f"{data['file']}: {data['codec']}, {data['size'][0]} x {data['size'][1]}, {data['bits']} bit")
    for name, key in (("header", "tags"), ("picture", "picture_tags"), ("meant", "wanted")):
        t = data[key]
        words = ", ".join(
            f"{k} {t[k]['code']} ({t[k]['words']})" for k in ("primaries", "transfer", "matrix")
        )
        print(f"  {name:8} {words}, range {t['range']}")
    if data["differs"]:
        print("  header and picture disagree: players will, too")
    for p in data["players"]:
        print(f"  {p['player']:34} {'right' if p['right'] else 'wrong'}: {p['why']}")
        for m in p["makes"]:
            print(f"    {m['reading']}: {m['mark']} {m['cure']}")


def _profile(data: dict[str, Any]) -> None:
    print(f"{data['profile']}, made {data['made'] or 'on no date that it says'}, for {data['display']}")
    print(
        f"  by its own word: {data['dE00_mean']:.2f} dE00 in the mean, {data['dE00_largest']:.2f} at most "
        f"({data['dE00_without']:.2f} without it), {data['not_shown']:.1f} % of colours out of reach"
    )
