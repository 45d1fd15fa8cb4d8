"""The richer models, against published definitions and the reference library."""

import warnings

import numpy as np
import pytest

from aquin.charts.fits import METRICS
from aquin.charts.layout import Layout
from aquin.charts.solve import BASES, MODELS, residual, solve, solve_all
from aquin.charts.stages import stages
from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.difference import itp_of_ap1
from aquin.colour.grade import Balance, Grade
from aquin.colour.hue_warp import MOST_TURN, HueWarp, hue_of
from aquin.colour.root_polynomial import expand, root_rows
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence


@pytest.fixture(scope="module")
def colour() -> object:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour
    return colour


def test_root_polynomial_terms_are_those_of_the_paper(colour: object) -> None:
    """Finlayson, Mackiewicz & Hurlbert 2015, as colour-science expands it (degree 2, root)."""
    rgb = np.random.default_rng(1).uniform(0.01, 1, (50, 3))
    theirs = colour.characterisation.polynomial_expansion_Finlayson2015(rgb, 2, True)  # type: ignore[attr-defined]
    assert np.allclose(expand(rgb), theirs, atol=1e-12)


def test_matrix_and_root_polynomial_agree_with_the_reference_library_where_both_are_exact(
    colour: object, chart24: Layout
) -> None:
    """colour-science's least-squares corrections (Cheung 2004 with three terms, Finlayson 2015) on data that a model
    explains.
    """
    turn = np.array([[0.9, 0.15, -0.05], [0.05, 0.93, 0.02], [0.0, -0.08, 1.08]])
    bend = np.hstack([turn, np.array([[0.05, -0.03, 0.02], [-0.02, 0.04, 0.01], [0.03, 0.0, -0.02]])])
    for model, hero in (("matrix", chart24.ap1 @ turn.T), ("root", expand(chart24.ap1) @ bend.T)):
        name = {"matrix": "Cheung 2004", "root": "Finlayson 2015"}[model]
        more = {"terms": 3} if model == "matrix" else {"degree": 2}
        theirs = colour.colour_correction(chart24.ap1, chart24.ap1, hero, method=name, **more)  # type: ignore[attr-defined]
        assert np.allclose(theirs, hero, atol=1e-6)
        ours = solve(Evidence(hero, chart24.ap1, chart24.neutral), model, leave_one_out=False)
        assert ours.mean < 0.1
        assert np.allclose(ours.grade.linear(chart24.ap1), theirs, atol=4e-3)


def test_a_root_polynomial_keeps_exposure_scaling() -> None:
    root = root_rows(np.random.default_rng(2).normal(0, 0.3, (3, 6)) + np.eye(3, 6))
    grade = Grade(root=root)
    rgb = np.random.default_rng(3).uniform(0.05, 1, (40, 3))
    assert np.allclose(expand(2.0 * rgb) @ np.array(root).T, 2 * expand(rgb) @ np.array(root).T)
    bright, normal = (np.asarray(grade.linear(k * rgb)) for k in (2.0, 1.0))
    clear = (normal > 0.02).all(axis=1)
    assert np.allclose(bright[clear], 2 * normal[clear], rtol=1e-9)


def test_itp_difference_is_that_of_bt_2124(colour: object) -> None:
    """ITU-R BT.2124-0 by colour-science: dE ITP of ICtCp of BT.2020 light at 100 cd/m2."""
    random = np.random.default_rng(5)
    ap1 = random.uniform(0.01, 1, (60, 3))
    other = ap1 * random.uniform(0.9, 1.1, ap1.shape)
    from aquin.colour.primaries import ACES_WHITE, AP1_TO_XYZ
    from aquin.colour.white import adaptation

    to_2020 = colour.RGB_COLOURSPACES["ITU-R BT.2020"].matrix_XYZ_to_RGB  # type: ignore[attr-defined]
    to_2020 = to_2020 @ adaptation(ACES_WHITE, (0.3127, 0.3290)) @ AP1_TO_XYZ
    ictcp = [
        colour.RGB_to_ICtCp(np.maximum(c @ to_2020.T, 0) * 100, method="ITU-R BT.2100-2 PQ")  # type: ignore[attr-defined]
        for c in (ap1, other)
    ]
    theirs = colour.delta_E(ictcp[0], ictcp[1], method="ITP")  # type: ignore[attr-defined]
    ours = np.linalg.norm(itp_of_ap1(other) - itp_of_ap1(ap1), axis=-1)
    assert np.allclose(ours, theirs, rtol=2e-3, atol=0.02)


def test_solving_by_either_metric_is_best_by_its_own(chart24: Layout) -> None:
    random = np.random.default_rng(6)
    shot = chart24.ap1 * np.exp2(random.normal(0, 0.15, chart24.ap1.shape))
    pairs = Evidence(chart24.ap1, shot, chart24.neutral)
    grades = {name: solve(pairs, "matrix", False, metric=m).grade for name, m in METRICS.items()}
    for name, metric in METRICS.items():
        own = residual(pairs, grades[name], metric).mean()
        other = min(residual(pairs, g, metric).mean() for n, g in grades.items() if n != name)
        assert own <= other * 1.02


def test_weights_pull_the_solution_to_what_weighs(chart24: Layout) -> None:
    random = np.random.default_rng(7)
    shot = chart24.ap1 * np.exp2(random.normal(0, 0.2, chart24.ap1.shape))
    say = np.where(chart24.skin, 50.0, 1.0)
    plain = Evidence(chart24.ap1, shot, chart24.neutral)
    heavy = Evidence(chart24.ap1, shot, chart24.neutral, say)
    left = [residual(plain, solve(e, "cdl", False).grade)[chart24.skin].mean() for e in (plain, heavy)]
    assert left[1] < 0.6 * left[0]


