"""Camera reports: a CSV of whatever columns, a mapping of columns to fields that is remembered, and rows matched to
shots.
"""

from __future__ import annotations

import csv
import difflib
import io
import re
from bisect import bisect_left
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.frames.timecode import frames_of
from aquin.production.records import Camera, Record, Setup, Shot
from aquin.production.rows import changed
from aquin.reading import bytes_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Production


MAX_BYTES = 20_000_000

FIELDS: dict[str, tuple[str, ...]] = {
    "name": ("clip", "clipname", "file", "filename", "name", "clipid"),
    "reel": ("card", "reel", "roll", "tape", "magazine", "cameraroll"),
    "setup": ("setup", "location", "place", "scenelocation"),
    "slate": ("slate", "scene", "shot"),
    "take": ("take", "takeno", "takenumber"),
    "camera": ("camera", "cam", "body", "unit", "cameraid"),
    "start": ("tcin", "timecodein", "start", "starttc", "starttimecode", "in"),
    "end": ("tcout", "timecodeout", "end", "endtc", "endtimecode", "out"),
    "exposure_index": ("ei", "iso", "asa", "exposureindex", "sensitivity"),
    "white": ("white", "wb", "whitebalance", "kelvin", "colourtemperature", "colortemperature", "cct"),
    "tint": ("tint", "cc", "greenmagenta"),
    "t_stop": ("tstop", "stop", "fstop", "aperture", "iris"),
    "nd": ("nd", "ndfilter", "filter", "filters"),
    "shutter": ("shutter", "shutterangle", "shutterspeed"),
    "lens": ("lens", "lensmm", "focallength", "focal"),
    "encoding": ("encoding", "gamma", "curve", "colourspace", "colorspace", "log", "profile"),
    "note": ("note", "notes", "comment", "comments", "remarks", "description"),
}
"""What a report can say, and what its columns are commonly called (without case, spaces and signs)."""

TITLES = {
    "name": "clip name",
    "reel": "card or reel",
    "setup": "setup",
    "slate": "slate",
    "take": "take",
    "camera": "camera",
    "start": "timecode in",
    "end": "timecode out",
    "exposure_index": "exposure index",
    "white": "white setting",
    "tint": "tint setting",
    "t_stop": "T-stop",
    "nd": "ND filter",
    "shutter": "shutter",
    "lens": "lens",
    "encoding": "encoding",
    "note": "note",
}

MOST_COLUMNS, MOST_ROWS = 400, 100_000
ANY = "any setup"

_PLAIN = ("slate", "take", "exposure_index", "white", "tint", "t_stop", "nd", "shutter", "lens", "note")


@dataclass(frozen=True)
class Sheet:
    """A report as read: column names, and rows of as many cells."""

    path: Path
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]

    @property
    def signature(self) -> str:
        """What a remembered mapping is found by: reports with the same columns are read alike."""
        return "|".join(sorted(_bare(c) for c in self.columns))


@dataclass(frozen=True)
class Reported:
    """What a report changed, and what it says that fits nothing."""

    matched: int
    unmatched: tuple[str, ...] = ()
    unlisted: tuple[str, ...] = ()
    """Shots that no row speaks of."""
    remarks: tuple[str, ...] = ()


def read_sheet(path: Path) -> Sheet:
    """A CSV with commas, semicolons or tabs, in UTF-8 or Latin-1. Raises AquinError."""
    remedy = "Save it as CSV with a line of column names"
    raw = bytes_of(path, MAX_BYTES, "the report", "Save it as a smaller file")
    if b"\0" in raw:
        raise AquinError("this is no text", path, remedy)
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = raw.decode("latin-1")
    lines = text.splitlines()
    if not lines:
        raise AquinError("the report is empty", path, remedy)
    divider = max(",;\t", key=lines[0].count)
    try:
        rows = [
            tuple(cell.strip() for cell in row) for row in csv.reader(io.StringIO(text), delimiter=divider)
        ]
    except csv.Error as error:
        raise AquinError(f"the report can't be read as CSV ({error})", path, remedy) from error
    rows = [row for row in rows if any(row)]
    columns = rows[0] if rows else ()
    if len(columns) < 2 or len(rows) < 2:
        raise AquinError("the report has no columns and rows", path, remedy)
    if len(columns) > MOST_COLUMNS or len(rows) > MOST_ROWS:
        raise AquinError(f"the report has {len(columns)} columns and {len(rows)} rows", path, "Split it")
    width = len(columns)
    return Sheet(path, columns, tuple((row + ("",) * width)[:width] for row in rows[1:]))


