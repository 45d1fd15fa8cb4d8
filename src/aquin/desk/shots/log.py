"""What the Shots view shows, without Qt: columns, filter, groups, order, edits of one or many shots, findings."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from fractions import Fraction
from operator import attrgetter
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.production import Camera, Edit, Event, Record, Setup, Shot
from aquin.production.audit import Finding, kept_findings
from aquin.production.measuring import encoding_of, range_of
from aquin.production.records import KINDS
from aquin.production.setups import seconds_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production import Entry, Production


FROM_FILE = "as the file says"
FROM_CAMERA = "as the camera"


@dataclass(frozen=True)
class Column:
    """`edits`: text (typed), choice (one of `ShotLog.choices`), or nothing. `number`: right-aligned."""

    key: str
    title: str
    width: int
    """In pixels."""
    edits: str = ""
    """text (typed), choice (one of `ShotLog.choices`), or nothing."""
    tip: str = ""
    number: bool = False


COLUMNS = (
    Column("name", "Shot", 172, "text", "Clip name"),
    Column("findings", "Findings", 132, "", "What the audit says"),
    Column("camera", "Camera", 84, "choice", "The body that recorded it"),
    Column("setup", "Setup", 92, "choice", "One place with one light; a new name makes a new setup"),
    Column("kind", "Kind", 72, "choice", "shot, chart, grey card, series, reference"),
    Column("slate", "Slate", 112, "text"),
    Column("take", "Take", 42, "text", number=True),
    Column("target", "Target", 80, "choice", "Which chart or card is in it"),
    Column("cut", "Cut", 46, "", "Where it stands in the edit, by piece", True),
    Column("start", "Timecode", 104, "text", "Timecode of the first frame", True),
    Column("length", "Length", 62, "", "Seconds", True),
    Column("encoding", "Encoding", 96, "choice", "How it was recorded; bright where it is the shot's own"),
    Column("range", "Range", 54, "choice", "Signal range: legal (64 to 940) or full"),
    Column("white", "White", 54, "text", "White setting", True),
    Column("matrix", "Matrix", 58, "choice", "YCbCr matrix"),
    Column("size", "Size", 82, "", "Pixels", True),
    Column("rate", "Rate", 52, "", "Frames a second", True),
    Column("tint", "Tint", 48, "text", "Tint setting", True),
    Column("exposure_index", "EI", 46, "text", "Exposure index", True),
    Column("t_stop", "T-stop", 50, "text", "", True),
    Column("nd", "ND", 42, "text", "", True),
    Column("shutter", "Shutter", 56, "text", "", True),
    Column("lens", "Lens", 46, "text", "Focal length in mm", True),
    Column("path", "File", 200, "", "Where it lies under its root"),
    Column("note", "Note", 160, "text"),
)
HIDDEN = (
    *("matrix", "tint", "t_stop", "nd", "shutter", "lens", "path", "exposure_index", "size", "rate"),
    *("setup", "target", "take"),
)
"""Columns that are hidden until somebody asks for them."""

_24 = Fraction(24)
_PARTS = {"setup": "setup_id", "camera": "camera_id", "kind": "kind"}
_MOVING = ("cut", "findings")
"""Orders that depend on more than the shot."""
GROUPS = ("setup", "camera", "kind", "none")
_BY_KEY = {c.key: c for c in COLUMNS}
_MARKS = {"error": "!", "warning": "?", "note": "·"}


@dataclass(frozen=True)
class Group:
    title: str
    shots: tuple[Shot, ...]


def _any(shot: Shot) -> str:
    return ""


class ShotLog:
    """The log of a production. `groups` is what is shown under the filter, in order."""

    def __init__(self, production: Production, config: ColourConfig) -> None:
        self.production, self.config = production, config
        self.words, self.by, self.order, self.descending = "", "setup", "start", False
        self.findings: list[Finding] = []
        self._by_shot: dict[str, list[Finding]] = {}
        self._hay: dict[str, tuple[Shot, str]] = {}
        self._orders: dict[str, tuple[Shot, str, tuple[Any, ...]]] = {}
        self._names: dict[str, str] = {}
        self._sorted: tuple[list[Shot], tuple[str, bool], list[Shot]] | None = None
        self._cut: tuple[int, Event | None, dict[str, list[int]]] | None = None
        self.read_findings()

    def read_findings(self) -> None:
        """What the last audit kept."""
        self.findings = kept_findings(self.production)
        self._by_shot = {}
        for finding in self.findings:
            for id in finding.shots:
                self._by_shot.setdefault(id, []).append(finding)

    def findings_of(self, shots: Iterable[Shot]) -> list[Finding]:
        """Findings about any of these shots; with none, all of them."""
        ids = {s.id for s in shots}
        return [f for f in self.findings if not ids or ids & set(f.shots)]

    @property
    def open_count(self) -> int:
        """Errors and warnings that nobody has dismissed."""
        return sum(not f.dismissed and f.severity != "note" for f in self.findings)

    # what is shown

    def groups(self) -> list[Group]:
        """Shots that fit the filter, grouped and in order."""
        self._see_names()
        shots = self._in_order()
        for word in self.words.lower().split():
            shots = self._fitting(shots, word)
        if self.by == "none":
            return [Group("all", tuple(shots))] if shots else []
        parts: dict[str, list[Shot]] = {}
        part = attrgetter(_PARTS[self.by])
        for shot in shots:
            parts.setdefault(part(shot), []).append(shot)
        return [Group(self._title(key), tuple(parts[key])) for key in self._part_order(parts)]

    def _in_order(self) -> list[Shot]:
        """All shots, sorted; again only when one has changed, or what they are sorted by may have."""
        there = self.production.by(Shot, _any).get("", [])
        key = (self.order, self.descending)
        if (
            self._sorted is None
            or self._sorted[0] is not there
            or self._sorted[1] != key
            or self.order in _MOVING
        ):
            shots = sorted(there, key=self._kept_order, reverse=self.descending)
            self._sorted = (there, key, shots)
        return self._sorted[2]

    def _fitting(self, shots: list[Shot], word: str) -> list[Shot]:
        """Shots that hold a word, or `column:word`."""
        field, colon, want = word.partition(":")
        if colon and field in _BY_KEY and want:
            return [s for s in shots if want in self.text(s, field).lower()]
        found = self._by_shot
        return [
            s
            for s, hay in zip(shots, map(self._hay_of, shots), strict=True)
            if word in hay or (s.id in found and word in self._found_words(s))
        ]

    def _hay_of(self, shot: Shot) -> str:
        held = self._hay.get(shot.id)
        if held is None or held[0] is not shot:
            held = self._hay[shot.id] = (shot, self._words_of(shot).lower())
        return held[1]

    def _see_names(self) -> None:
        names = self._all_names()
        if names != self._names:
            self._names, self._hay = names, {}

    def warm(self, seconds: float) -> bool:
        """Read some more of what the filter looks through, for so long; whether all is read."""
        self._see_names()
        end = time.perf_counter() + seconds
        for shot in self.production.all(Shot):
            held = self._hay.get(shot.id)
            if held is None or held[0] is not shot:
                if time.perf_counter() > end:
                    return False
                self._hay_of(shot)
        return True

    def _part_order(self, parts: Iterable[str]) -> list[str]:
        if self.by == "kind":
            return [k for k in KINDS if k in parts]
        kind: type[Setup] | type[Camera] = Setup if self.by == "setup" else Camera
        order = [r.id for r in self.production.all(kind)]
        return [id for id in order if id in parts] + [p for p in parts if p not in order]

    def _title(self, key: str) -> str:
        if self.by == "kind":
            return key
        return self._names.get(key, f"no {self.by}")

    def _found_words(self, shot: Shot) -> str:
        found = " ".join(f.severity for f in self.of(shot))
        return f"{_findings_text(self, shot)} {found}".lower()

    def _words_of(self, shot: Shot) -> str:
        """What the filter looks through, but for the findings."""
        return " ".join(
            (
                shot.name,
                self._names.get(shot.camera_id, ""),
                self._names.get(shot.setup_id, ""),
                shot.kind,
                shot.target,
                shot.slate,
                shot.take,
                shot.start,
                self.text(shot, "encoding"),
                shot.range or shot.file_range,
                f"{shot.width} x {shot.height}",
                shot.rate,
                shot.white,
                shot.tint,
                shot.exposure_index,
                shot.t_stop,
                shot.nd,
                shot.lens,
                shot.path,
                shot.note,
            )
        )

    def cut_of(self, shot: Shot) -> list[int]:
        """The numbers of the edit's pieces that were cut from a shot, from 1."""
        events = self.production.all(Event)
        if self._cut is None or self._cut[0] != len(events) or (events and self._cut[1] is not events[-1]):
            edits = self.production.all(Edit)
            pieces: dict[str, list[int]] = {}
            for event in events:
                if edits and event.edit_id == edits[-1].id and event.shot_id:
                    pieces.setdefault(event.shot_id, []).append(event.position + 1)
            self._cut = (len(events), events[-1] if events else None, pieces)
        return self._cut[2].get(shot.id, [])

    def _kept_order(self, shot: Shot) -> tuple[Any, ...]:
        held = self._orders.get(shot.id)
        if held is not None and held[0] is shot and held[1] == self.order and self.order not in _MOVING:
            return held[2]
        held = self._orders[shot.id] = (shot, self.order, self._order(shot))
        return held[2]

    def _order(self, shot: Shot) -> tuple[Any, ...]:
        if self.order == "start":
            times = seconds_of(shot)
            return (times is None, times[0] if times else 0.0, shot.path)
        if self.order == "cut":
            return (min(self.cut_of(shot), default=1_000_000), shot.path)
        if self.order == "findings":
            rank = {"error": 0, "warning": 1, "note": 2}
            return (min((rank[f.severity] for f in self.of(shot)), default=3), shot.path)
        if self.order == "length":
            return (shot.frames / float(shot.fps or 24), shot.path)
        text = self.text(shot, self.order)
        try:
            return (0, float(text), "", shot.path)
        except ValueError:
            return (1, 0.0, text.lower(), shot.path)

    def of(self, shot: Shot) -> list[Finding]:
        """Findings about a shot that are not dismissed."""
        return [f for f in self._by_shot.get(shot.id, ()) if not f.dismissed]

    def text(self, shot: Shot, key: str) -> str:
        """What a cell says."""
        make = _TEXTS.get(key)
        return make(self, shot) if make is not None else str(getattr(shot, key))

    def own(self, shot: Shot, key: str) -> bool:
        """Whether a value was decided for this shot rather than inherited."""
        return bool(getattr(shot, key)) if key in ("encoding", "range", "matrix") else True

    def _all_names(self) -> dict[str, str]:
        cameras, setups = self.production.all(Camera), self.production.all(Setup)
        return {c.id: c.name for c in cameras} | {s.id: s.name for s in setups}

    def name_of(self, id: str) -> str:
        if id and id not in self._names:
            self._names |= self._all_names()
        return self._names.get(id, "")

    # changes

    def choices(self, key: str) -> list[str]:
        """What a cell of this column may be."""
        if key in ("camera", "setup"):
            kind: type[Camera] | type[Setup] = Camera if key == "camera" else Setup
            return [r.name for r in self.production.all(kind)]
        if key == "encoding":
            return [FROM_CAMERA, *(e.name for e in self.config.encodings())]
        fixed: dict[str, list[str]] = {
            "kind": list(KINDS),
            "target": ["", "24-patch", "grey card", "crossed wedge", "video chart"],
            "range": [FROM_FILE, "legal", "full"],
            "matrix": [FROM_FILE, "bt601", "bt709", "bt2020"],
        }
        return fixed.get(key, [])

    def edit(self, shots: Iterable[Shot], key: str, text: str) -> Entry | None:
        """Write one value into one or many shots as one step. Raises AquinError for what makes no sense."""
        column, shots, text = _BY_KEY[key], list(shots), text.strip()
        if not column.edits or not shots:
            return None
        fields, more = self._value(key, text, shots)
        count = f" of {len(shots)} shots" if len(shots) > 1 else f" of {shots[0].name}"
        what = f"{column.title.lower()}{count}" + (f": {text}" if text else " cleared")
        return self.production.change(what, *more, *(replace(s, **fields) for s in shots))

    def _value(self, key: str, text: str, shots: list[Shot]) -> tuple[dict[str, Any], list[Record]]:
        """The fields that a text means, and records that come with it."""
        if key in ("camera", "setup"):
            kind: type[Camera] | type[Setup] = Camera if key == "camera" else Setup
            known = self.production.all(kind)
            found = next((r for r in known if r.name.lower() == text.lower()), None)
            if not text:
                return {f"{key}_id": ""}, []
            if found is not None:
                return {f"{key}_id": found.id}, []
            made = kind(text, position=len(known))
            return {f"{key}_id": made.id}, [made]
        if key == "encoding":
            name = "" if text in ("", FROM_CAMERA) else self.config.resolve(text)
            return {"encoding": name}, []
        if key in ("range", "matrix", "kind", "target"):
            if text not in self.choices(key) and text:
                raise AquinError(
                    f"'{text}' is no {key}",
                    None,
                    f"Use one of: {', '.join(c for c in self.choices(key) if c)}",
                )
            if key == "kind" and not text:
                raise AquinError("a shot needs a kind", None, "Use shot where nothing else fits")
            return {key: "" if text == FROM_FILE else text}, []
        if key == "name" and not text:
            raise AquinError("a shot needs a name", None, "Type one, or undo")
        if key == "start" and text:
            from aquin.frames.timecode import frames_of

            for shot in shots:
                frames_of(text, shot.fps or _24)
        return {key: text}, []

    def drop(self, shots: Iterable[Shot]) -> Entry | None:
        """Take shots out of the log; their files stay where they are."""
        shots = list(shots)
        what = shots[0].name if len(shots) == 1 else f"{len(shots)} shots"
        return self.production.change(f"take {what} out of the log", drop=shots)

    def confirm(self, shots: Iterable[Shot]) -> Entry | None:
        """Agree to the setups that were proposed for these shots."""
        ids = {s.setup_id for s in shots if s.setup_id}
        setups = [s for s in self.production.all(Setup) if s.id in ids and not s.confirmed]
        names = ", ".join(s.name for s in setups)
        return self.production.change(f"confirm setup {names}", *(replace(s, confirmed=True) for s in setups))

    def rename_group(self, title: str, text: str) -> Entry | None:
        """Give a setup or camera another name. Raises AquinError when it is taken."""
        kind: type[Setup] | type[Camera] = Setup if self.by == "setup" else Camera
        known = self.production.all(kind)
        found = next((r for r in known if r.name == title), None)
        text = text.strip()
        if found is None or not text or text == title:
            return None
        if any(r.name.lower() == text.lower() for r in known if r.id != found.id):
            raise AquinError(
                f"there is a {self.by} {text} already", None, "Choose another name, or move the shots"
            )
        if isinstance(found, Setup):
            return self.production.change(
                f"call setup {title} {text}", replace(found, name=text, confirmed=True)
            )
        new = replace(found, name=text)
        return self.production.change(f"call camera {title} {text}", new)