# the hue warp


def test_a_hue_warp_leaves_neutrals_and_luma_alone() -> None:
    warp = HueWarp((18, -15, 10, 5, -19, 19), (0.5, 1.4, 1.0, 0.8, 1.2, 1.5))
    grey = np.repeat(np.linspace(0, 1, 30)[:, None], 3, axis=1)
    assert np.allclose(warp.apply(grey), grey, atol=1e-12)
    rgb = np.random.default_rng(8).uniform(0.1, 0.8, (200, 3))
    luma = np.array([0.2126, 0.7152, 0.0722])
    assert np.allclose(warp.apply(rgb) @ luma, rgb @ luma, atol=1e-12)
    assert np.allclose(HueWarp().apply(rgb), rgb, atol=1e-9)


def test_a_hue_warp_is_monotone_and_periodic() -> None:
    """Even the strongest warp never lets two hues change places."""
    warp = HueWarp((MOST_TURN, -MOST_TURN) * 3)
    hue = np.arange(0, 360, 0.5)
    turned = np.radians(hue)
    red, side = np.array([2.0, -1, -1]) / np.sqrt(6), np.array([0.0, 1, -1]) / np.sqrt(2)
    colours = 0.4 + 0.1 * (np.cos(turned)[:, None] * red + np.sin(turned)[:, None] * side)
    out = np.unwrap(np.radians(hue_of(warp.apply(colours))))
    assert (np.diff(out) > 0).all()
    assert out[-1] - out[0] < 2 * np.pi


def test_a_hue_warp_does_not_depend_on_exposure() -> None:
    """In the log part of ACEScct light is a sum, so that the chroma plane stays where it is."""
    warp = HueWarp((10, 5, -10, 0, 15, -5), (1.2, 0.9, 1.1, 1.0, 0.8, 1.3))
    rgb = np.random.default_rng(9).uniform(0.05, 0.5, (50, 3))
    one, two = (acescct.decode(warp.apply(acescct.encode(k * rgb))) for k in (1.0, 4.0))
    assert np.allclose(two, 4 * one, rtol=1e-9)


def test_a_hue_turn_is_found_again(chart24: Layout) -> None:
    true = Grade(warp=HueWarp((6, 0, -5, 0, 8, 0), (1.1, 1.0, 0.9, 1.0, 1.2, 1.0)))
    pairs = Evidence(np.asarray(true.linear(chart24.ap1)), chart24.ap1, chart24.neutral)
    plain, warped = (solve(pairs, m, leave_one_out=False) for m in ("gains", "gains+warp"))
    assert warped.mean < 0.35 * plain.mean


def test_impossible_warps_are_refused() -> None:
    for bad in (
        {"turn": (40, 0, 0, 0, 0, 0)},
        {"scale": (-1, 1, 1, 1, 1, 1)},
        {"turn": (float("nan"), 0, 0, 0, 0, 0)},
        {"turn": (0, 0)},
    ):
        with pytest.raises(ValueError, match=r"hue|scale|six"):
            HueWarp(**bad)  # type: ignore[arg-type]


# solutions


def test_stages_settle_one_thing_after_the_other(chart24: Layout) -> None:
    """Neutral first, hue angle next, saturation next: each step mends its own."""
    true = Grade(Balance(0.4, (1.1, 1.0, 0.9)), Cdl(saturation=0.8), warp=HueWarp((8, 0, -6, 4, 8, 0)))
    pairs = Evidence(np.asarray(true.linear(chart24.ap1)), chart24.ap1, chart24.neutral)
    filmed, neutral, hue, saturation = stages(pairs)
    assert neutral.neutral < 0.1 * filmed.neutral
    assert hue.hue < 0.6 * neutral.hue
    assert abs(hue.saturation - 1) > 0.15
    assert abs(saturation.saturation - 1) < 0.05
    assert filmed.mean > neutral.mean > hue.mean > saturation.mean


def test_size_and_condition_tell_a_heavy_correction(chart24: Layout) -> None:
    turn = np.array([[1.6, -0.5, -0.1], [-0.4, 1.7, -0.3], [0.1, -0.6, 1.5]])
    heavy = solve(Evidence(chart24.ap1 @ turn.T, chart24.ap1, chart24.neutral), "matrix", leave_one_out=False)
    light = solve(Evidence(chart24.ap1 * 2.0, chart24.ap1, chart24.neutral), "matrix", leave_one_out=False)
    assert light.condition == pytest.approx(1, abs=0.02)
    assert light.size < 0.1  # twice the light is no colour
    assert heavy.condition > 2
    assert heavy.size > 5


def test_one_grey_card_carries_gains_only() -> None:
    pairs = Evidence(np.full((1, 3), 0.18), np.array([[0.1, 0.12, 0.09]]), np.array([True]))
    found = solve_all(pairs, models=BASES)
    assert [s.model for s in found] == ["gains"]
    assert np.isnan(found[0].loo)
    assert np.allclose(found[0].grade.linear(pairs.shot), 0.18, atol=1e-6)
    with pytest.raises(AquinError, match="too few"):
        solve(pairs, "matrix")


def test_grades_of_all_models_survive_writing(chart24: Layout) -> None:
    random = np.random.default_rng(10)
    shot = chart24.ap1 * np.exp2(random.normal(0, 0.1, chart24.ap1.shape))
    for solution in solve_all(Evidence(chart24.ap1, shot, chart24.neutral), models=MODELS):
        assert Grade.of(solution.grade.values()) == solution.grade
        if solution.grade.beyond_cdl:
            with pytest.raises(ValueError, match="does not fit into a CDL"):
                solution.grade.folded()
