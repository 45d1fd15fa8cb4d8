"""What changed between two releases, two productions, or one of each: shot by shot, in numbers and pictures."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from aquin.arrays import Float32
from aquin.colour.cdl import Cdl
from aquin.colour.config import ColourConfig
from aquin.colour.difference import delta_e00
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange.paper import Block, Heading, Lines, Paper, Picture, Pictures, Table, write_paper
from aquin.jobs.release_contents import said_of
from aquin.jobs.what_did_they import chain_of
from aquin.measure.display import lab_of_display
from aquin.production import Camera, Production, Shot
from aquin.production.address import is_address
from aquin.production.looks import look_for, screen_of
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot, shot_grade
from aquin.release.chain import Chain
from aquin.release.manifest import read_manifest
from aquin.release.numbers import shift_of
from aquin.release.package import release_at
from aquin.release.routes import pixels
from aquin.release.shot_files import check_source, jpeg
from aquin.trusted import Unasked
from aquin.wording import minus
from aquin.workers import Tell


@dataclass(frozen=True)
class Side:
    """One of the two: what it says of each shot by its id, and how a shot is shown, if it can be."""

    name: str
    identity: str
    shots: Mapping[str, Mapping[str, Any]]
    about: Mapping[str, str]
    chain: Callable[[str], Chain]
    source: Callable[[str], Float32 | None]


@dataclass(frozen=True, eq=False)
class Changed:
    """One shot. `what`: the parts that differ. `off`: mean CIEDE2000 of its check frame; None where it is not there.
    `pictures`: JPEG of both.
    """

    shot: str
    stops: float
    mired: float
    duv: float
    saturation: float
    what: tuple[str, ...]
    off: float | None = None
    pictures: tuple[bytes, bytes] | None = None

    def data(self) -> dict[str, Any]:
        return {
            "shot": self.shot,
            "stops": round(self.stops, 3),
            "mired": round(self.mired, 2),
            "duv": round(self.duv, 3),
            "saturation_percent": round(100 * (self.saturation - 1), 2),
            "delta_e00": None if self.off is None else round(self.off, 3),
            "what": list(self.what),
        }


@dataclass(frozen=True)
class Compared:
    """From `a` to `b`. `about`: what differs beside the shots, in words."""

    a: str
    b: str
    added: tuple[str, ...] = ()
    gone: tuple[str, ...] = ()
    changed: tuple[Changed, ...] = ()
    about: tuple[str, ...] = ()
    same: int = 0
    notes: tuple[str, ...] = field(default=())

    @property
    def differs(self) -> bool:
        return bool(self.added or self.gone or self.changed or self.about)

    def data(self) -> dict[str, Any]:
        return {
            "a": self.a,
            "b": self.b,
            "added": list(self.added),
            "gone": list(self.gone),
            "changed": [c.data() for c in self.changed],
            "about": list(self.about),
            "same": self.same,
            "notes": list(self.notes),
        }


def compare(first: Path, second: Path, tell: Tell | None = None) -> Compared:
    """Each a release (folder or .zip) or a production file. Slow, for a worker. Raises AquinError."""
    with ExitStack() as stack:
        held = [_held(stack, path) for path in (first, second)]
        (a, one), (b, two) = (_side(*held[k], held[1 - k]) for k in (0, 1))
        notes = tuple(n for n in (one, two) if n)
        if a.identity != b.identity:
            notes = ("they are of two productions: shots are paired by their ids", *notes)
        both = [id for id in a.shots if id in b.shots]
        changed = []
        for k, id in enumerate(both):
            if tell is not None:
                tell(k / max(len(both), 1), str(b.shots[id]["name"]))
            what = _what(a.shots[id], b.shots[id])
            if what:
                changed.append(_changed(a, b, id, what))
        changed.sort(key=lambda c: -(c.off or 0.0))
        keys = dict.fromkeys([*a.about, *b.about])
        about = [
            f"{key}: {a.about.get(key) or 'none'} -> {b.about.get(key) or 'none'}"
            for key in keys
            if a.about.get(key) != b.about.get(key)
        ]
        return Compared(
            a.name,
            b.name,
            tuple(str(s["name"]) for id, s in b.shots.items() if id not in a.shots),
            tuple(str(s["name"]) for id, s in a.shots.items() if id not in b.shots),
            tuple(changed),
            tuple(about),
            len(both) - len(changed),
            notes,
        )


PARTS = {"mark": "grade", "look_print": "look", "encoding": "encoding", "range": "range", "matrix": "matrix"}
PARTS |= {"content": "media", "name": "name"}


def _what(a: Mapping[str, Any], b: Mapping[str, Any]) -> tuple[str, ...]:
    return tuple(word for key, word in PARTS.items() if str(a.get(key) or "") != str(b.get(key) or ""))


def _changed(a: Side, b: Side, id: str, what: tuple[str, ...]) -> Changed:
    before, after = Grade.of(a.shots[id]["grade"]), Grade.of(b.shots[id]["grade"])
    shift = shift_of(after, before)
    found = Changed(str(b.shots[id]["name"]), shift.stops, shift.mired, shift.duv, shift.saturation, what)
    if what == ("name",):
        return found
    try:
        source = b.source(id)
        source = a.source(id) if source is None else source
        if source is None:
            return found
        flat = source.reshape(-1, 3)
        one, two = (np.asarray(side.chain(id)(flat), np.float32) for side in (a, b))
    except AquinError:
        return found  # the numbers are there without pictures
    off = float(delta_e00(lab_of_display(one), lab_of_display(two)).mean())
    pictures = jpeg(one.reshape(source.shape)), jpeg(two.reshape(source.shape))
    return replace(found, off=off, pictures=pictures)


def _held(stack: ExitStack, path: Path) -> tuple[Path, Production | Path]:
    """What was named, and the production or the release's folder."""
    if path.suffix == ".aquin" or is_address(path):
        production = Production.open(path, read_only=True)
        stack.callback(production.close)
        return path, production
    return path, stack.enter_context(release_at(path))


