"""What speaks for a camera's balance in a setup: charts say its shape; how bright and white, all witnesses do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float64
from aquin.colour.primaries import AP1_LUMA
from aquin.colour.white import STOPS_A_MIRED
from aquin.match.engine import LEAST, Source
from aquin.match.level import BRIGHT, TOGETHER, WHITE, Witness, one_light, weighed
from aquin.production import setups
from aquin.production.grey_cards import one_card
from aquin.production.match_work import joined, source_of
from aquin.production.shoot import lit, white_of

if TYPE_CHECKING:
    from aquin.measure.ledger import Evidence
    from aquin.production.shoot import CellKey, Shoot

WITNESS = 0.35
"""Sureness from which the same points speak for a camera."""


@dataclass(frozen=True)
class Weighed:
    """What speaks for a cell's balance, a note on how bright it is taken to be, and log2 of the channels, (3,), by
    which its chart was lit more than its hero's.
    """

    sources: tuple[Source, ...] = ()
    note: str = ""
    light: np.ndarray = field(default_factory=lambda: np.zeros(3))


def evidence_of(shoot: Shoot, place: CellKey, target: CellKey, own_hero: bool, exposure: str) -> Weighed:
    """What speaks for a cell's balance. Charts say what colour; how bright, `match.level` weighs."""
    chart = shoot.source(target, place, np.zeros(3))
    if own_hero:
        if chart is None:
            return Weighed((), "no chart speaks for its light: it stays as it was filmed")
        return _lit(shoot, place, target, np.full(3, brighter(chart[0].evidence)), "")
    frames = [
        shoot.seen[key]
        for shot in shoot.shots[place]
        if not shoot.odd_pair(shot) and (key := shoot.pair_key(shot)) in shoot.seen
    ]
    points = [
        source_of(f["points"]) for f in frames if f["points"] is not None and f["points"]["sure"] >= WITNESS
    ]
    if chart is None:
        first = shoot.grade_at(target)
        for sources in (points, [source_of(f["statistics"]) for f in frames if f["statistics"] is not None]):
            if sources:
                one = joined(sources)
                hero = np.asarray(first.linear(one.evidence.hero), np.float64)
                if one.by == "statistics":  # weak evidence does little
                    hero = _drawn(hero, one.evidence.shot, one.sureness)
                one = replace(one, evidence=replace(one.evidence, hero=hero))
                return Weighed((one,) if one.sureness >= LEAST else ())
        return Weighed()
    if exposure == "chart":
        return Weighed((chart[0],), "as bright and as warm as the charts")
    # all other witnesses speak of what was recorded, whatever the hero's balance is
    seen = shoot.source(target, place, np.zeros(3), graded=False)
    assert seen is not None
    bright, white = _witnesses(shoot, place, target, seen[0], frames, points, exposure == "weighed")
    if exposure == "weighed":
        bright, white = _with_one_card(shoot, place, target, seen[0], bright, white)
        if _in_other_light(shoot, place, target, white):
            shoot.distrust(place)
            return evidence_of(shoot, place, target, own_hero, exposure)
    level, cast = weighed(bright, BRIGHT), weighed(white, WHITE)
    # the shot is that much brighter and warmer than its hero, its chart more so: the rest is the light on the chart
    lit_more = brighter(seen[0].evidence) - float(level.value[0])
    greys = seen[0].evidence.part(seen[0].evidence.neutral)
    other = (white_of(ratio_of(greys)) if len(greys.hero) else np.zeros(2)) - cast.value
    note = (
        f"brightness by {BY[level.by]}, \u00b1{level.error:.2f} st, white by {BY[cast.by]}, "
        f"\u00b1{cast.error / STOPS_A_MIRED:.0f} mired (its chart was lit {lit_more:+z.2f} st and "
        f"{other[0] / STOPS_A_MIRED:+z.0f} mired from the hero's)"
    )
    return _lit(shoot, place, target, lit(lit_more, other), note.replace("-", "\u2212"))


def _drawn(hero: Float64, shot: Float64, share: float) -> Float64:
    """(n, 3) what the hero's colours would be if only a share of the change from the shot's were true."""
    a, b = np.log2(np.maximum(shot, 1e-6)), np.log2(np.maximum(hero, 1e-6))
    return np.asarray(np.exp2(a + share * (b - a)), np.float64)


def _lit(shoot: Shoot, place: CellKey, target: CellKey, light: np.ndarray, note: str) -> Weighed:
    chart = shoot.source(target, place, light)
    return Weighed((chart[0],) if chart is not None else (), note, light)


def _witnesses(
    shoot: Shoot,
    place: CellKey,
    target: CellKey,
    chart: Source,
    frames: Sequence[Mapping[str, Any]],
    points: Sequence[Source],
    weighed_all: bool,
) -> tuple[list[Witness], list[Witness]]:
    """What speaks for how bright and how white a camera is beside its hero; or only what the crew set."""
    bright = [Witness("crew", 0.0)]
    own_cast = shoot.cast(place, target[1])
    by_settings, known = shoot.settings(place, target[1])
    white = [Witness("crew" if known else "auto", as_pair(by_settings))]
    if weighed_all:
        if not shoot.doubtful(place, target[1]):
            bright.append(Witness("chart", brighter(chart.evidence)))
        bright += [Witness("points", brighter(s.evidence), s.sureness) for s in points]
        levels = [float(np.mean(f["levels"])) for f in frames if not f["points"]]
        if levels:
            bright.append(Witness("statistics", float(np.median(levels))))
        if own_cast is not None:
            sure = known and not shoot.doubtful(place, target[1])
            white.append(Witness("chart" if sure else "chart in doubt", as_pair(own_cast)))
        if (usual := shoot.usual_cast(place, target[1])) is not None:
            white.append(Witness("usual", as_pair(usual)))
        white += [Witness("points", as_pair(white_of(ratio_of(s.evidence))), s.sureness) for s in points]
        sums = [source_of(f["statistics"]) for f in frames if not f["points"] and f["statistics"] is not None]
        if sums:
            casts = np.median([white_of(ratio_of(s.evidence)) for s in sums], axis=0)
            white.append(Witness("statistics", as_pair(casts)))
    return bright, white


