"""The same points, statistics and their combination, on two real views of one scene.

scikit-image's stereo pair (Middlebury 2014, Scharstein et al.) has its true disparities; one side is filmed again
by a camera that is drawn at random.
"""

from dataclasses import dataclass, replace

import cv2
import numpy as np
import pytest
from skimage import data

from aquin.charts.solve import Solution, solve
from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.grade import Balance, Grade
from aquin.colour.hue_warp import HueWarp, hue_of
from aquin.colour.tone_curve import ToneCurve
from aquin.errors import AquinError
from aquin.match.engine import Side, Source, combined, gather, match_sides
from aquin.match.points import match_points
from aquin.match.statistics import match_statistics, monge_kantorovitch
from aquin.match.whole import kept_whole
from aquin.measure.ledger import Evidence, difference_of, measure
from stereo import StereoPair, by_itself, camera, stereo_pair


@pytest.fixture(scope="module")
def pair() -> StereoPair:
    return stereo_pair()


def side(linear: np.ndarray) -> Side:
    """The signal only says where light is clipped."""
    return Side(np.asarray(linear, np.float32), np.asarray(linear, np.float32))


def test_points_lie_where_the_disparities_say(pair: StereoPair) -> None:
    found = match_points(pair.left, pair.right * np.float32([0.7, 1.0, 1.3]))
    assert found is not None and found.dense and found.sureness > 0.6
    x, y = np.rint(found.hero).astype(int).T
    gap = found.hero[:, 0] - pair.disparity[y.clip(0, 499), x.clip(0, 740)] - found.shot[:, 0]
    known = np.isfinite(gap)
    assert np.median(np.abs(gap[known])) < 0.5 and np.mean(np.abs(gap[known]) < 2) > 0.9
    assert np.median(np.abs(found.hero[:, 1] - found.shot[:, 1])) < 0.5  # the pair is rectified


@pytest.mark.parametrize("model", ["gains", "cdl", "matrix", "cdl+curve+warp"])
def test_a_match_is_near_the_best_that_knows_the_true_correspondence(model: str, pair: StereoPair) -> None:
    """The bar for the core: median dE00 over the true correspondence within 1.10 of the best fit that knows it. 20
    draws: benchmarks.
    """
    ours, best, plain = [], [], []
    for seed in range(4):
        shot = camera(pair.right, np.random.default_rng(seed))
        true = pair.true_pairs(shot)
        few = true.part(np.random.default_rng(1).permutation(len(true.hero)) < 1200)
        weights = np.full(len(few.hero), 24 / len(few.hero))
        knows = solve(Evidence(few.hero, few.shot, few.neutral, weights), model, leave_one_out=False).grade
        sources, _ = gather(side(pair.left), side(shot), "points")
        grade = solve(combined(sources), model, leave_one_out=False).grade
        found = match_statistics(pair.left, shot)
        assert found is not None
        by_sums = solve(
            combined([Source("statistics", found.evidence, found.sureness)]), model, leave_one_out=False
        )
        for out, g in ((ours, grade), (best, knows), (plain, by_sums.grade)):
            out.append(float(np.median(difference_of(true.graded(g)))))
    assert np.mean(ours) <= 1.10 * np.mean(best)
    assert np.mean(ours) < np.mean(plain)


def test_the_model_that_it_takes_by_itself_is_near_the_best_of_all(pair: StereoPair) -> None:
    """Where the file holds any model, the first four draws; of twenty in the benchmark one or two lie beyond it."""
    found = [own / best for _, own, best in (by_itself(pair, seed) for seed in range(4))]
    assert max(found) <= 1.10, found


def test_a_matrix_and_a_tone_curve_are_told_apart() -> None:
    """Colours of which both are known: what neither a matrix alone nor a CDL with a curve finds."""
    random = np.random.default_rng(4)
    shot = 0.18 * 2 ** (random.uniform(-4, 2.5, (400, 1)) + random.normal(0, 0.6, (400, 3)))
    rows = ((0.86, 0.11, 0.03), (0.02, 1.05, -0.07), (-0.03, 0.1, 0.93))
    true = Grade(Balance(0.6), matrix=rows, curve=ToneCurve((0.4, 0.2, 0.0, -0.15, -0.3)))
    pairs = Evidence(np.asarray(true.linear(shot)), shot, np.zeros(len(shot), bool))
    found = {m: solve(pairs, m, leave_one_out=False) for m in ("matrix", "cdl+curve", "matrix+curve")}
    assert found["matrix+curve"].mean < 0.1 * min(found["matrix"].mean, found["cdl+curve"].mean)
    made = found["matrix+curve"].grade
    even = np.repeat(0.18 * 2 ** np.linspace(-4, 2, 7)[:, None], 3, axis=1)
    stops = np.log2(np.asarray(made.linear(even)) / np.asarray(true.linear(even)))
    assert np.abs(stops).max() < 0.03


