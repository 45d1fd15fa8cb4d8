"""What witnesses together say of brightness and white, and how light drifts."""

import numpy as np
import pytest

from aquin.colour.primaries import AP1_LUMA
from aquin.match.drift import Drift, Seen, drift_of, from_parts, to_parts
from aquin.match.level import BRIGHT, IN_TURN, LIKELY, TOGETHER, WHITE, Witness, one_light, weighed


def test_the_same_points_outweigh_charts_and_settings() -> None:
    found = weighed([Witness("crew", 0.0), Witness("chart", -1.9), Witness("points", -0.5, 0.8)], BRIGHT)
    assert found.by == "points" and -0.55 < found.value[0] < -0.35
    assert found.error < 0.2


def test_a_chart_alone_hardly_moves_what_the_crew_set() -> None:
    found = weighed([Witness("crew", 0.0), Witness("chart", -1.9)], BRIGHT)
    assert found.by == "crew" and -0.35 < found.value[0] < -0.05


def test_a_wild_witness_is_held_back() -> None:
    sober = weighed(
        [Witness("usual", (0.02, 0.0)), Witness("chart", (0.0, 0.0)), Witness("crew", (0.0, 0.0))], WHITE
    )
    wild = weighed(
        [Witness("usual", (0.02, 0.0)), Witness("chart", (1.5, 0.0)), Witness("crew", (0.0, 0.0))], WHITE
    )
    assert abs(wild.value[0] - sober.value[0]) < 0.15
    assert WHITE["chart in doubt"] > WHITE["chart"]


def test_nothing_to_weigh_is_an_error() -> None:
    with pytest.raises(ValueError, match="nothing"):
        weighed([], BRIGHT)


def test_weights_are_those_of_the_inverse_variance() -> None:
    """Two witnesses a and b: (a / sa^2 + b / sb^2) / (1 / sa^2 + 1 / sb^2), where neither is wild."""
    sa, sb = BRIGHT["points"], BRIGHT["crew"]
    found = weighed([Witness("points", 0.2), Witness("crew", 0.0)], BRIGHT)
    assert found.value[0] == pytest.approx(0.2 / sa**2 / (1 / sa**2 + 1 / sb**2))
    assert found.error == pytest.approx((1 / sa**2 + 1 / sb**2) ** -0.5)


def test_parts_are_exposure_warmth_and_green() -> None:
    random = np.random.default_rng(1)
    log2 = random.normal(0, 0.5, (20, 3))
    assert from_parts(to_parts(log2)) == pytest.approx(log2, abs=1e-12)
    assert to_parts(np.full((1, 3), -0.7))[0] == pytest.approx([-0.7, 0, 0], abs=1e-12)
    assert to_parts(np.array([[0.3, 0.0, -0.1]]))[0, 1] == pytest.approx(0.4)
    assert to_parts(np.array([[0.3, 0.0, -0.1]]))[0, 0] == pytest.approx(
        np.log2(np.exp2([0.3, 0, -0.1]) @ AP1_LUMA)
    )


def dusk(seconds: np.ndarray) -> np.ndarray:
    """Light that falls by two stops in half an hour and turns blue."""
    share = (seconds - 72_000) / 1800
    return np.stack([-2.2 * share**1.3, -2.0 * share**1.3, -1.6 * share**1.3], axis=1)


def test_drift_between_observations_is_within_a_quarter_of_the_tolerance() -> None:
    """Exposure 0.10 stop and warmth 5.5 mired: 0.025 stop, and 1.4 mired or 0.0155 stop of R/B."""
    times = 72_000 + np.array([0.0, 300, 600, 900, 1200, 1500, 1800])
    random = np.random.default_rng(2)
    seen = [
        Seen(float(t), tuple(float(v) for v in row + random.normal(0, 0.004, 3)), 0.01)  # type: ignore[arg-type]
        for t, row in zip(times, dusk(times), strict=True)
    ]
    between = times[:-1] + 150
    found, error = drift_of(seen).curve(between)
    off = to_parts(found) - to_parts(dusk(between))
    assert np.abs(off[:, 0]).max() < 0.025
    assert np.abs(off[1:, 1]).max() < 0.0155
    assert (error < 0.2).all()


def test_uncertainty_grows_away_from_what_was_seen() -> None:
    drift = drift_of([Seen(0, (0, 0, 0)), Seen(600, (-0.5, -0.5, -0.5)), Seen(1200, (-0.8, -0.8, -0.8))])
    (_, near), (_, far) = drift.at(600), drift.at(4000)
    assert near < 0.05 < far
    assert drift.at(600)[0] == pytest.approx([-0.5] * 3, abs=0.03)


def test_no_or_one_observation() -> None:
    assert Drift(()).at(100)[0].tolist() == [0, 0, 0]
    one = drift_of([Seen(0, (0.1, 0.1, 0.1))])
    assert one.at(5000)[0] == pytest.approx([0.1] * 3) and one.at(5000)[1] >= 0.3


def test_one_light_is_told_from_light_in_turn_and_the_probability_holds() -> None:
    """Of cards that are held to be in one light with some probability, that share is; agreement is believed,
    disagreement is not, whatever the clock says.
    """
    random = np.random.default_rng(5)
    said, true = [], []
    for _ in range(4000):
        at_once = bool(random.random() < 0.5)
        one = bool(random.random() < LIKELY[at_once])
        errors = random.uniform(0.02, 0.3, 3)
        light = random.normal(0, TOGETHER if one else IN_TURN)
        said.append(one_light(light + random.normal(0, errors), errors, at_once))
        true.append(one)
    p, held = np.array(said), np.array(true)
    for low in (0.1, 0.3, 0.5, 0.7, 0.9):
        some = (p >= low - 0.1) & (p < low + 0.1)
        assert abs(held[some].mean() - p[some].mean()) < 0.08
    assert one_light((0.0, 0.0, 0.0), (0.05, 0.05, 0.05), True) > 0.97
    assert one_light((0.9, 0.0, 0.0), (0.1, 0.05, 0.05), True) < 0.05
    assert one_light((0.0, 0.0, 0.0), (0.3, 0.2, 0.2), False) < 0.6
