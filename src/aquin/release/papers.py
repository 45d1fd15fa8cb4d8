"""What people read of a release: the report (HTML and PDF) and READ-ME.txt."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from aquin.exchange.paper import Block, Heading, Lines, Paper, Picture, Pictures, Table, write_paper
from aquin.files import write_text
from aquin.release.manifest import Manifest
from aquin.wording import minus

Jpegs = Mapping[str, Mapping[str, bytes]]
AXES = ("exposure", "warmth", "tint", "saturation", "skin hue")
MOST = 200
"""Shots whose pictures are in the report; of larger releases the first of each camera and setup."""


def write_papers(
    folder: Path, manifest: Manifest, pictures: Jpegs, left_out: Sequence[tuple[str, str]]
) -> Manifest:
    """Write `report.html`, `report.pdf` and `READ-ME.txt`; the manifest as it was. Raises AquinError."""
    paper = paper_of(manifest, pictures, left_out)
    for name in ("report.html", "report.pdf"):
        write_paper(folder / name, paper, "a release's report")
    write_text(folder / "READ-ME.txt", read_me(manifest))
    return manifest


def title_of(manifest: Manifest) -> str:
    return f"{manifest.about['production']['name']}: release {manifest.version}"


def paper_of(manifest: Manifest, pictures: Jpegs, left_out: Sequence[tuple[str, str]]) -> Paper:
    """The report as blocks."""
    about = manifest.about
    first = f"Release {manifest.version} of {about['when'][:10]} by {about['who']}"
    parent = about["parent"]
    lines = [first + (f", after release {parent['version']}." if parent else ", the first one.")]
    lines += [f"{about['note']}"] if about["note"] else []
    lines += [_summary(manifest)]
    blocks: list[Block] = [
        Heading(title_of(manifest), 1),
        Lines(lines),
        Heading("Screens"),
        Lines(_screens(about), points=True),
        Heading("Cameras"),
        Table(
            ("camera", "encoding", "shots", "input transform"),
            [(c["name"], c["encoding"], str(c["shots"]), c["input"]) for c in about["cameras"]],
            (50, 90, 20, 90),
        ),
        Heading("Shots"),
        Table(SHOT_COLUMNS, [_shot_row(s) for s in manifest.shots], SHOT_WIDTHS),
        Lines([NOTE]),
    ]
    blocks += _doubts(manifest)
    if left_out:
        blocks += [
            Heading("Not in this release"),
            Lines([f"{n}: {why}." for n, why in left_out], points=True),
        ]
    for k, shot in enumerate(_pictured(manifest)):
        if shot["id"] not in pictures:
            continue
        both = pictures[shot["id"]]
        pair = [Picture(both["before"], "as filmed"), Picture(both["after"], "released")]
        if k == 0:
            blocks.append(Heading("Shot by shot"))
        blocks.append(Pictures(pair, _card(shot)))
    return Paper(title_of(manifest), blocks)


NOTE = (
    "The grade is what all of it together does to grey: exposure in stops, white in mired (+ is warmer) and "
    "thousandths of Duv (+ is greener), and to saturation. CDL: exact, or the nearest one and how far it is off on the "
    "check frame (mean dE00)."
)
SHOT_COLUMNS = (
    "shot",
    "camera",
    "setup",
    "exposure",
    "warmth",
    "tint",
    "saturation",
    "state",
    "agreed",
    "CDL",
)
SHOT_WIDTHS = (32, 24, 34, 22, 24, 22, 22, 24, 40, 24)


def _summary(manifest: Manifest) -> str:
    agreed = sum(any(a["now"] for a in s["agreed"]) for s in manifest.shots)
    many = Counter("within" if s["state"] in ("within", "hero") else "open" for s in manifest.shots)
    return (
        f"{len(manifest.shots)} shots, {agreed} of them agreed; {many['within']} within tolerance of their heroes, "
        f"{many['open']} open."
    )


def _screens(about: Mapping[str, Any]) -> list[str]:
    out = []
    for d in about["chain"]["deliverables"]:
        tags = d.get("tags")
        said = f"{d['name']}: {d['display']}, {d['view']}"
        if tags:
            said += (
                f". Tag its files with primaries {tags['primaries']}, transfer {tags['transfer']}, matrix "
                f"{tags['matrix']} (ITU-T H.273), {tags['range']} range"
            )
        out.append(said)
    return out


def grade_words(shot: Mapping[str, Any]) -> str:
    """What a grade does, in a line."""
    return (
        f"{shot['stops']:+z.2f} st, {shot['mired']:+z.0f} mired, {shot['duv']:+z.1f} 10⁻³ Duv, "
        f"saturation {shot['saturation']:.2f}"
    )


def _shot_row(shot: Mapping[str, Any]) -> list[Any]:
    return [
        shot["name"],
        shot["camera"],
        shot["setup"],
        minus(f"{shot['stops']:+z.2f} st"),
        minus(f"{shot['mired']:+z.0f} mired"),
        minus(f"{shot['duv']:+z.1f} 10⁻³ Duv"),
        f"{shot['saturation']:.2f}",
        shot["state"],
        _agreed(shot) or "-",
        _cdl_words(shot["written"]["cdl"]),
    ]


def _agreed(shot: Mapping[str, Any]) -> list[str]:
    return [
        f"{a['who']} {a['at'][:10]}" + ("" if a["now"] else " (to an earlier grade)") for a in shot["agreed"]
    ]


def _card(shot: Mapping[str, Any]) -> list[str]:
    """What stands beside a shot's pictures."""
    lines = [f"{shot['name']}, {shot['camera']}, {shot['setup']}", minus(grade_words(shot))]
    if shot["look"]:
        lines.append(f"look: {shot['look']}")
    lines.append("it is the hero" if shot["state"] == "hero" else f"beside its hero: {shot['state']}")
    for row in shot["ledger"]:
        if row["axis"] in AXES and row["after"] is not None:
            before = "" if row["before"] is None else f"{row['before']:+z.2f} -> "
            unit = {"stop": "st", "ratio": "", "degree": "°"}.get(row["unit"], row["unit"])
            doubt = "" if row["doubt"] is None else f" ± {row['doubt']:.2f}"
            said = "" if row["within"] else ", off" if abs(row["after"]) > row["tolerance"] else ", in doubt"
            lines.append(minus(f"{row['axis']} {before}{row['after']:+z.2f}{doubt} {unit}".rstrip()) + said)
    return lines


