"""Solvers: what was done to colours is found again, overfitting is seen, and the scene is matched as well as the
chart.
"""

from pathlib import Path

import numpy as np
import pytest

from aquin.charts import fits
from aquin.charts.layout import Layout
from aquin.charts.read import Reading, read_chart
from aquin.charts.solve import BASES, METRICS, best_of, residual, solve, solve_all, trim_of
from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Balance, Grade
from aquin.errors import AquinError
from aquin.exchange import cdl_file
from aquin.match.chart import pair
from aquin.match.engine import Match, Side, match_sides
from aquin.match.settle import settle
from aquin.measure.clip import Clip
from aquin.measure.ledger import AXES, Evidence, measure, values


def evidence(chart: Layout, change: Grade, noise: float = 0.0, seed: int = 1) -> Evidence:
    """The published chart as shot, and the same chart changed as hero."""
    random = np.random.default_rng(seed)
    shot = chart.ap1 * np.exp2(random.normal(0, noise, chart.ap1.shape)) if noise else chart.ap1
    return Evidence(np.asarray(change.linear(chart.ap1)), shot, chart.neutral)


def test_gains_are_found_exactly(chart24: Layout) -> None:
    change = Grade(Balance.from_shift(-0.7, 25, -0.004))
    found = solve(evidence(chart24, change), "gains")
    assert found.mean < 1e-6
    assert found.grade.balance.stops == pytest.approx(-0.7, abs=1e-6)
    assert found.grade.balance.shift == pytest.approx((25, -0.004), abs=1e-3)


def test_a_cdl_is_found_again(chart24: Layout) -> None:
    change = Grade(
        Balance.from_shift(0.5, -20, 0.003), Cdl((1.05, 1.0, 0.96), (0.01, 0.0, -0.01), (1.0, 1.04, 1.0), 1.1)
    )
    found = solve(evidence(chart24, change), "cdl")
    assert found.mean < 0.15
    assert found.loo < 0.3


def test_a_matrix_is_found_again(chart24: Layout) -> None:
    turn = ((0.9, 0.15, -0.05), (0.05, 0.93, 0.02), (0.0, -0.08, 1.08))
    found = solve(evidence(chart24, Grade(matrix=turn)), "matrix")
    assert found.mean < 0.15
    product = np.array(found.grade.matrix) @ np.diag(found.grade.balance.factors)
    assert np.allclose(product, turn, atol=0.02)


def test_richer_models_leave_less_and_leave_one_out_sees_overfitting(chart24: Layout) -> None:
    noisy = evidence(chart24, Grade(Balance(0.3)), noise=0.12)
    by_model = {s.model: s for s in solve_all(noisy)}
    assert list(by_model) == list(BASES)
    assert by_model["cdl"].mean < by_model["gains"].mean
    for solution in by_model.values():
        assert solution.loo >= solution.mean * 0.98
    # pure noise is nothing to learn: a richer model fits the pairs better and what it has not seen worse
    gain = by_model["gains"].loo / by_model["gains"].mean
    assert by_model["matrix"].loo / by_model["matrix"].mean > gain


def test_a_root_polynomial_is_never_the_best_by_itself(chart24: Layout) -> None:
    """No file but a table holds it (decision 037): it is there to be named, and the best where nothing else is."""
    hero = np.asarray(chart24.ap1, np.float64)
    shot = hero * (0.8, 1.0, 1.3)
    shot = np.maximum(shot + 0.08 * np.sqrt(np.maximum(shot * np.roll(shot, 1, axis=1), 0)), 1e-4)
    solved = solve_all(Evidence(hero, shot, chart24.neutral), models=BASES)
    by = {s.model: s for s in solved}
    assert by["root"].loo < 0.5 * min(s.loo for name, s in by.items() if name != "root")
    assert best_of(solved).model == best_of([s for s in solved if s.model != "root"]).model != "root"
    assert best_of([by["root"]]).model == "root"


def test_too_few_patches_are_refused(chart24: Layout) -> None:
    few = Evidence(chart24.ap1[:5], chart24.ap1[:5], chart24.neutral[:5])
    with pytest.raises(AquinError, match="too few"):
        solve(few, "gains")
    with pytest.raises(AquinError, match="no model"):
        solve(evidence(chart24, Grade()), "magic")


@pytest.mark.parametrize("axis", [a.name for a in AXES if not a.picture and not a.name.startswith("shadow")])
def test_settling_an_axis_brings_it_home_and_leaves_the_tones_before_it(axis: str, chart24: Layout) -> None:
    change = Grade(
        Balance.from_shift(0.4, 18, 0.004), Cdl((1.06, 1.06, 1.06), (-0.025,) * 3, (1, 1, 1), 1.08)
    )
    pairs = evidence(chart24, change)
    before = {row.axis.name: row for row in measure(pairs, Grade())}
    grade = settle(pairs, Grade(), axis)
    after = {row.axis.name: row for row in measure(pairs, grade)}
    assert after[axis].within
    assert abs(after[axis].after) < 0.1 * max(abs(before[axis].after), after[axis].axis.tolerance)
    if axis in ("warmth", "tint"):
        other = "tint" if axis == "warmth" else "warmth"
        assert after[other].after == pytest.approx(before[other].after, abs=0.05)
        assert after["exposure"].after == pytest.approx(before["exposure"].after, abs=0.03)
    if axis == "saturation":
        assert after["contrast"].after == pytest.approx(before["contrast"].after, abs=0.03)