def _findings_text(log: ShotLog, shot: Shot) -> str:
    found = log.of(shot)
    return ", ".join(f"{_MARKS[f.severity]} {f.kind}" for f in found)


def _inherited(key: str, usual: Callable[[Production, Shot], str]) -> Callable[[ShotLog, Shot], str]:
    return lambda log, shot: getattr(shot, key) or usual(log.production, shot)


def _rate(log: ShotLog, shot: Shot) -> str:
    return f"{float(shot.fps):.5g}" if shot.fps else ""


_TEXTS: dict[str, Callable[[ShotLog, Shot], str]] = {
    "camera": lambda log, s: log.name_of(s.camera_id),
    "setup": lambda log, s: log.name_of(s.setup_id),
    "cut": lambda log, s: ", ".join(str(n) for n in log.cut_of(s)),
    "length": lambda log, s: f"{s.frames / float(s.fps):.1f} s" if s.fps and s.frames else "",
    "encoding": _inherited("encoding", encoding_of),
    "range": _inherited("range", lambda p, s: "" if s.floating else range_of(p, s)),
    "matrix": _inherited("matrix", lambda p, s: s.file_matrix),
    "size": lambda log, s: f"{s.width} x {s.height}" if s.width else "",
    "rate": _rate,
    "findings": _findings_text,
}
