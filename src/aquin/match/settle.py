"""Settle one axis of the ledger: move the one part of the grade that this axis belongs to, and nothing else."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from aquin.charts.solve import solve
from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.grade import MOST_SOFT, Balance, Grade
from aquin.colour.hue_warp import MOST_TURN, HueWarp, Six
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.errors import AquinError
from aquin.measure.ledger import AXES, REPORTED, Evidence, difference_of, values

Measure = Callable[[Grade], Mapping[str, float]]
"""A grade to the shot picture's values by axis (`measure.looks.Facts.values`)."""

LIFTED = {"black floor": 0, "skin level": 2, "white ceiling": 4}
"""Which tone of the curve an axis moves."""


def settle(
    evidence: Evidence | None,
    grade: Grade,
    axis: str,
    picture: Measure | None = None,
    hero: Mapping[str, float] | None = None,
) -> Grade:
    """The grade with this axis brought to its hero.

    exposure moves the balance's stops; warmth and tint its gains; contrast the trim's slope about 18 % grey; their
    shadow twins its offsets about grey; saturation the trim's saturation; black floor, skin level and white ceiling
    one tone of the curve each; skin hue the warp at red and yellow; sharpness the softness, which can only take
    away; colour takes the whole CDL solution. `picture` and `hero`, the hero picture's values, are needed for axes
    that are measured on pictures. What can't be settled is left as it is, and a step that would leave the evidence's
    colours further from the hero's is made shorter, or not at all. Raises ValueError for an unknown axis.
    """
    made = _settled(evidence, grade, axis, picture, hero)
    return made if evidence is None or axis == "colour" else _no_worse(evidence, grade, made)


def _no_worse(evidence: Evidence, grade: Grade, made: Grade) -> Grade:
    """As much of a step as does not increase the mean CIEDE2000 of the evidence."""
    if made == grade:
        return grade
    before = left(evidence, grade)
    for share in SHARES:
        part = made if share == 1.0 else between(grade, made, share)
        if left(evidence, part) <= before + NOTHING:
            return part
    return grade


def left(evidence: Evidence, grade: Grade) -> float:
    """Mean CIEDE2000 that a grade leaves, weighted as the pairs are."""
    return float(np.average(difference_of(evidence.graded(grade)), weights=evidence.weights))


SHARES = (1.0, 0.75, 0.5, 0.25, 0.1)
NOTHING = 1e-3
"""CIEDE2000 that passes for no change."""


def between(a: Grade, b: Grade, share: float) -> Grade:
    """A grade that lies so far from one to another, number by number; parts of one of them only count from nothing."""

    def mixed(x: Any, y: Any) -> Any:
        return tuple(float(v) for v in np.asarray(x) + share * (np.asarray(y) - np.asarray(x)))

    trim = Cdl(
        mixed(a.trim.slope, b.trim.slope),
        mixed(a.trim.offset, b.trim.offset),
        mixed(a.trim.power, b.trim.power),
        a.trim.saturation + share * (b.trim.saturation - a.trim.saturation),
    )
    balance = Balance.from_factors(a.balance.factors ** (1 - share) * b.balance.factors**share)
    curve, warp = b.curve, b.warp
    if a.curve != b.curve:
        still = ToneCurve()
        curve = ToneCurve(mixed((a.curve or still).lift, (b.curve or still).lift))
    if a.warp != b.warp:
        none = HueWarp()
        x, y = a.warp or none, b.warp or none
        warp = HueWarp(mixed(x.turn, y.turn), mixed(x.scale, y.scale))
    softness = a.softness + share * (b.softness - a.softness)
    rows = [np.zeros((3, 3)) if g.zones is None else g.zones.rows for g in (a, b)]
    zones = ZoneGains.of(rows[0] + share * (rows[1] - rows[0]))
    flare = mixed(a.flare, b.flare)
    parts: dict[str, Any] = {
        "curve": curve,
        "warp": warp,
        "softness": softness,
        "zones": zones,
        "flare": flare,
    }
    return replace(b, balance=balance, trim=trim, **parts)


def _settled(
    evidence: Evidence | None,
    grade: Grade,
    axis: str,
    picture: Measure | None,
    hero: Mapping[str, float] | None,
) -> Grade:
    found = next((a for a in AXES if a.name == axis), None)
    if found is None:
        raise ValueError(f"there is no axis '{axis}'")
    if axis in REPORTED:
        return grade
    if found.picture:
        if picture is None or hero is None or not np.isfinite(hero.get(axis, float("nan"))):
            return grade
        return _by_picture(grade, axis, picture, float(hero[axis]))
    if evidence is None:
        return grade
    if axis == "colour":
        try:
            return solve(evidence, "cdl", leave_one_out=False).grade
        except AquinError:  # too few tones for it
            return solve(evidence, "gains", leave_one_out=False).grade
    if axis not in values(evidence):
        return grade
    for _ in range(12):
        before, shot = values(evidence.graded(grade))[axis]
        off = shot - before
        if axis in ("warmth", "tint"):
            if abs(off) < 1e-3:
                break
            grade = _white_moved(evidence, grade, axis)
            continue
        if abs(off) < 1e-4 * (1 if axis in ("exposure", "contrast", "saturation") else 100):
            break
        if axis.startswith("shadow"):
            grade = _shadow_moved(evidence, grade, axis, off)
        else:
            grade = _moved(grade, axis, off)
    return grade


