"""The chart match in the order in which it is done by hand: neutral first, then hue angle, then saturation, each seen
on its own.
"""

from dataclasses import dataclass, replace

import numpy as np

from aquin.arrays import Float64
from aquin.charts.fits import DE00, Metric, gains_of, warped_of
from aquin.charts.solve import residual
from aquin.colour.difference import lab_of_ap1
from aquin.colour.grade import Grade
from aquin.colour.hue_warp import HueWarp
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence


@dataclass(frozen=True)
class Stage:
    """What stands after one stage. `neutral`: mean difference of the neutrals. `hue`: mean absolute CIELAB hue
    error of the colours in degrees. `saturation`: mean ratio of CIELAB chroma, shot over hero. `mean`: mean
    difference of everything.
    """

    name: str
    grade: Grade
    mean: float
    neutral: float
    hue: float
    saturation: float


def stages(evidence: Evidence, metric: Metric = DE00) -> list[Stage]:
    """Untouched, neutral, hue, saturation: each grade holds the stages before it. Raises AquinError without neutrals
    or colours.
    """
    if (~evidence.neutral).sum() < 6:
        raise AquinError(
            "there are too few colours to see hue and saturation apart", None, "Use a chart with colours"
        )
    gains = gains_of(evidence)
    both = warped_of(evidence, gains, None, metric)
    assert both.warp is not None
    turned = replace(gains, warp=HueWarp(both.warp.turn))
    return [
        _seen(name, evidence, grade, metric)
        for name, grade in (
            ("as filmed", Grade()),
            ("neutral", gains),
            ("hue angle", turned),
            ("saturation", both),
        )
    ]


def _seen(name: str, evidence: Evidence, grade: Grade, metric: Metric) -> Stage:
    left = residual(evidence, grade, metric)
    angle, chroma = hue_and_chroma(evidence, grade)
    return Stage(
        name,
        grade,
        float(left.mean()),
        float(left[evidence.neutral].mean()) if evidence.neutral.any() else 0.0,
        float(np.abs(angle).mean()),
        float(np.exp(np.mean(np.log(np.maximum(chroma, 1e-3))))),
    )


def hue_and_chroma(evidence: Evidence, grade: Grade) -> tuple[Float64, Float64]:
    """Of the colours: hue error in degrees (shot minus hero), and the ratio of their chroma."""
    coloured = ~evidence.neutral
    hero = lab_of_ap1(evidence.hero[coloured])
    shot = lab_of_ap1(np.asarray(grade.linear(evidence.shot[coloured]), np.float64))
    hues = [np.degrees(np.arctan2(c[:, 2], c[:, 1])) for c in (hero, shot)]
    chromas = [np.hypot(c[:, 1], c[:, 2]) for c in (hero, shot)]
    apart = (hues[1] - hues[0] + 180) % 360 - 180
    return np.asarray(apart, np.float64), np.asarray(chromas[1] / np.maximum(chromas[0], 1e-6), np.float64)