def propose_mapping(sheet: Sheet, remembered: Mapping[str, Mapping[str, str]]) -> dict[str, str]:
    """Field to column: what was chosen for such columns before, else by what columns are commonly called."""
    known = remembered.get(sheet.signature)
    if known is not None:
        return {f: c for f, c in known.items() if f in FIELDS and c in sheet.columns}
    out: dict[str, str] = {}
    for field, names in FIELDS.items():
        free = [c for c in sheet.columns if c not in out.values()]
        hit = next((c for name in names for c in free if _bare(c) == name), None)
        if hit is not None:
            out[field] = hit
    return out


def apply_report(
    production: Production, sheet: Sheet, mapping: Mapping[str, str], config: ColourConfig
) -> Reported:
    """Write what a report says into the shots as one step. Raises AquinError when the mapping can't identify clips.

    A row fits a shot by clip name and card, else by card (or camera) and timecode. Setups are taken from the
    report, and a name that stands alone and nearly reads like one with several shots is taken for a slip of the
    pen.
    """
    if "name" not in mapping and "start" not in mapping:
        raise AquinError(
            "no column names the clips", sheet.path, "Map a column to the clip name, or to the timecode in"
        )
    rows = [
        {f: row[sheet.columns.index(c)] for f, c in mapping.items() if c in sheet.columns}
        for row in sheet.rows
    ]
    shots = [s for s in production.all(Shot) if s.kind != "reference"]
    cameras = {c.name: c for c in production.all(Camera)}
    setups = {s.name: s for s in production.all(Setup)}
    fits, unmatched = _fit(rows, shots)
    remarks = _mend_setups(rows, fits)
    puts: dict[str, Record] = {}
    puts |= _name_cameras(rows, fits, production, cameras)
    _make_setups(rows, fits, setups, puts)
    for k, shot in fits.items():
        row = rows[k]
        new: dict[str, Any] = {f: row[f] for f in _PLAIN if row.get(f)}
        new |= _target(row)
        if row.get("camera") in cameras:
            new["camera_id"] = cameras[row["camera"]].id
        if row.get("setup"):
            new["setup_id"] = setups[row["setup"]].id
        if row.get("reel") and not shot.reel:
            new["reel"] = row["reel"]
        said = {f"reported {f}": row[f] for f in ("encoding", "start", "end") if row.get(f)}
        puts[shot.id] = replace(shot, **new, metadata=dict(shot.metadata) | said)
    unlisted = [s for s in shots if s.id not in puts]
    for shot, near in _beside(shots, puts):
        puts[shot.id] = changed(shot, setup_id=near.setup_id, camera_id=near.camera_id)
    _encodings(rows, fits, config, cameras, puts, production)
    used = {getattr(puts.get(s.id, s), "setup_id", "") for s in shots}
    empty = [s for s in production.all(Setup) if s.id not in used and not s.confirmed]
    ids = {getattr(puts.get(s.id, s), "camera_id", "") for s in shots}
    idle = [c for c in production.all(Camera) if c.id not in ids and c.id not in puts]
    production.change(f"camera report {sheet.path.name}", *puts.values(), drop=[*empty, *idle])
    return Reported(
        len(fits),
        tuple(_words(rows[k]) for k in unmatched),
        tuple(s.path for s in unlisted),
        tuple(remarks),
    )