def _moved(grade: Grade, axis: str, off: float) -> Grade:
    balance, trim = grade.balance, grade.trim
    if axis == "exposure":
        gain = float(np.clip(np.mean(trim.slope) * np.mean(trim.power), 0.3, 3))
        return replace(grade, balance=replace(balance, stops=balance.stops - off / gain))
    if axis == "contrast":
        factor = float(np.clip(1 / (1 + off), 0.5, 2))
        pivot = acescct.GREY
        s = trim.slope
        o = trim.offset
        slope = (s[0] * factor, s[1] * factor, s[2] * factor)
        turned = [value * factor + pivot * (1 - factor) for value in o]
        return replace(grade, trim=replace(trim, slope=slope, offset=(turned[0], turned[1], turned[2])))
    return replace(
        grade, trim=replace(trim, saturation=float(np.clip(trim.saturation / (1 + off), 0.0, 4.0)))
    )


def _white_moved(evidence: Evidence, grade: Grade, axis: str) -> Grade:
    """Gains that take back by how much grey is moved on one axis, and leave the other one where it is."""
    graded = values(evidence.graded(grade))
    mired, duv = (graded[name][1] - graded[name][0] for name in ("warmth", "tint"))
    try:
        here = Balance.from_shift(0.0, mired, 1e-3 * duv)
        there = Balance.from_shift(0.0, *((0.0, 1e-3 * duv) if axis == "warmth" else (mired, 0.0)))
    except ValueError:  # farther off than any light: nothing to go by
        return grade
    reach = float(
        np.clip(np.mean(grade.trim.slope) * np.mean(grade.trim.power) * grade.trim.saturation, 0.4, 2.5)
    )
    factors = grade.balance.factors * (np.asarray(there.gains) / np.asarray(here.gains)) ** (1 / reach)
    return replace(grade, balance=replace(Balance.from_factors(factors), stops=grade.balance.stops))


def _tilted(grade: Grade, tilt: np.ndarray) -> Grade:
    """Offsets moved by `tilt`, (3,), with slopes that leave 18 % grey where it is."""
    trim = grade.trim
    o = [float(v) for v in np.asarray(trim.offset) + tilt]
    s = [float(v) for v in np.maximum(np.asarray(trim.slope) - tilt / acescct.GREY, 0.05)]
    return replace(grade, trim=replace(trim, offset=(o[0], o[1], o[2]), slope=(s[0], s[1], s[2])))


def _shadow_moved(evidence: Evidence, grade: Grade, axis: str, off: float) -> Grade:
    """A step of Newton's on offsets that go apart in red and blue (warmth), or in green and both (tint)."""
    way = np.array([1.0, 0.0, -1.0]) if axis == "shadow warmth" else np.array([-0.5, 1.0, -0.5])
    nudge = 1e-4
    changed = values(evidence.graded(_tilted(grade, nudge * way)))[axis]
    here = values(evidence.graded(grade))[axis]
    slope = (changed[1] - here[1]) / nudge
    if abs(slope) < 1e-6:
        return grade
    return _tilted(grade, way * float(np.clip(-off / slope, -0.03, 0.03)))


def _by_picture(grade: Grade, axis: str, picture: Measure, wanted: float) -> Grade:
    """Bisect the one number that the axis belongs to, in whichever direction brings it nearer."""
    if axis == "sharpness":
        return _softened(grade, picture, wanted)

    if axis in LIFTED:
        place = LIFTED[axis]
        held = grade.curve.lift if grade.curve is not None else (0.0,) * 5

        def at(amount: float) -> Grade:
            lift = [*held]
            lift[place] += amount
            return replace(grade, curve=ToneCurve((lift[0], lift[1], lift[2], lift[3], lift[4])))

        low, high = -1.2, 1.2
    else:
        warp = grade.warp or HueWarp()

        def at(amount: float) -> Grade:
            turned = [float(np.clip(warp.turn[k] + amount, -MOST_TURN, MOST_TURN)) for k in (0, 1)]
            turn: Six = (turned[0], turned[1], *warp.turn[2:])
            return replace(grade, warp=HueWarp(turn, warp.scale))

        low, high = -25.0, 25.0

    def off(amount: float) -> float:
        try:
            gap = float(picture(at(amount)).get(axis, float("nan"))) - wanted
        except ValueError:  # tones would change places
            return float("nan")
        return (gap + 180) % 360 - 180 if axis == "skin hue" else gap

    here = off(0.0)
    if not np.isfinite(here) or here == 0:
        return grade
    # a short step tells which way to go; from there on a secant, held inside the limits
    a, fa = 0.0, here
    step = 0.1 * high
    b, fb = step, off(step)
    for _ in range(10):
        if not np.isfinite(fb) or abs(fb - fa) < 1e-9:
            break
        c = float(np.clip(b - fb * (b - a) / (fb - fa), low, high))
        if abs(c - b) < 1e-4 * high:
            break
        a, fa, b, fb = b, fb, c, off(c)
    best = min((x for x in ((a, fa), (b, fb), (0.0, here)) if np.isfinite(x[1])), key=lambda x: abs(x[1]))
    return grade if best[0] == 0.0 else at(best[0])


def _softened(grade: Grade, picture: Measure, wanted: float) -> Grade:
    """The softness at which the shot is as sharp as its hero; none where it is not sharper."""
    if not picture(replace(grade, softness=0.0)).get("sharpness", 0.0) > wanted:
        return replace(grade, softness=0.0)
    low, high = 0.0, MOST_SOFT / 2
    for _ in range(10):
        middle = (low + high) / 2
        sharper = picture(replace(grade, softness=middle)).get("sharpness", 0.0) > wanted
        low, high = (middle, high) if sharper else (low, middle)
    return replace(grade, softness=round((low + high) / 2, 3))