def test_saturated_light_turns_as_far_as_pairs_show_it(pair: StereoPair) -> None:
    """A vivid patch that a matrix turns by some 25 degrees: held back unless pairs of its hue say the same."""
    strong = Grade(matrix=((1.0, 0.0, 0.0), (0.3, 0.7, 0.0), (0.0, 0.0, 1.0)))
    shot = np.array(pair.right)
    shot[100:200, 100:200] = (0.8, 0.1, 0.1)
    turned = hue_of(acescct.encode(np.stack([shot[150, 150], strong.linear(shot[150, 150])])))
    assert abs((turned[1] - turned[0] + 180) % 360 - 180) > 18
    solution = Solution("matrix", strong, 1.0, 2.0, 1.0)
    grey = np.full((40, 3), 0.18) * 2 ** np.linspace(-3, 2, 40)[:, None]
    reds = grey[10:25] * (2.6, 0.45, 0.45)

    def kept(colours: np.ndarray, hero: np.ndarray) -> Grade:
        return kept_whole(solution, shot, Evidence(hero, colours, np.zeros(len(colours), bool))).grade

    both = np.concatenate([grey, reds])
    assert kept(grey, np.asarray(strong.linear(grey))) != strong
    assert kept(both, both) != strong
    assert kept(both, np.asarray(strong.linear(both))) == strong


def test_what_only_one_camera_saw_does_not_disturb(pair: StereoPair) -> None:
    """A red board before a quarter of the shot, and a thing that moved."""
    shot = pair.right * np.float32([0.8, 1.0, 1.2])
    clean = solve(combined(gather(side(pair.left), side(shot), "points")[0]), "gains", leave_one_out=False)
    shot[100:400, 500:] = (0.4, 0.03, 0.02)
    moved = shot.copy()
    moved[300:420, 100:300] = np.roll(shot, 60, axis=0)[300:420, 100:300]
    with_it = solve(combined(gather(side(pair.left), side(moved), "points")[0]), "gains", leave_one_out=False)
    assert np.log2(with_it.grade.balance.factors) == pytest.approx(
        np.log2(clean.grade.balance.factors), abs=0.05
    )
    assert clean.grade.balance.factors == pytest.approx(
        [1 / 0.8, 1.0, 1 / 1.2], rel=0.05
    )  # the two views differ by 3 % themselves


def test_clipped_parts_are_no_evidence(pair: StereoPair) -> None:
    shot = pair.right * 2.0
    clipped = np.minimum(shot, 0.6)
    found, clean = (
        solve(combined(gather(side(pair.left), Side(s, s), "points")[0]), "gains", leave_one_out=False).grade
        for s in (clipped, shot)
    )
    assert found.balance.stops == pytest.approx(clean.balance.stops, abs=0.06)
    assert found.balance.stops == pytest.approx(-1.0, abs=0.1)


def test_nothing_in_common_is_refused_with_what_to_do() -> None:
    random = np.random.default_rng(2)
    dark = cv2.GaussianBlur(random.uniform(0, 1, (300, 400, 3)).astype(np.float32), (0, 0), 3) * 0.2
    bright = np.asarray(data.astronaut()[:300, :400] / 255, np.float32) ** 2.4
    with pytest.raises(AquinError, match="too few parts") as refused:
        gather(side(dark), side(bright), "points")
    assert "Film the chart" in refused.value.line()
    with pytest.raises(AquinError, match="no chart was found in the hero and the shot"):
        gather(side(dark), side(bright), "chart")


def test_pairs_that_a_person_names_count_most(pair: StereoPair) -> None:
    shot = pair.right * np.float32([0.5, 1.0, 1.0])
    named = [(np.array([0.2, 0.2, 0.2]) * k, np.array([0.1, 0.2, 0.2]) * k) for k in (0.3, 0.6, 1, 1.5, 2, 3)]
    found = match_sides(side(pair.left), side(shot), models=("gains",), named=named)
    assert found.sources[0].by == "pairs" and "points" in found.by
    # the two real views differ by 3 to 4 % themselves, which the points say
    assert found.solution("gains").grade.balance.factors == pytest.approx([2, 1, 1], rel=0.045)
    only = match_sides(side(pair.left), side(shot), "pairs", ("gains",), named)
    assert only.by == "pairs"


def test_the_linear_map_brings_mean_and_covariance(pair: StereoPair) -> None:
    """Pitie & Kokaram 2007: T = A^-1/2 (A^1/2 B A^1/2)^1/2 A^-1/2 is symmetric and takes covariance A to B."""
    random = np.random.default_rng(4)
    a = random.normal(0, 1, (40_000, 3)) @ np.array([[0.1, 0.02, 0], [0, 0.08, 0.03], [0, 0, 0.05]]) + 0.4
    b = random.normal(0, 1, (40_000, 3)) @ np.array([[0.06, 0.01, 0.02], [0, 0.09, 0], [0.01, 0, 0.07]]) + 0.5
    t = monge_kantorovitch(a, b)
    assert t.matrix == pytest.approx(t.matrix.T, abs=1e-6)
    assert t(a).mean(axis=0) == pytest.approx(b.mean(axis=0), abs=2e-3)
    inside = lambda x: x[np.abs(x - np.median(x, axis=0)).max(axis=1) < 9]  # noqa: E731
    assert np.cov(inside(t(a)).T) == pytest.approx(np.cov(b.T), abs=8e-4)


