"""An encoding for a camera that has none: measured from its exposure series, the nearest known one by its charts, or a
display's by what its files look like; with the reason kept, and whether it is in doubt.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float64
from aquin.charts.identify import Candidate, nearest_encodings
from aquin.charts.layout import layout
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError
from aquin.measure.survey import AT, Survey
from aquin.production.charting import keep_profile, profile_of, read_series, series_of
from aquin.production.measuring import measure_shots
from aquin.production.records import Camera, Option, Shot
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.workers import part

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Entry, Production
    from aquin.workers import Tell

LOOSE = 0.15
"""Stops rms from which a measured curve is no encoding: the camera set its exposure by itself meanwhile."""
SHARES = (5.0, 25.0, 50.0, 75.0, 95.0)
"""Percentiles of a picture's light that two cameras' tones are compared at."""
WIDER = 0.02
"""What the same curve with wider primaries costs: without evidence the smaller gamut is the more careful guess."""


class By(StrEnum):
    """What an encoding that nobody chose was taken from."""

    SERIES = "its exposure series"
    CHARTS = "its charts"
    LOOK = "what its files look like"


@dataclass(frozen=True)
class StandIn:
    """What a camera is read as until a person chooses. `doubtful`: whether it is no more than a guess."""

    camera: str
    encoding: str
    by: By
    why: str
    doubtful: bool

    @property
    def line(self) -> str:
        words = f"{self.camera} had no encoding: read as {self.encoding} by {self.by}, {self.why}"
        return words.replace("-", "−") + (", in doubt" if self.doubtful else "")


def stand_in_of(production: Production, camera: Camera) -> StandIn | None:
    """What stands in for a camera's encoding now; None where a person chose it since."""
    held = production.option(f"stand-in:{camera.id}")
    if not isinstance(held, Mapping) or held.get("encoding") != camera.encoding or not camera.encoding:
        return None
    try:
        by = By(str(held.get("by")))
    except ValueError:
        return None
    return StandIn(camera.name, camera.encoding, by, camera.encoding_note, bool(held.get("doubtful")))


def encode(
    production: Production,
    cameras: Sequence[Camera],
    jobs: int | None = None,
    tell: Tell | None = None,
) -> list[StandIn]:
    """Give each camera without an encoding the best one that there is evidence for. The production's configuration may
    be another one afterwards. Cameras that nothing was filmed with are left alone. Raises AquinError.
    """
    out = []
    for k, camera in enumerate(cameras):
        config = config_of(production)
        share = part(tell, k / len(cameras), (k + 1) / len(cameras))
        found = (
            _measured(production, config, camera, jobs, share)
            or _by_charts(production, config, camera, jobs, share)
            or _by_look(production, config, camera, jobs, share)
        )
        if found is not None:
            out.append(found)
    return out


def _measured(
    production: Production, config: ColourConfig, camera: Camera, jobs: int | None, tell: Tell | None
) -> StandIn | None:
    """By the camera's exposure series; None where there is none, or where it tells no curve."""
    if len(series_of(production, camera)) < 3:
        return None
    try:
        made = profile_of(read_series(production, config, camera, jobs, tell))
    except AquinError:
        return None
    if made.curve.rms_stops > LOOSE:
        return None
    name = _free(config, f"{camera.name} measured")
    keep_profile(production, config, camera, made, name)
    return _kept(production, production.get(Camera, camera.id), By.SERIES, False)


def _free(config: ColourConfig, name: str) -> str:
    """A name that the configuration does not know yet."""
    known = {e.name for e in config.encodings()}
    return next(n for n in (name, *(f"{name} {k}" for k in range(2, 1000))) if n not in known)


def _by_charts(
    production: Production, config: ColourConfig, camera: Camera, jobs: int | None, tell: Tell | None
) -> StandIn | None:
    try:
        best = nearest_for(production, config, camera, jobs, tell)[0]
    except AquinError:
        return None
    take_stand_in(production, camera, best)
    return stand_in_of(production, production.get(Camera, camera.id))


def _by_look(
    production: Production, config: ColourConfig, camera: Camera, jobs: int | None, tell: Tell | None
) -> StandIn | None:
    """A display's curve that gives the camera's shots the tones that the heroes' camera saw at those moments."""
    own = [s for s in production.all(Shot) if s.camera_id == camera.id and not s.trouble and not s.floating]
    if not own:
        return None
    kinds = [e for e in config.encodings() if e.kind == "sdr-video"]
    kinds = kinds or [e for e in config.encodings() if "video" in e.kind]
    if not kinds:
        return None
    pairs = _tones(production, config, own, jobs, tell)
    found = {e.name: _curve(config, e.name) for e in kinds}
    if pairs:
        costs = {n: _unlike(config, n, pairs) + WIDER * wide for n, (_, wide) in found.items()}
        words = f"tones as {len(pairs)} shots of other cameras beside it"
    else:
        middle = float(np.median([steep for steep, _ in found.values()]))
        costs = {n: abs(steep - middle) + WIDER * wide for n, (steep, wide) in found.items()}
        words = "a middling display curve; no shot of another camera was filmed beside it"
    best = min(costs, key=lambda n: (costs[n], n))
    puts = replace(camera, encoding=best, encoding_note=f"guessed by {words}")
    return _kept(production, puts, By.LOOK, True)