def _fit(rows: Sequence[Mapping[str, str]], shots: Sequence[Shot]) -> tuple[dict[int, Shot], list[int]]:
    """Row number to shot, and the rows that fit none or several."""
    by_name: dict[str, list[Shot]] = {}
    for shot in shots:
        by_name.setdefault(shot.name.lower(), []).append(shot)
    on_card: dict[str, list[Shot]] = {}
    for shot in shots:
        for word in {shot.reel.lower(), *_folders(shot)} - {""}:
            on_card.setdefault(word, []).append(shot)
    fits: dict[int, Shot] = {}
    taken: set[str] = set()
    left = []
    for k, row in enumerate(rows):
        name = Path(row.get("name", "")).stem if "." in row.get("name", "") else row.get("name", "")
        found = by_name.get(name.lower(), [])
        if len(found) > 1 and row.get("reel"):
            found = [s for s in found if row["reel"].lower() in (s.reel.lower(), *_folders(s))]
        if not found and row.get("start"):
            found = [s for s in on_card.get(row.get("reel", "").lower(), ()) if _at(s, row)]
        if len(found) == 1 and found[0].id not in taken:
            fits[k] = found[0]
            taken.add(found[0].id)
        else:
            left.append(k)
    return fits, left


def _folders(shot: Shot) -> list[str]:
    return shot.path.lower().split("/")[:-1]


def _at(shot: Shot, row: Mapping[str, str]) -> bool:
    """Whether a row's timecode lies in a shot of its card."""
    rate = shot.fps
    if rate is None or not shot.start:
        return False
    try:
        return 0 <= frames_of(row["start"], rate) - frames_of(shot.start, rate) < max(shot.frames, 1)
    except AquinError:
        return False


def _mend_setups(rows: list[dict[str, str]], fits: Mapping[int, Shot]) -> list[str]:
    """A setup named once, which nearly reads like the one that was filmed around that shot, is taken for it."""
    counts = Counter(r["setup"] for r in rows if r.get("setup"))
    together: dict[str, Counter[str]] = {}
    for k, shot in fits.items():
        if rows[k].get("setup"):
            together.setdefault(shot.setup_id, Counter())[rows[k]["setup"]] += 1
    often = {setup: names.most_common(2) for setup, names in together.items()}
    remarks = []
    for k, shot in fits.items():
        name = rows[k].get("setup", "")
        if counts[name] != 1 or not shot.setup_id:
            continue
        usual = next((n for n, _ in often.get(shot.setup_id, ()) if n != name), "")
        if usual and difflib.SequenceMatcher(None, name.lower(), usual.lower()).ratio() > 0.6:
            rows[k]["setup"] = usual
            remarks.append(f"{shot.path}: setup '{name}' was read as '{usual}'")
    return remarks


def _name_cameras(
    rows: Sequence[Mapping[str, str]],
    fits: Mapping[int, Shot],
    production: Production,
    cameras: dict[str, Camera],
) -> dict[str, Record]:
    """Cameras that the report names: a proposed one whose shots all have one name takes it, others are new."""
    puts: dict[str, Record] = {}
    for name in dict.fromkeys(r["camera"] for r in rows if r.get("camera")):
        if name in cameras:
            continue
        theirs = {fits[k].camera_id for k, r in enumerate(rows) if k in fits and r.get("camera") == name}
        said = {
            r["camera"]
            for k, r in enumerate(rows)
            if k in fits and fits[k].camera_id in theirs and r.get("camera")
        }
        old = production.find(Camera, next(iter(theirs))) if len(theirs) == 1 and said == {name} else None
        camera = replace(old, name=name) if old is not None else Camera(name, position=len(cameras))
        cameras[name] = camera
        puts[camera.id] = camera
    return puts


def _make_setups(
    rows: Sequence[Mapping[str, str]],
    fits: Mapping[int, Shot],
    setups: dict[str, Setup],
    puts: dict[str, Record],
) -> None:
    order = [r["setup"] for k, r in enumerate(rows) if r.get("setup") and k in fits]
    for position, name in enumerate(dict.fromkeys(order), 1):
        setup = setups.get(name)
        setups[name] = setup if setup is not None else Setup(name, position, confirmed=True)
        if setups[name].position != position or setup is None:
            setups[name] = replace(setups[name], position=position)
            puts[setups[name].id] = setups[name]


