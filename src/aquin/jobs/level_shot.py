"""Level a production's shot: its picture against the production's targets, through a screen's view."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.colour import acescct
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.match.levelling import Levelled, level
from aquin.measure.clipping import clip_levels
from aquin.measure.levels import Picture
from aquin.measure.neutrals import Neutrals, named, zone_of
from aquin.measure.skin import find_skin
from aquin.measure.targets import SCHOOLS, Targets
from aquin.production import Shot
from aquin.production.grading import held_grade
from aquin.production.heroes import hero_of
from aquin.production.ledgers import known_charts
from aquin.production.levels import TIED, base_of, beside_other, keep_level, targets_in, tied_to
from aquin.production.match_work import side_of
from aquin.production.records import Setup
from aquin.production.settings import deliverables_of
from aquin.production.shoot import Shoot

if TYPE_CHECKING:
    from aquin.arrays import Float32
    from aquin.colour.config import ColourConfig
    from aquin.production import Production
    from aquin.workers import Tell

At = tuple[float, float]
"""A place in a picture, as shares of its width and height."""

CLICKED, BY_CHART = (2.0, 0.8), (6.0, 2.0)
"""Standard errors in mired and 10^-3 Duv of a neutral that a person clicked (common practice), and of a card that was
held into its setup's light.
"""


@dataclass(frozen=True)
class Standing:
    """A shot against its targets: what was found, the targets that counted, and the grade that it was found under.
    `other`: of a hero that is tied to another one, that one's values by row.
    """

    levelled: Levelled
    targets: Targets
    before: Grade
    other: Mapping[str, float] = field(default_factory=dict)

    @property
    def apart(self) -> dict[str, float]:
        """By row, how far it is from the hero that it is tied to, as it is now."""
        return apart_from(self.other, {r.name: r.after for r in self.levelled.rows})


def apart_from(other: Mapping[str, float], own: Mapping[str, float]) -> dict[str, float]:
    """By row, by how much a hero differs from the one that it is tied to, of what ties bring together."""
    return {n: own[n] - other[n] for n in (*TIED, "saturation") if n in own and n in other}


def picture_of(
    linear: Float32,
    signal: Float32,
    view: Callable[[Any], Any],
    base: Grade,
    neutral: At | None = None,
    chart: Neutrals | None = None,
    mask: np.ndarray | None = None,
) -> Picture:
    """A picture to be levelled from what was read of it. `signal`: as recorded, `linear`: scene-linear, (h, w, 3) both.
    `neutral`: a place that a person says is neutral, beside what a `chart` says.
    """
    low, top = clip_levels(signal)
    usable = np.asarray(((signal < top) & (signal > low)).all(axis=-1))
    floored = float(100 * (signal[::2, ::2] <= low).all(axis=-1).mean())
    skin = find_skin(linear, view) if mask is None else mask
    said = chart if neutral is None else _pointed(linear, base, neutral, chart)
    return Picture(linear, view, skin, usable, floored, said, base)


def _pointed(linear: Float32, base: Grade, neutral: At, chart: Neutrals | None) -> Neutrals:
    """What a person pointed at: it speaks for the zone that it lies in, and for the middle where no chart does."""
    samples, step = around(linear, neutral), max(linear.shape[1] // 240, 1)
    few = np.asarray(base.linear(linear[::step, ::step]), np.float32)
    zone = zone_of(few, np.asarray(base.linear(samples), np.float64))
    found = named(samples, "a named neutral", CLICKED)
    if zone == "middle":
        return found
    held = chart or found
    return Neutrals(found.by, {**held.samples, zone: samples}, {**held.doubt, zone: CLICKED})


def around(linear: Float32, at: At) -> np.ndarray:
    """(n, 3) the pixels about a place. Raises AquinError where they are no light."""
    h, w = linear.shape[:2]
    x, y, r = round(at[0] * (w - 1)), round(at[1] * (h - 1)), max(round(w / 200), 1)
    found = linear[max(y - r, 0) : y + r + 1, max(x - r, 0) : x + r + 1].reshape(-1, 3)
    if not 0 <= at[0] <= 1 or not 0 <= at[1] <= 1 or float(np.median(found, axis=0).min()) <= 1e-4:
        raise AquinError("there is no light at that place", None, "Choose something neutral that is lit")
    return np.asarray(found, np.float64)


def chart_neutrals(shoot: Shoot, shot: Shot) -> Neutrals | None:
    """What the chart of the shot's camera in its setup says is neutral; None where none was read or it is in doubt."""
    from aquin.charts.layout import layout

    place = (shot.setup_id, shot.camera_id)
    found = shoot.reading(place)
    if found is None or found[0].id in shoot.doubted:
        return None
    keep = layout(str(found[1]["layout"])).neutral & np.array(found[1]["usable"], bool)
    linear = np.array(found[1]["linear"], np.float64)[keep]
    return named(linear, f"the chart {found[0].name}", BY_CHART) if len(linear) else None


def exact_view(config: ColourConfig, display: str, view: str) -> Callable[[Any], Any]:
    """ACEScct to a display's signal, without a table between."""
    shown = config.view(display, view)
    return lambda log: shown(acescct.decode(np.asarray(log, np.float32)))