def _side(path: Path, held: Production | Path, other: tuple[Path, Production | Path]) -> tuple[Side, str]:
    """One of the two, and what has to be said of how it is read: a copy that came without its colour configuration is
    read through that of the `other`.
    """
    if isinstance(held, Path):
        return _of_release(held, path), ""
    wanted = {c.encoding for c in held.all(Camera) if c.encoding}
    try:
        own: ColourConfig | None = config_of(held)
    except Unasked:
        raise
    except AquinError:
        own = None
    if own is not None and wanted <= {e.name for e in own.encodings()}:
        return of_production(held, own), ""
    try:
        theirs = config_of(other[1]) if isinstance(other[1], Production) else _config_in(other[1])
    except AquinError:
        theirs = None
    if theirs is None or (own is not None and not wanted <= {e.name for e in theirs.encodings()}):
        return of_production(held, own), ""
    return of_production(
        held, theirs
    ), f"{path.name} came without its colour configuration: the other's is used"


def _config_in(folder: Path) -> ColourConfig | None:
    """A release's colour configuration."""
    path = folder / "config" / "config.ocio"
    return ColourConfig.load(path) if path.is_file() else None


def _of_release(folder: Path, path: Path) -> Side:
    manifest, _ = read_manifest(folder)
    shots = {str(s["id"]): s for s in manifest.shots}
    chain = manifest.about["chain"]
    about = {"screen": " / ".join(chain["screen"]), "working space": str(chain["working"])}

    def frame(id: str) -> Float32 | None:
        file = folder / str(shots[id]["check"]["source"])
        return pixels(file) if file.is_file() else None

    return Side(
        f"{manifest.about['production']['name']}, release {manifest.version}",
        manifest.identity,
        shots,
        about,
        lambda id: chain_of(folder, manifest, shots[id], int(shots[id]["check"]["frame"])),
        frame,
    )