def _cdl_words(cdl: Mapping[str, Any]) -> str:
    if not cdl["exact"]:
        return f"nearest, {cdl['dE00_mean']:.1f}"
    return "exact" if cdl["dE00_mean"] < 0.05 else f"exact above the toe, {cdl['dE00_mean']:.1f}"


def _doubts(manifest: Manifest) -> list[Block]:
    open_, beyond = [], []
    for shot in manifest.shots:
        open_ += [f"{shot['name']}: {what}" for what in (*shot["open"], *shot.get("notes", ()))]
        doubtful = [r["axis"] for r in shot["ledger"] if not r["within"] and r["axis"] in AXES]
        if doubtful and shot["state"] != "hero":
            open_.append(f"{shot['name']}: {', '.join(doubtful)} not within tolerance")
        beyond += [f"{shot['name']}: {what}" for what in shot["not_in_files"]]
    blocks: list[Block] = []
    if open_:
        blocks += [Heading("Open"), Lines([f"{minus(w)}." for w in open_], points=True)]
    if beyond:
        blocks += [
            Heading("What no file can carry"),
            Lines([f"{w}. It has to be made again by hand." for w in beyond], points=True),
        ]
    return blocks


def _pictured(manifest: Manifest) -> list[Mapping[str, Any]]:
    if len(manifest.shots) <= MOST:
        return list(manifest.shots)
    first: dict[tuple[str, str], Mapping[str, Any]] = {}
    for shot in manifest.shots:
        first.setdefault((shot["camera"], shot["setup"]), shot)
    return list(first.values())[:MOST]


