"""Cameras drawn at random and reflectances that are not on the chart, for measuring how well corrections
generalise.

Spectra are those that colour-science ships (0.4): CIE 13.3 and 2024 test samples, the NIST CQS samples, a 30-patch
chart (not those of CIE 224:2017, which solving itself uses); and two measured sensors, one with narrow and one with
overlapping sensitivities, which are mixed and shifted. Lights are CIE's.
"""

import warnings
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from aquin.charts.layout import Layout
from aquin.charts.reflectances import NM, training_reflectances
from aquin.charts.solve import residual, solve
from aquin.colour.primaries import ACES_WHITE, XYZ_TO_AP1
from aquin.colour.white import adaptation
from aquin.measure.ledger import Evidence
from aquin.simulate import spectra

LIGHTS = ("D55", "D65", "A", "3200K", "5600K", "FL11", "LED-B3")


@lru_cache(maxsize=1)
def _shipped() -> tuple[np.ndarray, list[np.ndarray]]:
    """(n, 81) held-out reflectances, and the sensors' (81, 3) sensitivities."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour
        from colour.characterisation import MSDS_CAMERA_SENSITIVITIES
        from colour.quality import SDS_TCS, SDS_VS

        def rows(group: object) -> np.ndarray:
            return np.array([np.interp(spectra.NM, s.wavelengths, s.values) for s in group.values()])  # type: ignore[attr-defined]

        chart = next(c for c in colour.SDS_COLOURCHECKERS.values() if len(c) == 30)
        held = np.vstack(
            [
                rows(chart),
                *(rows(v) for v in SDS_VS.values()),
                *(rows(t) for t in SDS_TCS.values()),
            ]
        )
        sensors = [
            np.stack(
                [np.interp(spectra.NM, m.wavelengths, m.values[:, k], left=0, right=0) for k in range(3)],
                axis=1,
            )
            for m in MSDS_CAMERA_SENSITIVITIES.values()
        ]
    return held[(held.max(axis=1) <= 1.02) & (held.max(axis=1) > 0.05)], [s / s.sum(axis=0) for s in sensors]


@dataclass(frozen=True)
class Draw:
    """One camera under one light: the chart's pairs, those of colours that it does not hold, and the true ones of
    the reflectances that solving predicts.
    """

    chart: Evidence
    held: Evidence
    others: Evidence


def draw(layout: Layout, random: np.random.Generator, noise: float = 0.001) -> Draw:
    """The true colours as hero, the camera's as shot; readings are off by a thousandth."""
    held, sensors = _shipped()
    power = spectra.light(str(random.choice(LIGHTS)))
    share = random.uniform(0, 1)
    mixed = sensors[0] * share + sensors[1] * (1 - share)
    moved = [
        np.interp(spectra.NM - random.uniform(-8, 8), spectra.NM, mixed[:, k], left=0, right=0)
        for k in range(3)
    ]
    camera = np.stack(moved, axis=1) * np.exp(random.uniform(-0.3, 0.3) * (spectra.NM[:, None] - 550) / 100)
    white = spectra.xyz_of(np.ones(len(spectra.NM)), power)
    adapted = adaptation((white / white.sum())[:2], ACES_WHITE).T @ XYZ_TO_AP1.T

    def hero(r: np.ndarray) -> np.ndarray:
        return np.asarray(spectra.xyz_of(r, power) @ adapted / (white @ adapted)[1])

    def shot(r: np.ndarray) -> np.ndarray:
        return np.asarray((r * power) @ camera / (power @ camera))

    known = np.array([np.interp(spectra.NM, NM, r) for r in training_reflectances()])
    patches = spectra.chart_reflectances()
    read = shot(patches) * (1 + noise * random.standard_normal((len(patches), 3)))
    return Draw(
        Evidence(hero(patches), read, layout.neutral, None, layout.reflectances),
        Evidence(hero(held), shot(held), np.zeros(len(held), bool)),
        Evidence(hero(known), shot(known), np.zeros(len(known), bool)),
    )


def by_measuring(one: Draw, model: str) -> float:
    """Mean dE00 on the held-out colours by a fit to the chart and the *true* colours of the reflectances that solving
    predicts.
    """
    share = np.full(len(one.others.hero), 4 * len(one.chart.hero) / len(one.others.hero))
    both = Evidence(
        np.concatenate([one.chart.hero, one.others.hero]),
        np.concatenate([one.chart.shot, one.others.shot]),
        np.concatenate([one.chart.neutral, one.others.neutral]),
        np.concatenate([np.ones(len(one.chart.hero)), share]),
    )
    return float(residual(one.held, solve(both, model, leave_one_out=False).grade).mean())


def compared(one: Draw, model: str) -> tuple[float, float, float]:
    """Mean dE00 on the held-out colours: by the chart alone, by the best fit that saw them too, and before anything
    but grey gains.
    """
    ours = solve(one.chart, model, leave_one_out=False).grade
    both = Evidence(
        np.concatenate([one.chart.hero, one.held.hero]),
        np.concatenate([one.chart.shot, one.held.shot]),
        np.concatenate([one.chart.neutral, one.held.neutral]),
    )
    best = solve(both, model, leave_one_out=False).grade
    plain = solve(one.chart, "gains", leave_one_out=False).grade
    return tuple(float(residual(one.held, g).mean()) for g in (ours, best, plain))  # type: ignore[return-value]