def of_production(production: Production, config: ColourConfig | None = None) -> Side:
    """A production as it is now, also while it is open in the window. `config`: another one than its own, for a copy
    that lies elsewhere.
    """
    config = config or config_of(production)
    shoot, screen = Shoot(production, config), screen_of(production, config)
    shots = {s.id: s for s in production.all(Shot) if s.kind == "shot" and not s.trouble}
    said = {
        id: said_of(shoot, s, s.name, look_for(production, config, s.setup_id), None)
        for id, s in shots.items()
    }

    def chain(id: str) -> Chain:
        shot = shots[id]
        grade = shot_grade(shoot, shot).at(shot.first + shot.frames // 2)
        look = look_for(production, config, shot.setup_id)
        return Chain(config, str(said[id]["encoding"]), grade, look, screen, Cdl())

    def frame(id: str) -> Float32 | None:
        shot = shots[id]
        ref = shoot.ref(shot, shot.first + shot.frames // 2)
        return None if ref is None or not ref.path.is_file() else check_source(ref, config)[0]

    about = {
        "screen": " / ".join(screen),
        "working space": str(production.option("working space", "ACEScct")),
    }
    return Side(f"{production.name}, as it is", production.identity, said, about, chain, frame)


def pictures_of(
    mine: Production, theirs: Production, shot_ids: Sequence[str], tell: Tell | None = None
) -> dict[str, tuple[bytes, bytes]]:
    """JPEG of shots as both have them, by id; without those that can't be shown."""
    if not shot_ids:
        return {}
    a, b, out = of_production(mine), of_production(theirs, config_of(mine)), {}
    for k, id in enumerate(dict.fromkeys(shot_ids)):
        if tell is not None:
            tell(k / len(shot_ids), "")
        if id in a.shots and id in b.shots:
            found = _changed(a, replace(b, source=a.source), id, ("grade",))
            if found.pictures is not None:
                out[id] = found.pictures
    return out


def write_compared(path: Path, found: Compared, force: bool = False) -> None:
    """Write .html or .pdf, with both pictures of each shot. Raises AquinError."""
    blocks: list[Block] = [
        Heading("What changed", 1),
        Lines(
            [f"From {found.a} to {found.b}: {len(found.changed)} shots changed, {found.same} are the same."]
        ),
    ]
    if found.added or found.gone or found.about:
        lines = [f"{n}: added" for n in found.added] + [f"{n}: gone" for n in found.gone]
        blocks.append(Lines([*lines, *found.about], points=True))
    blocks.append(Table(COLUMNS, [row_of(c) for c in found.changed], (44, 26, 28, 28, 30, 30, 60)))
    for c in found.changed:
        if c.pictures is not None:
            pair = [
                Picture(c.pictures[0], f"{c.shot}: {found.a}"),
                Picture(c.pictures[1], f"{c.shot}: {found.b}"),
            ]
            blocks.append(Pictures(pair))
    write_paper(path, Paper("What changed", blocks), "a comparison", force)


def _number(value: float, digits: int, unit: str) -> str:
    """With its sign, but never a minus before nothing."""
    return minus(f"{value:+z.{digits}f} {unit}")


COLUMNS = ("shot", "exposure", "warmth", "tint", "saturation", "check frame", "what")


def row_of(c: Changed) -> list[str]:
    """One changed shot in words, in the order of COLUMNS."""
    return [
        c.shot,
        _number(c.stops, 2, "st"),
        _number(c.mired, 1, "mired"),
        _number(c.duv, 1, "10⁻³ Duv"),
        _number(100 * (c.saturation - 1), 1, "%"),
        "-" if c.off is None else f"{c.off:.2f} dE00",
        ", ".join(c.what),
    ]
