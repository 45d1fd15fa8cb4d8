"""Settle one axis of the ledger: move the one part of the grade that this axis belongs to, and nothing else."""

from dataclasses import replace

import numpy as np

from aquin.colour import acescct
from aquin.colour.grade import Balance, Grade
from aquin.match.solve import solve
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
        if abs(off) < 1e-4 * (1 if axis in ("exposure", "contrast", "saturation") else 100):
            break
        grade = _moved(grade, axis, off)
    return grade


def _moved(grade: Grade, axis: str, off: float) -> Grade:
    balance, trim = grade.balance, grade.trim
    if axis == "exposure":
        slope = float(np.clip(np.mean(trim.slope) * np.mean(trim.power), 0.3, 3))
        return replace(grade, balance=replace(balance, stops=balance.stops - off / slope))
    if axis in ("warmth", "tint"):
        mired, duv = balance.shift
        if axis == "warmth":
            mired -= off
        else:
            duv -= off * 1e-3
        return replace(grade, balance=Balance.from_shift(balance.stops, mired, duv))
    if axis == "contrast":
        factor = float(np.clip(1 / (1 + off), 0.5, 2))
        pivot = acescct.GREY
        s = trim.slope
        o = trim.offset
        slope = (s[0] * factor, s[1] * factor, s[2] * factor)
        offset = tuple(value * factor + pivot * (1 - factor) for value in o)
        return replace(grade, trim=replace(trim, slope=slope, offset=(offset[0], offset[1], offset[2])))
    return replace(grade, trim=replace(trim, saturation=float(np.clip(trim.saturation / (1 + off), 0.0, 4.0))))