_TARGETS = {
    "24-patch": ("24-patch", "24 patch", "colour chart", "color chart", "checker"),
    "grey card": ("grey card", "gray card", "grey", "gray"),
    "crossed wedge": ("wedge", "step chart"),
    "video chart": ("video chart", "vector chart"),
}


def _target(row: Mapping[str, str]) -> dict[str, Any]:
    """Chart, card or series from slate and note."""
    said = f"{row.get('slate', '')} {row.get('note', '')}".lower()
    if match := re.search(r"series\s*([+-]?\d{1,2}(?:\.\d{1,4})?)(?![\d.])", said, re.ASCII):
        return {"kind": "series", "series_stops": float(match[1]), "target": "24-patch"}
    for target, words in _TARGETS.items():
        if any(word in said for word in words):
            return {"kind": "grey card" if target == "grey card" else "chart", "target": target}
    return {"kind": "chart", "target": "24-patch"} if re.search(r"\bchart\b", said) else {}


def _beside(shots: Sequence[Shot], puts: Mapping[str, Record]) -> list[tuple[Shot, Shot]]:
    """Each shot that the report leaves out with the reported one next to it, in the order of names on its card; setups
    were proposed from times, so a shot stays with those it was put together with.
    """
    out: list[tuple[Shot, Shot]] = []
    cards: dict[str, list[Shot]] = {}
    for shot in shots:
        cards.setdefault(shot.path.partition("/")[0], []).append(shot)
    for card in cards.values():
        reported: dict[str, list[int]] = {}
        for k, shot in enumerate(card):
            if shot.id in puts:
                reported.setdefault(shot.setup_id, []).append(k)
                reported.setdefault(ANY, []).append(k)
        for k, shot in enumerate(card):
            there = reported.get(shot.setup_id or ANY) or reported.get(ANY)
            if shot.id not in puts and there:
                at = bisect_left(there, k)
                nearest = min(there[max(at - 1, 0) : at + 1], key=lambda n: (abs(n - k), n))
                found = puts[card[nearest].id]
                assert isinstance(found, Shot)
                out.append((shot, found))
    return out


def _encodings(
    rows: Sequence[Mapping[str, str]],
    fits: Mapping[int, Shot],
    config: ColourConfig,
    cameras: Mapping[str, Camera],
    puts: dict[str, Record],
    production: Production,
) -> None:
    """A camera's encoding is what most rows say; a shot that says otherwise keeps its own word as an override."""
    said: dict[str, Counter[str]] = {}
    resolved: dict[int, str] = {}
    meant: dict[str, str] = {}
    for k, row in enumerate(rows):
        if k in fits and row.get("encoding"):
            word = row["encoding"]
            if word not in meant:
                meant[word] = config.name_of(word)
            if not meant[word]:
                continue
            resolved[k] = meant[word]
            said.setdefault(getattr(puts[fits[k].id], "camera_id", ""), Counter())[resolved[k]] += 1
    most = {id: counts.most_common(1)[0][0] for id, counts in said.items() if id}
    for camera in cameras.values():
        if camera.id in most and not camera.encoding:
            now = puts.get(camera.id, camera)
            assert isinstance(now, Camera)
            puts[camera.id] = replace(now, encoding=most[camera.id])
    for k, name in resolved.items():
        shot = puts[fits[k].id]
        assert isinstance(shot, Shot)
        held = puts.get(shot.camera_id) or production.find(Camera, shot.camera_id)
        usual = held.encoding if isinstance(held, Camera) else ""
        if name != usual and not shot.encoding:
            puts[shot.id] = changed(shot, encoding=name)


def _bare(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", text.lower())


def _words(row: Mapping[str, str]) -> str:
    return " ".join(v for f in ("reel", "name", "start") if (v := row.get(f, "")))
