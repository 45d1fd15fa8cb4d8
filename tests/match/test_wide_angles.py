"""Two views up to 60 degrees apart of textured planes (real photographs), one by another camera."""

import numpy as np
import pytest

from aquin.charts.solve import residual, solve_all
from aquin.colour import acescct
from aquin.colour.grade import Grade
from aquin.match.engine import Side, match_sides
from planes import by_another_camera, turned, two_views

PHOTOGRAPHS = ("astronaut", "coffee", "cat", "motorcycle", "china", "flower")


def side(linear: np.ndarray) -> Side:
    light = np.asarray(linear, np.float32)
    return Side(np.asarray(acescct.encode(light), np.float32), light)


def test_the_other_view_is_the_true_one() -> None:
    """The yardstick: pairs of places are the same places, and no turn is none."""
    assert np.allclose(turned(640, 420, 0, 0), np.eye(3))
    scene, other, true = two_views("cat", 45)
    alike = by_another_camera(true.hero[None].astype(np.float32), 3)[0]
    ratio = np.log2(np.maximum(true.shot, 1e-4) / np.maximum(alike, 1e-4))
    assert np.abs(np.median(ratio, axis=0)).max() < 0.02
    assert scene.shape == other.shape


@pytest.mark.parametrize("degrees", [30, 60])
def test_wide_angles_are_matched_by_the_same_points(degrees: float) -> None:
    ratios = []
    for name in PHOTOGRAPHS:
        scene, other, true = two_views(name, degrees)
        found = match_sides(side(scene), side(other), models=("gains", "cdl"))
        assert "points" in found.by, name
        best = residual(true, solve_all(true, None, None, ("cdl",))[0].grade).mean()
        ours = residual(true, found.solution().grade).mean()
        assert ours < residual(true, Grade()).mean(), name  # none worse than untouched
        ratios.append(ours / best)
    assert np.median(ratios) < 1.25 and max(ratios) < 2.2
