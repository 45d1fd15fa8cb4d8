"""A production while it is matched: its shots, readings, grades, and what each shot is compared with."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.colour.grade import Grade as Correction
from aquin.colour.white import STOPS_A_MIRED
from aquin.errors import AquinError
from aquin.match.drift import from_parts
from aquin.match.engine import Source
from aquin.measure.ledger import Evidence
from aquin.production.charting import linear_of, mark_of, take_of
from aquin.production.grading import correction_of
from aquin.production.heroes import Moment, hero_of, main_hero, moment_of
from aquin.production.match_work import (
    ChartJob,
    Ref,
    SeeJob,
    source_of,
)
from aquin.production.measuring import reads
from aquin.production.media import content_there, file_of
from aquin.production.raw import decode_of
from aquin.production.records import Grade, Setup, Shot
from aquin.production.setups import kelvin

if TYPE_CHECKING:
    from aquin.charts.take import Take
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Production


VERSION = 4
"""Goes up when a reading, a match or a ledger means something else, so that old ones are not used."""

READS = 5
"""The same of a chart's reading alone."""

READING, SEEN, LOOK = "chart reading", "frames compared", "picture"

POINTS = 0.3
"""Sureness from which the same points speak for a single shot."""

ALIKE = ("exposure", "white setting", "baked picture", "encoding", "range")
"""Findings after which a shot says nothing about light and levels of its setup."""

FOLLOWED = "the light within the take"
"""Who says how a trim moves over time."""

CellKey = tuple[str, str]
"""A setup's id and a camera's."""


