"""Colours laid over each other: a known cast reads as that cast, none as none, however much of what is in a picture."""

import numpy as np
import pytest
from test_fit import photographs, strips

from aquin.arrays import Float64
from aquin.colour import acescct
from aquin.colour.cdl import LUMA
from aquin.look.overlap import Overlap

LIGHTS = (1.0, 4.0)


def materials(shares: tuple[float, float, float], count: int = 12_000, seed: int = 3) -> Float64:
    """Three materials of different tone and colour in stops from grey, as much of each as is said; (n, 3) ACEScct."""
    random = np.random.default_rng(seed)
    of = ((1.8, 0.4, -0.5), (2.4, -0.3, 0.3), (2.9, 0.05, 0.0))
    parts = []
    for (level, red, blue), share in zip(of, shares, strict=True):
        stops = level + 0.15 * random.normal(size=(round(share * count), 1))
        colour = np.array([red, 0.0, blue]) + 0.05 * random.normal(size=(len(stops), 3))
        parts.append(stops + colour - (colour @ np.array(LUMA))[:, None])
    return acescct.GREY + acescct.STOP * np.concatenate(parts)


def found(here: Float64, there: Float64) -> Float64:
    """What is read to lay `there` over `here`, in stops."""
    return Overlap.of(here, *LIGHTS).shift(Overlap.of(there, *LIGHTS), np.zeros(3))[0]


@pytest.mark.parametrize("cast", [(0.1, -0.02, -0.08), (-0.05, 0.02, -0.08), (0.0, 0.0, 0.0)])
def test_a_known_cast_reads_as_that_and_none_as_none(cast: tuple[float, float, float]) -> None:
    """Within 0.015 stop: half a bin and what the usual size of casts draws it to nothing."""
    real = np.asarray(photographs()["china"].reshape(-1, 3)[::7], np.float64)
    way = np.array(cast) - np.array(cast) @ np.array(LUMA)
    for pixels in (materials((0.3, 0.3, 0.4)), real):
        assert found(pixels + acescct.STOP * way, pixels) == pytest.approx(way, abs=0.015)


def test_how_much_of_a_thing_is_there_is_no_cast() -> None:
    """The mean colour moves by a quarter of a stop; what is there is where it was."""
    here, there = materials((0.6, 0.1, 0.3)), materials((0.1, 0.6, 0.3), seed=4)
    apart = (here.mean(axis=0) - there.mean(axis=0)) / acescct.STOP
    assert np.abs(apart[0] - apart[2]) > 0.25
    assert np.abs(found(here, there)).max() < 0.02


def test_other_strips_of_a_photograph_have_no_cast() -> None:
    for name in ("china", "astronaut", "flower"):
        here, there = (strips(photographs()[name], k).reshape(-1, 3)[::3].astype(np.float64) for k in (0, 1))
        assert np.abs(found(here, there)).max() < 0.05


def test_nothing_in_common_says_nothing() -> None:
    dark = materials((0.3, 0.3, 0.4)) - 6 * acescct.STOP
    way, worth = Overlap.of(materials((0.3, 0.3, 0.4)), *LIGHTS).shift(Overlap.of(dark, *LIGHTS), np.zeros(3))
    assert not way.any() and worth == -np.inf