def _tones(
    production: Production, config: ColourConfig, shots: Sequence[Shot], jobs: int | None, tell: Tell | None
) -> list[tuple[Float64, Float64]]:
    """Of each shot that was filmed beside a hero camera's: its luma, 0 to 1, and the other's stops, at `SHARES`.
    (5,) each.
    """
    shoot = Shoot(production, config)
    moments = [(s, at.hero) for s in shots if (at := shoot.moment(s)) is not None and at.same_time]
    wanted = {s.id: s for pair in moments for s in pair}
    measured = measure_shots(production, config, list(wanted.values()), jobs, tell)
    surveys = {id: Survey.of(v["survey"]) for id, v in measured.items() if v.get("survey")}
    places = [AT[s] for s in SHARES]
    return [
        (np.array(surveys[s.id].luma)[places], np.array(surveys[hero.id].stops)[places])
        for s, hero in moments
        if s.id in surveys and hero.id in surveys and shoot.how[hero.id].known
    ]


def _curve(config: ColourConfig, name: str) -> tuple[float, float]:
    """How steep the curve is in the middle, in stops of light per tenth of the signal; and how wide its primaries
    are.
    """
    to_linear = config.to_linear(name)
    greys = np.array([[0.45] * 3, [0.55] * 3], np.float32)
    light = np.asarray(to_linear(greys), np.float64) @ AP1_LUMA
    red = np.asarray(to_linear(np.array([[0.8, 0.3, 0.3]], np.float32)), np.float64)[0]
    return float(np.log2(light[1] / light[0])), float(np.log2(max(red[0], 1e-6) / max(red[2], 1e-6)))


def _unlike(config: ColourConfig, name: str, pairs: Sequence[tuple[Float64, Float64]]) -> float:
    """By how many stops the tones of one camera and of another differ in the middle, exposure apart."""
    to_linear = config.to_linear(name)
    off = []
    for luma, stops in pairs:
        light = (
            np.asarray(to_linear(np.repeat(luma[:, None], 3, 1).astype(np.float32)), np.float64) @ AP1_LUMA
        )
        own = np.log2(np.maximum(light, 2.0**-10) / 0.18)
        off.append(float(np.std((own - own.mean()) - (stops - stops.mean()))))
    return float(np.median(off))


def _kept(production: Production, camera: Camera, by: By, doubtful: bool) -> StandIn | None:
    """Write a camera's encoding with what it was taken from."""
    mark = Option(
        {"encoding": camera.encoding, "by": by.value, "doubtful": doubtful}, id=f"stand-in:{camera.id}"
    )
    why = camera.encoding_note
    production.change(f"{camera.name} is read as {camera.encoding} by {by}", camera, mark, why=why)
    return stand_in_of(production, camera)


def nearest_for(
    production: Production,
    config: ColourConfig,
    camera: Camera,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> list[Candidate]:
    """Known encodings by how well they explain the camera's best chart, the nearest first. Raises AquinError without
    a chart.
    """
    charts = [s for s in production.all(Shot) if s.camera_id == camera.id and s.kind == "chart"]
    measured: Mapping[str, Mapping[str, Any]] = measure_shots(production, config, charts, jobs, tell)
    card = layout()
    best: list[Candidate] = []
    for shot in charts:
        chart = measured.get(shot.id, {}).get("chart")
        if not chart:
            continue
        signal = np.array(chart["signal"], np.float64)
        usable = (np.array(chart["clipped"]) < 0.01) & np.isfinite(signal).all(axis=1)
        try:
            found = nearest_encodings(config, signal, usable, card)
        except AquinError:
            continue
        if found and (not best or found[0].score < best[0].score):
            best = found
    if not best:
        raise AquinError(
            f"no chart of {camera.name} can be read",
            None,
            "Film a 24-patch chart with it, or choose an encoding by eye",
        )
    return best


def take_stand_in(production: Production, camera: Camera, candidate: Candidate) -> Entry | None:
    """Use an encoding in place of the camera's unknown one, and note why."""
    why = (
        f"nearest known by its chart: grey steps within {candidate.rms_stops:.2f} stop, "
        f"colours within dE00 {candidate.delta_e00:.1f}"
    )
    new = replace(camera, encoding=candidate.encoding, encoding_note=why)
    mark = Option(
        {"encoding": new.encoding, "by": By.CHARTS.value, "doubtful": not candidate.fits},
        id=f"stand-in:{camera.id}",
    )
    return production.change(f"stand-in encoding for {camera.name}", new, mark, why=why)