@dataclass
class Shoot:
    """A production while it is matched: how its shots are read, their grades as far as they are decided, and what was
    read.
    """

    production: Production
    config: ColourConfig
    readings: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    """By a chart take's key."""
    decided: dict[CellKey, Correction] = field(default_factory=dict)
    seen: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    """What frames compared say, by key."""
    light: dict[CellKey, np.ndarray] = field(default_factory=dict)
    """Log2 of the channels, (3,), by which a cell's chart was lit more than its hero's, where that was just found."""
    one_light: dict[CellKey, str] = field(default_factory=dict)
    """Cells whose card and whose hero's were just found to be one in one light, and which that was: "chart" or "grey
    card"."""
    aspect: dict[CellKey, np.ndarray] = field(default_factory=dict)
    """Log2 of the channels, (3,), by which a place looks otherwise from a cell's camera than from its hero's, where
    that was just found (see `production.aspect`)."""
    contradicted: dict[CellKey, np.ndarray] = field(default_factory=dict)
    """(3,) log2 of the channels by which things about such a card say more than the card, where no view explains it."""
    cards: Mapping[str, Mapping[str, Any]] | None = None
    """What was measured of grey cards, by shot, once it was asked for (`production.grey_cards`)."""
    scratch: str = ""
    """A folder for what is looked at several times while it is matched."""

    def __post_init__(self) -> None:
        self.how = reads(self.production)
        self.shots: dict[CellKey, list[Shot]] = {}  # exposure series speak for their camera, wherever filmed
        for shot in self.production.all(Shot):
            if shot.setup_id and shot.camera_id and shot.kind not in ("series", "reference"):
                self.shots.setdefault((shot.setup_id, shot.camera_id), []).append(shot)
        self.doubted = {
            id
            for data in self.production.findings()
            if data.get("kind") == "card light"
            for id in data.get("shots", ())
        }
        self.odd: dict[str, set[str]] = {}
        for data in self.production.findings():
            if data.get("kind") in ALIKE:
                for id in data.get("shots", ()):
                    self.odd.setdefault(id, set()).add(str(data["kind"]))
        self.baked = {id for id, kinds in self.odd.items() if "baked picture" in kinds}
        self._keys: dict[str, str] = {}
        self._jobs: dict[str, ChartJob | None] = {}
        self._pairs: dict[str, str] = {}
        grades = self.production.all(Grade)
        self.balances = {(g.setup_id, g.camera_id): g for g in grades if g.layer == "balance"}
        self.trims = {g.shot_id: g for g in grades if g.layer == "trim"}
        self.distrusted: set[CellKey] = set()
        self._by_us: set[str] = set()
        for place, held in self.balances.items():
            if held.on and held.values.get("elsewhere"):
                self.distrust(place)

    def grade_at(self, place: CellKey) -> Correction:
        """A camera's balance in a setup."""
        if place in self.decided:
            return self.decided[place]
        return correction_of(self.production, self.balances.get(place)) or Correction()

    def light_of(self, place: CellKey) -> np.ndarray:
        """Log2 of the channels by which a cell's chart was lit more than its hero's, as its balance has it. (3,)."""
        if place in self.light:
            return self.light[place]
        return self._kept_with(place, "light")

    def aspect_of(self, place: CellKey) -> np.ndarray:
        """Log2 of the channels by which a place looks otherwise from a cell's camera, as its balance has it. (3,)."""
        return self.aspect[place] if place in self.aspect else self._kept_with(place, "aspect")

    def _kept_with(self, place: CellKey, name: str) -> np.ndarray:
        """(3,) numbers that lie beside a balance's; zeros where there are none."""
        held = self.balances.get(place)
        try:
            value = np.array(held.values.get(name, (0, 0, 0)) if held is not None else (0, 0, 0), np.float64)
        except (TypeError, ValueError):
            return np.zeros(3)
        return value if value.shape == (3,) and np.isfinite(value).all() else np.zeros(3)

    def cast(self, place: CellKey, hero_camera: str) -> np.ndarray | None:
        """Log2 R/B and green of this camera's chart greys over the hero camera's in one setup, exposure apart.
        (2,).
        """
        a, b = self.reading((place[0], hero_camera)), self.reading(place)
        if a is None or b is None or a[1]["layout"] != b[1]["layout"]:
            return None
        from aquin.charts.layout import layout

        keep = (
            layout(str(a[1]["layout"])).neutral
            & np.array(a[1]["usable"], bool)
            & np.array(b[1]["usable"], bool)
        )
        if not keep.any():
            return None
        hero, shot = (np.maximum(np.array(r[1]["linear"], np.float64)[keep], 1e-6) for r in (a, b))
        return white_of(np.median(np.log2(shot / hero), axis=0))

    def settings(self, place: CellKey, hero_camera: str) -> tuple[np.ndarray, bool]:
        """What white settings alone make of R/B and green between the two cameras' charts, and whether both are
        known in kelvin. (2,).
        """
        found = [self.reading(p) for p in (place, (place[0], hero_camera))]
        shots = [
            f[0] if f is not None else next(iter(self.shots.get(p, ())), None)
            for f, p in zip(found, (place, (place[0], hero_camera)), strict=True)
        ]
        whites = [kelvin(s.white) if s is not None else "" for s in shots]
        if not all(w.isdigit() for w in whites):
            return np.zeros(2), False
        warm = -STOPS_A_MIRED * (1e6 / float(whites[0]) - 1e6 / float(whites[1]))
        return np.array([warm, 0.0]), True

    def elsewhere(
        self, place: CellKey, hero_camera: str
    ) -> tuple[tuple[Shot, Mapping[str, Any], str], tuple[Shot, Mapping[str, Any], str]] | None:
        """The two cameras' charts, hero's first, of another setup in which nothing speaks against them: the clearest
        ones.
        """
        found = []
        for setup, camera in self.shots:
            if camera != place[1] or setup == place[0] or self.doubtful((setup, camera), hero_camera):
                continue
            a, b = self.reading((setup, hero_camera)), self.reading((setup, camera))
            if a is not None and b is not None and a[1]["layout"] == b[1]["layout"]:
                found.append((min(a[1]["score"], b[1]["score"]), a, b))
        return max(found, key=lambda f: f[0])[1:] if found else None

    def usual_cast(self, place: CellKey, hero_camera: str) -> np.ndarray | None:
        """The same as `cast`, as other setups have it, with this setup's white settings. None where fewer than
        three setups tell. (2,).
        """
        if not self.settings(place, hero_camera)[1]:
            return None
        others = []
        for setup, camera in self.shots:
            if camera != place[1] or setup == place[0] or self.doubtful((setup, camera), hero_camera):
                continue
            found, (by_settings, known) = (
                self.cast((setup, camera), hero_camera),
                self.settings((setup, camera), hero_camera),
            )
            if found is not None and known:
                others.append(found - by_settings)
        if len(others) < 3:
            return None
        return np.asarray(np.median(others, axis=0) + self.settings(place, hero_camera)[0])

    def charts(self, place: CellKey) -> list[Shot]:
        """The 24-patch charts, the first one first; one that was in another light than its scene only where there is
        no other.
        """
        found = [
            s
            for s in self.shots.get(place, ())
            if s.kind == "chart" and s.target in ("24-patch", "") and not s.trouble
        ]
        return [s for s in found if s.id not in self.doubted] or found

    def doubtful(self, place: CellKey, hero_camera: str) -> bool:
        """Whether the audit found one of the two cells' charts to be in another light."""
        return any(s.id in self.doubted for p in (place, (place[0], hero_camera)) for s in self.charts(p))

    def distrust(self, place: CellKey) -> None:
        """Its charts were in another light than its hero's: those of another setup stand in."""
        self.distrusted.add(place)
        new = {s.id for s in self.charts(place)} - self.doubted
        self._by_us |= new
        self.doubted |= new

    def trust_again(self) -> None:
        """Before it is all decided anew: only what the audit found speaks against a chart."""
        for place in self.distrusted:
            self.doubted -= {s.id for s in self.shots.get(place, ())} & self._by_us
        self.distrusted.clear()

    def chart_job(self, shot: Shot) -> ChartJob | None:
        """None where the take can't be read now: no file, or no encoding."""
        if shot.id not in self._jobs:
            self._jobs[shot.id] = self._chart_job(shot)
        return self._jobs[shot.id]

    def _chart_job(self, shot: Shot) -> ChartJob | None:
        if not self.how[shot.id].known and not shot.floating:
            return None
        try:
            take = take_of(self.production, self.config, shot, how=self.how[shot.id])
        except AquinError:
            return None
        return ChartJob(self.chart_key(shot, take), take)

    def chart_key(self, shot: Shot, take: Take) -> str:
        if shot.id not in self._keys:
            said = [
                READS,
                content_there(self.production, shot),
                take.encoding,
                take.layout,
                take.matrix,
                take.range,
                dict(take.raw),
                self.config.meaning(take.encoding),
                mark_of(self.production, shot).__dict__,
            ]
            self._keys[shot.id] = hash_of(said)
        return self._keys[shot.id]

    def reading(self, place: CellKey) -> tuple[Shot, Mapping[str, Any], str] | None:
        """The best chart of a cell that was read, with its key."""
        best: tuple[Shot, Mapping[str, Any], str] | None = None
        for shot in self.charts(place):
            job = self.chart_job(shot)
            held = self.readings.get(job.key) if job is not None else None
            if job is not None and held and (best is None or held["score"] > best[1]["score"] + 0.02):
                best = shot, held, job.key
        return best

    def source(
        self, hero: CellKey, place: CellKey, light: np.ndarray | None = None, graded: bool = True
    ) -> tuple[Source, str] | None:
        """Chart pairs of two cells, the hero's as its own balance has them where `graded`, and a key that names them.
        `light`: log2 of the channels, (3,), by which its chart was lit more than the hero's; as is known where None.

        Where a chart was in another light than its scene, the two cameras' charts of another setup stand in: light
        alone can be taken off, what another spectrum makes of colours can't.
        """
        a, b = self.reading(hero), self.reading(place)
        if a is not None and b is not None and hero[0] == place[0] and self.doubtful(place, hero[1]):
            a, b = self.elsewhere(place, hero[1]) or (a, b)
        if a is None or b is None or a[1]["layout"] != b[1]["layout"]:
            return None
        from aquin.charts.layout import layout

        card = layout(str(a[1]["layout"]))
        keep = np.array(a[1]["usable"], bool) & np.array(b[1]["usable"], bool)
        if keep.sum() < 6:
            return None
        first = self.grade_at(hero) if graded else Correction()
        lit = np.array(a[1]["linear"], np.float64) * np.exp2(self.light_of(place) if light is None else light)
        target = np.asarray(first.linear(lit), np.float64)
        known = None if card.reflectances is None or first.beyond_cdl else card.reflectances[keep]
        evidence = Evidence(
            target[keep], np.array(b[1]["linear"], np.float64)[keep], card.neutral[keep], None, known
        )
        sure = float(min(a[1]["score"], b[1]["score"]) * keep.mean())
        return Source("chart", evidence, float(np.clip(sure, 0, 1))), f"{a[2]}/{b[2]}"

    def ref(self, shot: Shot, frame: int, grade: Correction | None = None) -> Ref | None:
        path = file_of(self.production, shot)
        how = self.how[shot.id]
        encoding = how.encoding if how.known else linear_of(self.config, shot) if shot.floating else ""
        if path is None or not encoding:
            return None
        raw = decode_of(self.production, shot)
        plain = shot.floating
        return Ref(
            path,
            encoding,
            "" if plain else how.range,
            "" if plain else how.matrix,
            frame,
            "{}" if raw is None else json.dumps(raw.values()),
            json.dumps((grade or Correction()).at(frame).values()),
        )

    def read_as(self, shot: Shot, ref: Ref) -> list[Any]:
        """What a frame of it means: content and how it is read."""
        content = content_there(self.production, shot)
        return [content, ref.encoding, ref.range, ref.matrix, ref.raw, self.config.meaning(ref.encoding)]

    def moment(self, shot: Shot) -> Moment | None:
        """What a shot is compared with: for the hero's own camera the hero, for others what the hero's camera
        recorded at that time.
        """
        hero = hero_of(self.production, self.production.find(Setup, shot.setup_id))
        if hero is None or shot.kind != "shot" or shot.trouble or shot.id == hero.id or hero.trouble:
            return None
        if shot.camera_id != hero.camera_id:
            own = self.shots.get((hero.setup_id, hero.camera_id), [])
            return moment_of(self.production, shot, hero, self.baked, own)
        return Moment(hero, hero.first + hero.frames // 2, shot.first + shot.frames // 2, False)

    def see_job(self, shot: Shot) -> SeeJob | None:
        """How a shot is compared with its hero, both as filmed; None for heroes and for what can't be read."""
        at = self.moment(shot)
        if at is None:
            return None
        a, b = self.ref(at.hero, at.hero_frame), self.ref(shot, at.shot_frame)
        if a is None or b is None:
            return None
        said = [VERSION, self.read_as(at.hero, a), at.hero_frame, self.read_as(shot, b), at.shot_frame]
        return SeeJob(hash_of(said), a, b, self.config_path, scratch=self.scratch)

    def pair_key(self, shot: Shot) -> str:
        """The key of that comparison; empty where there is none."""
        if shot.id not in self._pairs:
            job = self.see_job(shot)
            self._pairs[shot.id] = "" if job is None else job.key
        return self._pairs[shot.id]

    def odd_pair(self, shot: Shot) -> bool:
        """Whether a finding speaks against the shot's light, or against that of what it is compared with."""
        at = self.moment(shot)
        return bool(self.odd.get(shot.id)) or at is None or bool(self.odd.get(at.hero.id))

    def moved(self, shot: Shot) -> tuple[np.ndarray, float] | None:
        """(3,) log2 of the channels, shot over what it is compared with, by the same points under the cameras'
        balances; and its error in stops.
        """
        found = self.seen.get(self.pair_key(shot), {}).get("points")
        at = self.moment(shot)
        if found is None or at is None or float(found["sure"]) < POINTS:
            return None
        if "baked picture" in self.odd.get(at.hero.id, ()):
            return None
        source = source_of(found)
        hero = self.grade_at((at.hero.setup_id, at.hero.camera_id)).linear(source.evidence.hero)
        own = self.grade_at((shot.setup_id, shot.camera_id)).linear(source.evidence.shot)
        ratio = np.log2(np.maximum(own, 1e-6) / np.maximum(hero, 1e-6))
        return np.asarray(np.median(ratio, axis=0)), 0.02 if shot.camera_id == at.hero.camera_id else 0.1

    @property
    def config_path(self) -> str | None:
        return None if self.config.path is None else str(self.config.path)


def needed(shoot: Shoot, places: Sequence[CellKey]) -> list[Shot]:
    """Charts of the cells, of their heroes' cells and of the main heroes' cells."""
    out: dict[str, Shot] = {}
    for place in places:
        for p in {place, *targets_of(shoot, place)}:
            out |= {s.id: s for s in shoot.charts(p)}
    return list(out.values())


def targets_of(shoot: Shoot, place: CellKey) -> list[CellKey]:
    """The cell that this one is matched to: its setup's hero's, or for that one the main hero's."""
    setup = shoot.production.find(Setup, place[0])
    hero = hero_of(shoot.production, setup)
    if setup is None or hero is None:
        return []
    if hero.camera_id != place[1]:
        return [(setup.id, hero.camera_id)]
    main = main_hero(shoot.production, setup)
    return [] if main is None else [(main.setup_id, main.camera_id)]


def is_hero(production: Production, setup: Setup, camera_id: str) -> bool:
    hero = hero_of(production, setup)
    return hero is not None and hero.camera_id == camera_id


def white_of(log2: np.ndarray) -> np.ndarray:
    """Log2 of the channels to log2 R/B and green. (3,) to (2,)."""
    return np.array([log2[0] - log2[2], log2[1] - (log2[0] + log2[2]) / 2])


def lit(stops: float, white: np.ndarray) -> np.ndarray:
    """(3,) log2 of the channels from stops of luminance, log2 R/B and green."""
    return np.asarray(from_parts(np.array([[stops, white[0], white[1]]]))[0])


def shot_grade(shoot: Shoot, shot: Shot) -> Correction:
    """What a shot is graded with."""
    own = shoot.trims.get(shot.id)
    found = correction_of(shoot.production, own) if own is not None and own.on else None
    return found if found is not None else shoot.grade_at((shot.setup_id, shot.camera_id))


def frame_of(shoot: Shoot, shot: Shot) -> int:
    """The frame at which a shot's grade is solved: that which is compared with its hero's, else the middle."""
    at = shoot.moment(shot)
    return shot.first + shot.frames // 2 if at is None else at.shot_frame


def pair_grades(shoot: Shoot, shot: Shot, at: Moment) -> tuple[Correction, Correction]:
    """What a shot's hero and the shot are graded with at the frames that are compared."""
    return shot_grade(shoot, at.hero).at(at.hero_frame), shot_grade(shoot, shot).at(at.shot_frame)


def hash_of(said: Any) -> str:
    return hashlib.blake2b(json.dumps(said, default=str).encode(), digest_size=16).hexdigest()