def read_me(manifest: Manifest) -> str:
    """How to use the release, in words that fit any program."""
    about = manifest.about
    kinds = {k for s in manifest.shots for k in s["files"]}
    screen = " / ".join(about["chain"]["screen"])
    parts = [
        f"{title_of(manifest)}\n{'=' * len(title_of(manifest))}",
        f"Made {about['when'][:16].replace('T', ' ')} by {about['who']}. {_summary(manifest)}\n"
        "report.html and report.pdf show every shot before and after, with its numbers.",
        "Is it whole?\n------------\nIn this folder: sha256sum -c release.sha256\n"
        "With Aquin: aquin verify THIS-FOLDER, which also makes the check frames again by every route.",
        "The chain\n---------\n"
        f"camera signal -> input transform -> {about['chain']['working']} (AP1) -> the shot's grade"
        f"{' -> look' if about['looks'] else ''} -> {screen}\n"
        "Input transforms are in cameras/, one for each encoding, as CLF:\n"
        + "\n".join(f"  {c['name']}: {c['encoding']}, {c['input']}" for c in about["cameras"]),
    ]
    if "cc" in kinds:
        near = [s["name"] for s in manifest.shots if not s["written"]["cdl"]["exact"]]
        parts.append(
            "By CDL\n------\n"
            "grades/NAME.cc, or all of them in grades/all.ccc by the shots' names, and in the edits of edit/\n"
            "(ASC_SOP and ASC_SAT).\n"
            f"Work in {about['chain']['working']}; no clamping; the order is slope, offset, power, saturation."
            + (
                f"\nNearest CDLs, since their grades hold more than a CDL can: {', '.join(near)}.\n"
                "Where it matters, take their CLF or LUT."
                if near
                else ""
            )
        )
    tables = [
        str(s["files"][kind])
        for s in manifest.shots
        for kind in ("cube", "ready")
        if s["written"].get(kind, {}).get("table_before")
    ]
    parts += _ways(about, kinds, screen, tables)
    parts.append(
        "Checking a picture\n------------------\n"
        "check/ holds small frames in float: NAME-source.exr is the camera's signal, NAME-graded.exr what the grade\n"
        f"makes of it ({about['chain']['working']}), NAME-screen.exr what the screen must get.\n"
        "A picture from elsewhere that looks wrong: aquin verify THIS-FOLDER --picture STILL --shot NAME names the\n"
        "likely cause."
    )
    moved = [f"  {s['name']}: {w}" for s in manifest.shots for w in s["not_in_files"]]
    if moved:
        parts.append("What no file can carry\n----------------------\n" + "\n".join(moved))
    return "\n\n".join(parts) + "\n"


def _ways(about: Mapping[str, Any], kinds: set[str], screen: str, tables: Sequence[str]) -> list[str]:
    """How grades are used other than by CDL, and the look."""
    parts: list[str] = []
    if kinds & {"clf", "cube"}:
        parts.append(
            "By CLF or LUT of the grade\n--------------------------\n"
            f"grades/NAME.clf is exact; grades/NAME.cube is within about a code of 10 bit. Both take "
            f"{about['chain']['working']} and give it. Interpolate tetrahedrally."
            + (
                f"\nThese cubes have a 1D table before the 3D one, which some programs refuse: {', '.join(tables)}.\n"
                "Where one is refused, take the CLF."
                if tables
                else ""
            )
        )
    if "ready" in kinds:
        parts.append(
            "Clip by clip, without colour management\n---------------------------------------\n"
            "ready/NAME.cube takes the camera's own signal (full scale, 0 to 1) and gives the signal for\n"
            f"{screen},\nwith the grade and the look in it. Put nothing else on the clip."
        )
    if "clf" in kinds:
        parts.append(
            "Colour-managed as a whole\n-------------------------\n"
            "Point the program to config/config.ocio; keep the folder together, since it reads grades/ and look/.\n"
            "Its file rules know each shot's encoding. Each grade is a look ('grade NAME'); or set the context\n"
            "variable SHOT to a shot's name and choose the view that ends in 'graded'."
        )
    if about.get("monitors"):
        parts.append(
            "On set\n------\ncameras/NAME-monitor.cube takes a camera's signal to the screen as it is shot: with the\n"
            "exposure that its card asks for taken back, and with the look that is on for all."
        )
    if about["looks"]:
        names = ", ".join(
            f"{look['name']} at {100 * look['strength']:.0f} % ({look['clf']})" for look in about["looks"]
        )
        parts.append(
            f"The look\n--------\n{names}: on top of every grade, before the view. Off while balancing."
        )
    return parts