def test_strength_goes_from_nothing_to_all(pair: StereoPair) -> None:
    shot = camera(pair.right, np.random.default_rng(3))
    found = match_sides(side(pair.left), side(shot), "points", ("cdl",))
    grade = found.solution("cdl").grade
    assert grade.at_strength(0) == Grade() and grade.at_strength(1) == grade
    gaps = [
        difference_of(found.evidence.graded(grade.at_strength(k))).mean() for k in (0, 0.25, 0.5, 0.75, 1)
    ]
    assert gaps == sorted(gaps, reverse=True)
    half = np.log2(grade.at_strength(0.5).balance.factors)
    assert half == pytest.approx(np.log2(grade.balance.factors) / 2, abs=1e-9)


def test_a_match_does_not_clip_what_was_not(pair: StereoPair) -> None:
    shot = camera(pair.right, np.random.default_rng(5))
    found = match_sides(side(pair.left), side(shot), "points", ("matrix", "cdl"))
    pixels = shot[::4, ::4].reshape(-1, 3)
    pixels = pixels[(pixels > 1e-4).all(axis=1)]
    for solution in found.solutions:
        assert (np.asarray(solution.grade.linear(pixels)) <= 0).any(axis=1).mean() <= 0.002


@dataclass
class Known:
    name: str
    grade: Grade
    value: float


@pytest.mark.parametrize(
    "known",
    [
        Known("exposure", Grade(Balance(0.4)), 0.4),
        Known("warmth", Grade(Balance.from_shift(0, 12, 0)), 12),
        Known("tint", Grade(Balance.from_shift(0, 0, 0.006)), 6),
    ],
    ids=lambda k: k.name,
)
def test_a_change_of_known_size_is_found_within_a_quarter_of_the_tolerance(
    known: Known, pair: StereoPair
) -> None:
    """Two views of one scene, one of them changed by a known amount: the ledger on the same points."""
    shot = np.asarray(known.grade.linear(pair.right), np.float32)
    plain = {
        r.axis.name: r
        for r in measure(combined(gather(side(pair.left), side(pair.right), "points")[0]), Grade())
    }
    rows = {
        r.axis.name: r for r in measure(combined(gather(side(pair.left), side(shot), "points")[0]), Grade())
    }
    row = rows[known.name]
    # the two cameras of the pair differ a little themselves
    assert row.difference - plain[known.name].difference == pytest.approx(
        known.value, abs=row.axis.tolerance / 4
    )


def test_a_match_does_not_blow_up_or_turn_saturated_light(pair: StereoPair) -> None:
    """A lamp of deep blue in the picture: log saturation of 1.6 makes 0.9 of it 13, and is held back; elsewhere not."""
    shot = np.asarray(0.35 * pair.right + 0.65 * pair.right.mean(axis=2, keepdims=True), np.float32)
    strong = Grade(trim=Cdl(saturation=1.6))
    solution = Solution("cdl", strong, 1.0, 2.0, 1.0)
    pairs = pair.true_pairs(shot)
    assert kept_whole(solution, shot, pairs).grade == strong
    shot[100:200, 100:200] = (0.05, 0.06, 0.9)
    assert strong.linear(shot[150, 150]).max() > 2 * 0.9
    kept = kept_whole(solution, shot, pairs).grade
    assert 1.0 <= kept.trim.saturation < 1.6
    assert kept.linear(shot[150, 150]).max() < 1.45 * 0.9
    turned = replace(solution, grade=Grade(warp=HueWarp((0, 0, 0, 0, 19, 19))))
    made = kept_whole(turned, shot, pairs).grade
    hues = [hue_of(acescct.encode(np.asarray(c))) for c in (shot[150, 150], made.linear(shot[150, 150]))]
    assert abs(float(hues[1] - hues[0])) <= 15.0


def test_what_few_colours_can_tell_is_said_and_believed_less(pair: StereoPair) -> None:
    grey = pair.left.mean(axis=2, keepdims=True) * np.ones(3, np.float32)
    found = match_sides(
        side(grey), side(grey * np.float32([0.7, 1.0, 1.2])), "points", ("gains", "cdl", "matrix")
    )
    assert any("saturation" in w for w in found.warnings) and "matrix" not in [
        s.model for s in found.solutions
    ]
    full = match_sides(side(pair.left), side(pair.right), "points", ("gains",))
    assert not full.warnings
    assert found.confidence(found.solution("gains")) <= 0.7 * found.sureness