def stand(
    production: Production,
    config: ColourConfig,
    shot: Shot,
    targets: Targets | None = None,
    settle: bool = False,
    neutral: At | None = None,
    screen: tuple[str, str] | None = None,
) -> Standing:
    """Where a shot stands against targets (the production's), and with `settle`, brought there; nothing is kept.
    `screen`: a display and its view; else the first deliverable's. Raises AquinError.
    """
    shoot = Shoot(production, config)
    known_charts(shoot)
    first = deliverables_of(production, config)[0]
    view = exact_view(config, *(screen or (first.display, first.view)))
    targets = targets or targets_in(production)
    picture, grade = _read(shoot, shot, view, neutral)
    other = values_of_other(production, config, shot, view)
    if other:
        targets = beside_other(targets, picture.values(grade), other)
    return Standing(level(picture, grade, targets, settle), targets, grade, other)


def values_of_other(
    production: Production | None, config: ColourConfig, shot: Shot | None, view: Callable[[Any], Any]
) -> dict[str, float]:
    """What the hero looks like that a hero is tied to, by row; empty where it is tied to none. Raises AquinError."""
    other = None if production is None or shot is None else tied_to(production, shot)
    if production is None or other is None:
        return {}
    theirs, held = _read(Shoot(production, config), other, view, None)
    return dict(theirs.values(held))


def balanced(
    production: Production | None, config: ColourConfig, shot: Shot | None
) -> tuple[Grade, Neutrals | None]:
    """How the shot's camera was balanced in its setup, and what its chart there says is neutral."""
    if production is None or shot is None:
        return Grade(), None
    shoot = Shoot(production, config)
    known_charts(shoot)
    base = base_of(shoot.balances.get((shot.setup_id, shot.camera_id)))
    return Grade(base), chart_neutrals(shoot, shot)


def _read(shoot: Shoot, shot: Shot, view: Callable[[Any], Any], neutral: At | None) -> tuple[Picture, Grade]:
    frame = shot.first + shot.frames // 2
    ref = shoot.ref(shot, frame)
    if ref is None:
        raise AquinError(
            f"{shot.name} can't be read",
            shoot.production.place,
            "See that its file and its encoding are there",
        )
    side = side_of(ref, shoot.config_path)
    base = Grade(base_of(shoot.balances.get((shot.setup_id, shot.camera_id))))
    chart = chart_neutrals(shoot, shot)
    grade = (held_grade(shoot.production, shot) or Grade()).at(frame)
    return picture_of(side.linear, side.signal, view, base, neutral, chart), grade


def keep_standing(production: Production, config: ColourConfig, shot: Shot, standing: Standing) -> list[str]:
    """Keep what settling made of a shot, with all that is matched to it; gives what went along. Raises AquinError."""
    held = held_grade(production, shot) or Grade()
    frame = shot.first + shot.frames // 2
    grade = held.as_at(frame, standing.levelled.grade)
    origin = f"levelled ({SCHOOLS[standing.targets.school]})"
    return keep_level(production, config, shot, grade, origin)[1]


def level_heroes(
    production: Production,
    config: ColourConfig,
    heroes: Sequence[Shot],
    screen: tuple[str, str] | None = None,
    tell: Tell | None = None,
) -> list[str]:
    """Level heroes one after the other and keep it, each as a step of its own; what became of each, in words. One that
    can't be read does not stop the others.
    """
    out = []
    for k, hero in enumerate(heroes):
        if tell is not None:
            tell(k / len(heroes), hero.name)
        try:
            found = stand(production, config, hero, None, True, None, screen)
        except AquinError as error:
            out.append(error.line())
            continue
        off = [r.name for r in found.levelled.rows if not r.within(found.targets)]
        if found.levelled.grade != found.before:
            keep_standing(production, config, hero, found)
        out.append(f"{hero.name}: " + (f"level but for {', '.join(off)}" if off else "level"))
    return out


def level_data(production: Production, shot: Shot, standing: Standing, went: list[str]) -> dict[str, Any]:
    """What `aquin level --json` says."""
    found, targets = standing.levelled, standing.targets
    setup = production.find(Setup, shot.setup_id)
    hero, other = hero_of(production, setup), tied_to(production, shot)
    return {
        "shot": shot.name,
        "hero": hero is not None and hero.id == shot.id,
        "school": targets.school,
        "neutral_by": found.by,
        "rows": [
            {
                "axis": r.name,
                "unit": targets.axis(r.name).unit,
                "target": list(targets.ranges[r.name]),
                "before": r.before,
                "after": r.after,
                "within": r.within(targets),
                "doubt": r.doubt or None,
                "why": r.why,
            }
            for r in found.rows
        ],
        "clipped_before": found.clipped[0],
        "clipped_after": found.clipped[1],
        "newly_clipped": found.newly_clipped,
        "warnings": list(found.warnings),
        "went_along": went,
        "tied_to": other.name if other is not None else None,
        "apart_from_tied": {n: round(v, 2) for n, v in standing.apart.items()},
        "grade": found.grade.values(),
    }
