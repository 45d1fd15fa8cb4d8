"""Every axis moves by what it was moved and no other one with it, on photographs that scikit-image and its kin ship."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.difference import lab_of_ap1
from aquin.colour.grade import Balance, Grade
from aquin.match.settle import left, settle
from aquin.measure.ledger import AXES, Evidence, values
from photographs import photographs

TOLERANCE = {a.name: a.tolerance for a in AXES}
PICTURES = ("astronaut", "coffee", "cat", "rocket", "motorcycle", "china", "flower")
PAIRED = tuple(a.name for a in AXES if not a.picture and a.name != "colour")


def contrast(factor: float) -> Grade:
    """About 18 % grey."""
    return Grade(trim=Cdl((factor,) * 3, (acescct.GREY * (1 - factor),) * 3))


CHANGES = [
    *(("exposure", s, Grade(Balance(s))) for s in (-1.0, -0.5, 0.5, 1.0)),
    *(("warmth", m, Grade(Balance.from_shift(0.0, m, 0.0))) for m in (-60.0, -20.0, 20.0, 60.0)),
    *(("tint", d, Grade(Balance.from_shift(0.0, 0.0, 1e-3 * d))) for d in (-6.0, 6.0)),
    *(("saturation", s - 1, Grade(trim=Cdl(saturation=s))) for s in (0.7, 0.85, 1.2, 1.4)),
    *(("contrast", c - 1, contrast(c)) for c in (0.8, 0.9, 1.1, 1.25)),
]


def pairs(name: str, grade: Grade, noise: float = 0.0, seed: int = 1) -> Evidence:
    """Every 20th pixel of a photograph and what a grade makes of it; `noise`: share of each channel, of both."""
    pixels = photographs()[name][10::20, 10::20].reshape(-1, 3).astype(np.float64)
    pixels = pixels[(pixels > 1e-3).all(axis=1)]
    shot = np.asarray(grade.linear(pixels), np.float64)
    lab = lab_of_ap1(pixels)
    neutral = (np.hypot(lab[:, 1], lab[:, 2]) < 9) & (lab[:, 0] > 15)
    if noise:
        random = np.random.default_rng(seed)
        pixels, shot = (side * np.exp(random.normal(0, noise, side.shape)) for side in (pixels, shot))
    keep = (shot > 1e-3).all(axis=1)
    return Evidence(pixels[keep], shot[keep], neutral[keep])


@pytest.mark.parametrize("name", PICTURES)
@pytest.mark.parametrize(("axis", "moved", "change"), CHANGES)
def test_an_axis_moves_by_what_it_was_moved_and_alone(
    name: str, axis: str, moved: float, change: Grade
) -> None:
    found = {a: shot - hero for a, (hero, shot) in values(pairs(name, change)).items()}
    assert found[axis] == pytest.approx(moved, abs=TOLERANCE[axis] / 4)
    others = {a: found[a] / TOLERANCE[a] for a in PAIRED if a in found and a != axis}
    assert max(abs(v) for v in others.values()) <= 1, others


@pytest.mark.parametrize("name", PICTURES)
def test_nothing_that_changed_reads_as_nothing(name: str) -> None:
    """With noise of 1 % on both sides, which few neutrals can't average out: half the tolerance."""
    found = values(pairs(name, Grade(), noise=0.01))
    for axis in PAIRED:
        if axis in found:
            assert abs(found[axis][1] - found[axis][0]) <= TOLERANCE[axis] / 2


@pytest.mark.parametrize("name", PICTURES)
@pytest.mark.parametrize(("axis", "moved", "change"), CHANGES)
def test_settling_an_axis_takes_it_home_and_leaves_the_others(
    name: str, axis: str, moved: float, change: Grade
) -> None:
    evidence = pairs(name, change)
    after = values(evidence.graded(settle(evidence, Grade(), axis)))
    off = {a: (after[a][1] - after[a][0]) / TOLERANCE[a] for a in PAIRED if a in after}
    assert max(abs(v) for v in off.values()) <= 1, off


@settings(max_examples=60, deadline=None)
@given(
    name=st.sampled_from(PICTURES),
    axis=st.sampled_from([a.name for a in AXES if not a.picture]),
    stops=st.floats(-1, 1),
    mired=st.floats(-60, 60),
    duv=st.floats(-6, 6),
    saturation=st.floats(0.7, 1.4),
    factor=st.floats(0.8, 1.25),
)
def test_settling_never_increases_what_is_left(
    name: str, axis: str, stops: float, mired: float, duv: float, saturation: float, factor: float
) -> None:
    """Whatever was done to the shot, and whichever axis is settled first."""
    turned = contrast(factor).trim
    change = Grade(
        Balance.from_shift(stops, mired, 1e-3 * duv),
        Cdl(turned.slope, turned.offset, turned.power, saturation),
    )
    evidence = pairs(name, change, noise=0.02)
    grade = settle(evidence, Grade(), axis)
    assert left(evidence, grade) <= left(evidence, Grade()) + 2e-3


def test_brown_shadows_under_more_saturation_are_no_cast() -> None:
    """A dark third that is brown: what saturation does to it once read as 92 mired, and settling that took 3.3 dE00 to
    15.8.
    """
    random = np.random.default_rng(0)
    level = 0.18 * np.exp2(np.linspace(-5, 2, 60))[:, None]
    brown = level * np.where(level < 0.05, [[1.6, 0.9, 0.45]], [[1.0, 1.0, 1.0]])
    brown = brown * np.exp(random.normal(0, 0.03, (60, 3)))
    shot = np.asarray(Grade(trim=Cdl(saturation=1.2)).linear(brown))
    evidence = Evidence(brown, shot, (level >= 0.05).ravel())
    found = values(evidence)
    assert abs(found["shadow warmth"][1] - found["shadow warmth"][0]) < TOLERANCE["shadow warmth"] / 4
    dark = evidence.part(level.ravel() < 0.05)
    assert "shadow warmth" not in values(dark)
    grade = Grade()
    for axis in ("exposure", "contrast", "warmth", "tint", "shadow warmth", "shadow tint", "saturation"):
        grade = settle(evidence, grade, axis)
    assert left(evidence, grade) < 0.3 * left(evidence, Grade())


def test_an_axis_that_is_gone_after_the_grade_has_no_row() -> None:
    """Dark neutrals that a grade lifts out of the shadows leave no shadow row, and no error."""
    from aquin.measure.ledger import measure

    levels = np.geomspace(0.004, 0.09, 12)[:, None] * np.ones(3)
    hero = np.concatenate([levels, np.array([[0.4, 0.2, 0.1], [0.1, 0.3, 0.5], [0.2, 0.4, 0.1]])])
    pairs = Evidence(hero, hero * 0.9, np.zeros(len(hero), bool))
    for stops in (0.0, 3.0, 6.0, -6.0):
        for grade in (Grade(Balance(stops)), Grade(Balance.from_factors(np.array([0.2, 1.0, 6.0])))):
            names = [r.axis.name for r in measure(pairs, grade)]
            assert "exposure" in names and len(names) == len(set(names))