def _with_one_card(
    shoot: Shoot,
    place: CellKey,
    target: CellKey,
    chart: Source,
    bright: list[Witness],
    white: list[Witness],
) -> tuple[list[Witness], list[Witness]]:
    """Charts and grey cards believed as one card in one light, where the clock and all other witnesses bear it out."""
    others = [w for w in bright if w.kind != "chart"], [w for w in white if not w.kind.startswith("chart")]
    level, cast = weighed(others[0], BRIGHT), weighed(others[1], WHITE)
    cards: list[tuple[str, float, np.ndarray, bool]] = []
    own = shoot.cast(place, target[1])
    charted = own is not None and not shoot.doubtful(place, target[1])
    if own is not None and charted and any(w.kind == "chart" for w in bright):
        cards.append(("chart", brighter(chart.evidence), own, at_once(shoot, place, target)))
    if (grey := one_card(shoot, target, place)) is not None:
        stops = float(np.log2((grey[1].linear @ AP1_LUMA) / (grey[0].linear @ AP1_LUMA)))
        cards.append(("grey card", stops, white_of(np.log2(grey[1].linear / grey[0].linear)), True))
    found = []
    for kind, stops, said, clock in cards:
        apart = (stops - float(level.value[0]), *(float(v) for v in said - cast.value))
        sure = one_light(apart, (level.error, cast.error, cast.error), clock)
        if sure >= 0.5:
            found.append((kind, stops, said, sure))
    if not found:
        return bright, white
    shoot.one_light[place] = found[0][0]
    return (
        [*others[0], *(Witness("one card", stops, sure) for _, stops, _, sure in found)],
        [*others[1], *(Witness("one card", as_pair(said), sure) for *_, said, sure in found)],
    )


def light_apart(shoot: Shoot, place: CellKey, target: CellKey, light: np.ndarray) -> float:
    """Mired by which the light on a cell's chart was not that on its hero's. `light`: (3,) log2 of the channels by
    which it was lit more. Where charts of another setup stand in, what white was set to there and here is no light.
    """
    warm = float(light[0] - light[2])
    if shoot.doubtful(place, target[1]) and (other := shoot.elsewhere(place, target[1])) is not None:
        there = other[1][0].setup_id, place[1]
        here, known = shoot.settings(place, target[1])
        set_there, known_there = shoot.settings(there, target[1])
        if known and known_there:
            warm += float(here[0] - set_there[0])
    return warm / STOPS_A_MIRED


OTHER_LIGHT = 2.5
"""Standard errors by which a card that was filmed at once says another white than all else does, from which it was not
the same card in the same light.
"""


def _in_other_light(shoot: Shoot, place: CellKey, target: CellKey, white: Sequence[Witness]) -> bool:
    """Whether the camera's chart was in another light than the hero's although both were filmed at once: then what it
    says of colours is of another spectrum.
    """
    own = shoot.cast(place, target[1])
    if own is None or shoot.one_light.get(place) == "chart" or shoot.doubtful(place, target[1]):
        return False
    if not at_once(shoot, place, target):
        return False
    others = weighed([w for w in white if not w.kind.startswith("chart")], WHITE)
    off = abs(float(own[0] - others.value[0]))
    return off > OTHER_LIGHT * float(np.hypot(TOGETHER[1], others.error))


def at_once(shoot: Shoot, place: CellKey, target: CellKey) -> bool:
    """Whether both cameras' charts were filmed at one time."""
    one, other = shoot.reading(place), shoot.reading(target)
    return one is not None and other is not None and setups.at_once(one[0], other[0])


BY = {
    "one card": "one card before both cameras",
    "points": "the same points",
    "crew": "the cameras' settings",
    "auto": "the cameras' settings",
    "usual": "other setups",
    "statistics": "statistics",
    "chart": "the charts",
    "chart in doubt": "the charts",
}


def as_pair(values: np.ndarray) -> tuple[float, float]:
    """(2,) as a pair of plain numbers."""
    return float(values[0]), float(values[1])


def ratio_of(evidence: Evidence) -> np.ndarray:
    """(3,) log2 of the channels, shot over hero, on the median of the pairs."""
    return np.asarray(
        np.median(np.log2(np.maximum(evidence.shot, 1e-6) / np.maximum(evidence.hero, 1e-6)), axis=0)
    )


def brighter(evidence: Evidence) -> float:
    """Stops of luminance of the shot over the hero, on the median of the pairs."""
    shot, hero = (np.maximum(c @ AP1_LUMA, 1e-6) for c in (evidence.shot, evidence.hero))
    return float(np.median(np.log2(shot / hero)))