def test_settling_in_order_settles_the_tones_and_the_cast(chart24: Layout) -> None:
    pairs = evidence(
        chart24, Grade(Balance.from_shift(-0.6, -25, -0.005), Cdl((0.95,) * 3, (0.02,) * 3, (1, 1, 1), 0.9))
    )
    grade = Grade()
    for axis in ("exposure", "contrast", "warmth", "tint", "saturation"):
        grade = settle(pairs, grade, axis)
    rows = {row.axis.name: row for row in measure(pairs, grade)}
    assert all(rows[a].within for a in ("exposure", "contrast", "warmth", "tint", "saturation"))
    with pytest.raises(ValueError):
        settle(pairs, grade, "sparkle")


@pytest.fixture(scope="module")
def clips(hero_file: Path, shot_file: Path) -> tuple[Clip, Clip]:
    config = ColourConfig.find(None, hero_file)
    return (
        Clip.open(hero_file, "Linear Heron", config),
        Clip.open(shot_file, "Skua Log", config),
    )


def _reading(clip: Clip, chart: Layout) -> tuple[Reading, np.ndarray]:
    frame, linear = clip.read()
    reading = read_chart(frame.rgb, clip.to_linear, chart)
    assert reading is not None
    return reading, linear


@pytest.fixture(scope="module")
def found(clips: tuple[Clip, Clip], chart24: Layout) -> Match:
    hero, shot = (Side(c.read()[0].rgb, c.read()[1], _reading(c, chart24)[0]) for c in clips)
    return match_sides(hero, shot, "chart", BASES)


def test_demo_match_leaves_at_most_2_5_with_a_cdl(found: Match) -> None:
    cdl = found.solution("cdl")
    before = values(found.evidence)["colour"][1]
    assert before > 6
    assert cdl.mean <= 2.5
    assert found.confidence(cdl) > 0.7
    assert found.solution().model == "cdl"


def _blocks(linear: np.ndarray) -> np.ndarray:
    """Means of 8 x 8 pixels in working log, so that noise does not count as difference."""
    h, w = (n // 8 * 8 for n in linear.shape[:2])
    log = acescct.encode(linear[:h, :w].astype(np.float64))
    return np.asarray(acescct.decode(log.reshape(h // 8, 8, w // 8, 8, 3).mean(axis=(1, 3)).reshape(-1, 3)))


@pytest.mark.parametrize("averaged", [True, False])
def test_on_the_scene_the_match_is_within_1_10_of_the_best_cdl_that_knows_the_truth(
    averaged: bool, found: Match, clips: tuple[Clip, Clip], truth: dict, demo: Path, tmp_path: Path
) -> None:
    """Truth: what the hero's camera would have recorded from where the shot's stood, without noise."""
    config = ColourConfig.find(None, demo / "media" / "x")
    _, shot = clips[1].read()
    wanted = config.to_linear("Linear Heron")(truth["hero_camera_at_shot"])
    path = tmp_path / "match.cdl"
    cdl_file.write(path, found.solution("cdl").grade.folded(), "match")
    exported = Grade(trim=next(iter(cdl_file.read(path).values())))
    take = _blocks if averaged else (lambda x: x.reshape(-1, 3).astype(np.float64))
    scene = Evidence(take(wanted), take(shot), np.zeros(1, bool))
    few = np.random.default_rng(0).choice(len(scene.hero), min(4000, len(scene.hero)), replace=False)
    aim, own = fits.Aim.at(METRICS["dE00"], scene.hero[few]), scene.shot[few]
    balance = found.solution("cdl").grade.balance

    def made(trims: np.ndarray) -> np.ndarray:
        return np.stack([Grade(balance, trim_of(trim)).linear(own) for trim in trims])

    low, high = (
        np.array([0.3] * 3 + [-0.3] * 3 + [0.3] * 3 + [0.2]),
        np.array([3.0] * 3 + [0.3] * 3 + [3.0] * 4),
    )
    best = fits.least(made, aim, fits._STILL, fits._STILL, np.full(10, 100.0), low, high)
    ideal = residual(scene, Grade(balance, trim_of(best))).mean()
    ours = residual(scene, exported).mean()
    assert ours <= 1.10 * ideal
    assert ours < 0.6 * residual(scene, Grade()).mean()


def test_the_scene_counts_in_a_cdl(found: Match, clips: tuple[Clip, Clip], truth: dict, demo: Path) -> None:
    """A CDL that is also fitted to the frame's colours is better on the scene than one of the patches alone."""
    config = ColourConfig.find(None, demo / "media" / "x")
    wanted = _blocks(config.to_linear("Linear Heron")(truth["hero_camera_at_shot"]))
    scene = Evidence(wanted, _blocks(clips[1].read()[1]), np.zeros(1, bool))
    alone = solve(found.evidence, "cdl", leave_one_out=False)
    both = found.solution("cdl")
    assert residual(scene, both.grade).mean() < 1.02 * residual(scene, alone.grade).mean()


def test_clipped_patches_stay_out_of_the_pairs(
    found: Match, clips: tuple[Clip, Clip], chart24: Layout
) -> None:
    from dataclasses import replace

    hero, _ = _reading(clips[0], chart24)
    shot, _ = _reading(clips[1], chart24)
    spoiled = replace(shot, clipped=np.where(np.arange(24) == 18, 0.5, 0.0))
    pairs, _ = pair(hero, spoiled)
    assert len(pairs.hero) == 23
    other = replace(shot, layout=replace(chart24, name="other"))
    with pytest.raises(AquinError, match="layouts"):
        pair(hero, other)
