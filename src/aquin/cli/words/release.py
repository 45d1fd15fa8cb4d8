"""What `aquin release`, `verify`, `diff` and `merge` say."""

from typing import Any

from aquin.release.routes import TITLES


def say_release(data: dict[str, Any]) -> None:
    after = f" after release {data['parent']['version']}" if data["parent"] else ""
    print(f"release {data['version']}{after}: {data['out']}")
    print(f"  {data['shots']} shots, {data['agreed']} of them agreed; {data['files']} files")
    if data["zip"]:
        print(f"  and as {data['zip']}")
    if data["signed_by"]:
        print(f"  signed by {data['signed_by']}")
    if data["nearest_cdl"]:
        worst = max(s["dE00_mean"] for s in data["nearest_cdl"])
        print(
            f"  {len(data['nearest_cdl'])} grades hold more than a CDL: theirs is the nearest one, "
            f"up to {worst:.1f} dE00 off"
        )
    for r in data["routes"]:
        print(f"  {'right' if r['ok'] else 'WRONG'}  {TITLES[r['route']]}: {route_words(r)}")
    for one in data["not_in_files"]:
        print(f"  no file can carry, {one['shot']}: {one['what']}")
    for one in data["left_out"]:
        print(f"  left out, {one['shot']}: {one['why']}")


def say_verified(data: dict[str, Any]) -> None:
    print(f"{data['production']}, release {data['version']} of {data['when'][:10]} by {data['who']}")
    wrong = [f for f in data["files"] if f["state"] != "same"]
    print(
        f"  files: {len(data['files'])}, " + (f"{len(wrong)} not as released" if wrong else "all as released")
    )
    for f in wrong:
        print(f"    {f['state']:8} {f['name']}" + (f" ({f['words']})" if f["words"] else ""))
    said = {"none": "not signed", "good": f"good, of {data['signed_by']}", "bad": "does not hold"}
    print(f"  signature: {said[data['signature']]}")
    for r in data["routes"]:
        print(f"  {'right' if r['ok'] else 'WRONG':6} {TITLES[r['route']]}: {route_words(r)}")
        for t in r["trouble"][:5]:
            print(f"    {t['shot']}: {t['why']}")
    missing = [m for m in data["media"] if m["state"] != "same"]
    if data["media"]:
        print(f"  media: {len(data['media']) - len(missing)} of {len(data['media'])} as released")
    for m in missing:
        print(f"    {m['state']}: {m['shot']}")
    if data["newest"]:
        print(f"  {data['newest']}")


def route_words(route: dict[str, Any]) -> str:
    """How near a route is, in a line."""
    if route["unit"] == "dE00":
        near = f"99.9 % within {route['p999']:.2f} dE00, at worst {route['worst']:.2f}"
    else:
        near = f"99.9 % within {1023 * route['p999']:.3f} codes of 10 bit, at worst {route['worst']:.1e} of full scale"
    text = f"{route['shots']} shots; {near}"
    if route.get("toe"):
        text += f"; {route['toe']:.1e} in the toe, where a CDL can't follow a balance"
    if route.get("nearest"):
        text += f"; {len(route['nearest'])} more with the nearest CDL, not exact"
    return text


def say_told(data: dict[str, Any]) -> None:
    found = data["picture"]
    print(found["verdict"])
    for c in found["causes"]:
        left = "" if c["left"] is None or c["left"] != c["left"] else f"{c['left']:6.2f} dE00 left"
        print(f"  {100 * c['explains']:3.0f} %  {left}  {c['cause']}: {c['words']}")
    for note in found["notes"]:
        print(f"  {note}")


def say_diff(data: dict[str, Any]) -> None:
    print(f"{data['a']} -> {data['b']}")
    for word in ("added", "gone"):
        for name in data[word]:
            print(f"  {word:8} {name}")
    for c in data["changed"]:
        off = "" if c["delta_e00"] is None else f"  {c['delta_e00']:.2f} dE00"
        print(
            f"  changed  {c['shot']:12} {c['stops']:+z.2f} st {c['mired']:+z.1f} mired {c['duv']:+z.1f}e-3 Duv "
            f"{c['saturation_percent']:+z.1f} % saturation{off}  ({', '.join(c['what'])})"
        )
    for line in data["about"]:
        print(f"  {line}")
    if not any(data[k] for k in ("added", "gone", "changed", "about")):
        print("  nothing differs")


def say_merge(data: dict[str, Any]) -> None:
    if not data["entries"]:
        print("nothing is new in it")
        return
    done = "would be taken" if data["entry"] is None else "taken"
    print(f"{data['entries']} entries of theirs; {data['taken']} records {done}")
    for c in data["conflicts"]:
        print(f"  both changed {c['record']}" + (f", {c['field']}" if c["field"] else ""))
        for word in ("base", "mine", "theirs"):
            print(f"    {word:7} {_short(c[word])}")
    if data["conflicts"]:
        print(f"  taken for these: {data['take']}")


def _short(value: Any) -> str:
    text = "not there" if value is None else str(value)
    return text if len(text) < 160 else f"{text[:157]}…"


def say_notes(data: dict[str, Any]) -> None:
    for n in data["notes"]:
        to = f" to {n['to']}" if n["to"] else ""
        state = f"done, {n['done']}" if n["done"] else "open"
        print(f"{n['shot']:12} {n['at'][:16]}  {n['who']}{to}: {n['text']}  ({state}; {n['id'][:8]})")
    if not data["notes"]:
        print("no notes")
