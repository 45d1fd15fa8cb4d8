"""Settle one axis of the ledger: move the one part of the grade that this axis belongs to, and nothing else."""

from dataclasses import replace

import numpy as np

from aquin.charts.solve import solve
from aquin.colour import acescct
from aquin.colour.grade import Balance, Grade
from aquin.colour.primaries import XYZ_TO_AP1, xyz_of
from aquin.colour.white import xy_at
from aquin.measure.ledger import AXES, Evidence, values


def settle(evidence: Evidence, grade: Grade, axis: str) -> Grade:
    """The grade with this axis brought to its hero.

    exposure moves the balance's stops; warmth and tint its gains; contrast the trim's slope about 18 % grey; saturation
    the trim's saturation; colour takes the whole CDL solution. Raises ValueError for an unknown axis.
    """
    if axis not in {a.name for a in AXES}:
        raise ValueError(f"there is no axis '{axis}'")
    if axis == "colour":
        return solve(evidence, "cdl", leave_one_out=False).grade
    for _ in range(12):
        hero, shot = values(evidence.graded(grade))[axis]
        off = shot - hero
        if axis in ("warmth", "tint"):
            grade = _white_moved(evidence, grade, axis, hero)
            continue
        if abs(off) < 1e-4 * (1 if axis in ("exposure", "contrast", "saturation") else 100):
            break
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


def _white_moved(evidence: Evidence, grade: Grade, axis: str, hero: float) -> Grade:
    """Gains that take the graded neutral to the hero's value on one axis and leave the other one where it is."""
    graded = values(evidence.graded(grade))
    mired, duv = graded["warmth"][1], graded["tint"][1] * 1e-3
    here = XYZ_TO_AP1 @ xyz_of(xy_at(mired, duv))
    there = XYZ_TO_AP1 @ xyz_of(
        xy_at(hero if axis == "warmth" else mired, hero * 1e-3 if axis == "tint" else duv)
    )
    ratio = np.clip(there / np.maximum(here, 1e-6), 0.2, 5)
    balance = Balance.from_factors(grade.balance.factors * ratio)
    return replace(grade, balance=replace(balance, stops=grade.balance.stops))
