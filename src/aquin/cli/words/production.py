"""What logging, measuring and auditing say, in words."""

from collections import Counter
from typing import Any

from aquin.measure.survey import AT
from aquin.production import Camera, Production, Setup, Shot
from aquin.production.audit import Finding
from aquin.wording import few


def finding_data(production: Production, number: int, finding: Finding) -> dict[str, Any]:
    def named(kind: Any, id: str) -> str:
        found = production.find(kind, id)
        return found.name if found is not None else ""

    return {
        "number": number,
        "kind": finding.kind,
        "severity": finding.severity,
        "confidence": finding.confidence,
        "what": finding.what,
        "files": [s.path for i in finding.shots if (s := production.find(Shot, i)) is not None],
        "camera": named(Camera, finding.camera),
        "setup": named(Setup, finding.setup),
        "evidence": [{"what": a, "value": b} for a, b in finding.evidence],
        "advice": finding.advice,
        "fix": finding.fix.words if finding.fix else None,
        "dismissed": finding.dismissed,
    }


def short(values: dict[str, Any]) -> dict[str, Any]:
    """The numbers of a survey that people ask for."""
    held = values.get("survey")
    if not held:
        return {"trouble": values.get("trouble", [])}
    chart = values.get("chart")
    return {
        "stops_over_grey": {p: held["stops"][AT[p]] for p in (5, 50, 95)},
        "signal": {p: 100 * held["luma"][AT[p]] for p in (0.1, 1, 50, 99, 99.9)},
        "red_over_blue_stops": held["warm"],
        "green_stops": held["green"],
        "clipped": held["clipped"],
        "chart_score": chart["score"] if chart else None,
        "trouble": values.get("trouble", []),
    }


def say_intake(data: dict[str, Any]) -> None:
    if "production" in data:
        print(f"{data['production']}: {data['name']}")
    if "added" in data:
        print(f"logged {data['added']} new, {data['changed']} changed, {data['known']} known already")
        for line in data["troubles"]:
            print(f"  trouble: {line}")
    if "report" in data:
        said = data["report"]
        print(
            f"report: {said['matched']} rows matched, {len(said['unmatched'])} fit nothing, "
            f"{len(said['unlisted'])} shots unlisted"
        )
        for line in (
            *(f"  fits nothing: {r}" for r in said["unmatched"]),
            *(f"  unlisted: {r}" for r in said["unlisted"]),
            *(f"  {r}" for r in said["remarks"]),
        ):
            print(line)
    for edit in data.get("edits", []):
        print(
            f"edit {edit['edit']}: {edit['pieces'] - len(edit['unmatched'])} of {edit['pieces']} pieces conformed"
        )
        for piece in edit["unmatched"]:
            print(f"  {piece['clip']} {piece['in']}: {piece['why']}")


def say_measured(data: dict[str, Any]) -> None:
    for shot in data["shots"]:
        if "signal" in shot:
            print(
                f"{shot['path']:40} {shot['stops_over_grey'][50]:+6.2f} st  1 % {shot['signal'][1]:5.1f}  99 "
                f"% {shot['signal'][99]:5.1f} % of signal"
                f"  R/B {shot['red_over_blue_stops']:+z.2f} st" + ("  chart" if shot["chart_score"] else "")
            )
        else:
            print(f"{shot['path']:40} {'; '.join(shot['trouble'])}")
    for path in data["not_measured"]:
        print(f"{path:40} the file is missing")


def say_findings(data: dict[str, Any]) -> None:
    for f in data["findings"]:
        place = " in ".join(v for v in (f["camera"], f["setup"]) if v and v not in f["what"])
        about = ": ".join(v for v in (few(f["files"], 4) or place, f["what"]) if v)
        mark = "dismissed" if f["dismissed"] else f["severity"]
        print(f"{f['number']:3}  {mark:9} {f['confidence']:.0%}  {about}")
        for e in f["evidence"]:
            print(f"       {e['what']}: {e['value']}")
        print(
            f"       -> {f['dismissed'] or f['advice']}"
            + (f"  [fix: {f['fix']}]" if f["fix"] and not f["dismissed"] else "")
        )
    counts = Counter(f["severity"] for f in data["findings"] if not f["dismissed"])
    print(", ".join(f"{n} {k}s" for k, n in counts.items()) or "nothing found")
