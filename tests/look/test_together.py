"""Curve, saturation and casts found together: known numbers read as those, none as none, of whatever there is more."""

import numpy as np
import pytest
from test_fit import photographs, strips
from test_overlap import materials

from aquin.arrays import Float64
from aquin.colour import acescct
from aquin.colour.cdl import LUMA, Cdl
from aquin.colour.tone_curve import STOPS, ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.look.look import Look
from aquin.look.together import Usual, roots, spread, together

BARELY = 0.001
"""What a part is given so that it is there and free."""
FREE = Look(
    curve=ToneCurve((BARELY,) * 5),
    cdl=Cdl(saturation=1 + BARELY),
    zones=ZoneGains((BARELY, 0, 0), (0, 0, 0), (BARELY, 0, 0)),
    strength=1.0,
)
NOTHING_ELSE = Usual(lambda lift: lift / 10, 10.0, 0.35)
"""Known of the numbers: next to nothing."""


def without_luma(row: tuple[float, float, float]) -> tuple[float, float, float]:
    red, green, blue = np.array(row) - np.array(row) @ np.array(LUMA)
    return float(red), float(green), float(blue)


KNOWN = Look(
    curve=ToneCurve((0.3, -0.2, -0.1, 0.2, -0.3)),
    cdl=Cdl(saturation=0.8),
    zones=ZoneGains(without_luma((0.08, 0, -0.1)), (0, 0, 0), without_luma((-0.06, 0.01, 0.08))),
    strength=1.0,
)


def pixels() -> Float64:
    seen = [p.reshape(-1, 3)[::47] for p in photographs().values()]
    return np.concatenate(seen).astype(np.float64)


def test_known_numbers_read_as_those() -> None:
    """From the same pixels, begun at nothing: lifts within 0.05 stop where there are pixels, saturation within 2 %,
    casts within 0.01 stop.
    """
    own = pixels()
    found = together(FREE, own, np.asarray(KNOWN.apply(own), np.float64), NOTHING_ELSE)
    assert (
        found.curve is not None
        and KNOWN.curve is not None
        and found.zones is not None
        and KNOWN.zones is not None
    )
    stops = (own @ np.array(LUMA) - acescct.GREY) / acescct.STOP
    there = [k for k, s in enumerate(STOPS) if (np.abs(stops - s) < 0.7).sum() > 300]
    assert len(there) >= 4
    off = np.abs(np.array(found.curve.lift) - KNOWN.curve.lift)
    assert off[there].max() < 0.05
    assert found.cdl.saturation == pytest.approx(0.8, rel=0.02)
    assert np.abs(found.zones.rows - KNOWN.zones.rows).max() < 0.01


def test_no_look_reads_as_none() -> None:
    own = pixels()
    found = together(FREE, own, own, NOTHING_ELSE)
    grey = np.repeat(acescct.encode(0.18 * np.exp2(np.linspace(-5, 3, 40)))[:, None], 3, axis=1)
    assert np.abs(found.apply(grey) - grey).max() < 0.02 * acescct.STOP
    assert found.cdl.saturation == pytest.approx(1, abs=0.01)


def test_how_much_of_a_thing_is_there_is_no_look() -> None:
    """Six times as much of one material and a sixth of another: their means lie a quarter of a stop of colour apart. No
    cast comes of it where it is known otherwise how bright they are (a band of one material says nothing of that).
    """
    here, there = materials((0.6, 0.1, 0.3)), materials((0.1, 0.6, 0.3), seed=4)
    apart = (here.mean(axis=0) - there.mean(axis=0)) / acescct.STOP
    assert np.abs(apart[0] - apart[2]) > 0.25
    found = together(FREE, here, there, Usual(lambda lift: lift / 0.01, 0.08, 0.35))
    assert found.zones is None or np.abs(found.zones.rows[2]).max() < 0.01  # all of it is light
    assert np.abs(np.asarray(found.apply(here)) - here).max() < 0.1 * acescct.STOP


def test_parts_that_a_look_does_not_have_stay_away() -> None:
    own = pixels()
    wanted = np.asarray(KNOWN.apply(own), np.float64)
    only = together(Look(cdl=Cdl(saturation=0.9), strength=1.0), own, wanted, NOTHING_ELSE)
    assert only.curve is None and only.zones is None and only.cdl.saturation < 0.9
    assert together(Look(strength=1.0), own, wanted, NOTHING_ELSE) == Look(strength=1.0)


def test_other_strips_of_the_photographs_have_nearly_none() -> None:
    """A look of 0.05 stop at most on greys of three stops about the middle."""
    own, other = (
        np.concatenate([strips(p, k).reshape(-1, 3)[::7] for p in photographs().values()]).astype(np.float64)
        for k in (0, 1)
    )
    found = together(FREE, own, other, Usual(lambda lift: lift / 0.35, 0.08, 0.35))
    grey = np.repeat(acescct.encode(0.18 * np.exp2(np.linspace(-3, 3, 40)))[:, None], 3, axis=1)
    assert np.abs(found.apply(grey) - grey).max() < 0.15 * acescct.STOP


def test_what_lies_in_the_boxes_is_all_that_was_there() -> None:
    """Each pixel counts one; the roots of each tone's densities are of length one."""
    held = spread(materials((0.3, 0.3, 0.4)))
    assert held.sum() == pytest.approx(12_000, rel=0.02)
    of = roots(held)
    lengths = (of**2).sum(axis=(1, 2))
    assert lengths[held.sum(axis=(1, 2)) > 1] == pytest.approx(1)
