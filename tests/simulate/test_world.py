"""The rendered world against the laws of light and perspective."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from aquin.simulate import kept_layers
from aquin.simulate.cameras import HERON, SKUA
from aquin.simulate.materials import library, number
from aquin.simulate.places import PLACES
from aquin.simulate.stage import Moves, Stage, place_of
from aquin.simulate.targets import TARGETS
from aquin.simulate.world.lens import HEIGHT, MARGIN, WIDTH, Lens
from aquin.simulate.world.light import Lamp, Lighting, Sky, Sun
from aquin.simulate.world.mesh import box, ellipsoid, quad, rotation
from aquin.simulate.world.see import FULL, Sight, Solids

DARK = Sky(("D65", 0.0), ("D65", 0.0), ("D65", 0.0), 0.0)
EVEN = Sky(("D65", 1.0), ("D65", 1.0), ("D65", 1.0), 0.0, ground=1.0)
LENS = Lens((0.0, 1.5, -3.0), (0.0, 0.5, 2.0))
FLOOR = quad([(-50, 0, -50), (-50, 0, 50), (50, 0, 50), (50, 0, -50)], "white")


def lit(lighting: Lighting, points: list, normals: list, meshes: list = [FLOOR]) -> np.ndarray:  # noqa: B006
    sight = Sight(LENS, lighting, Solids(meshes, dict))
    light, _ = sight.light_at(np.array(points, np.float32), np.array(normals, np.float32), "white")
    return light.sum(1)


def test_a_diffuser_under_an_even_sky_has_its_level() -> None:
    """Irradiance under a uniform dome is pi times its radiance, so a perfect diffuser shows the dome's own level."""
    assert lit(Lighting(EVEN), [(0, 0.01, 0)], [(0, 1, 0)]) == pytest.approx([1.0], abs=5e-4)


def test_half_the_sky_gives_half_the_light() -> None:
    wall = quad([(0.01, -50, -50), (0.01, 50, -50), (0.01, 50, 50), (0.01, -50, 50)], "black")
    got = lit(Lighting(EVEN, bounce=("D65", 0.0)), [(0, 0.01, 0)], [(0, 1, 0)], [FLOOR, wall])
    assert got == pytest.approx([0.5], abs=0.03)


@pytest.mark.parametrize("degrees", [0, 30, 60])
def test_sunlight_follows_the_cosine(degrees: float) -> None:
    """Lambert's cosine law (Photometria, 1760)."""
    angle = np.radians(degrees)
    sun = Sun("D50", (0, 1, 0), 0.0, 2.0)
    got = lit(Lighting(DARK, (sun,), ("D65", 0.0)), [(0, 0.5, 0)], [(np.sin(angle), np.cos(angle), 0)])
    assert got == pytest.approx([2.0 * np.cos(angle)], rel=1e-4)


def test_lamps_fall_off_with_the_square_of_distance() -> None:
    lamp = Lamp("A", (0, 10, 0), (0.01, 0, 0), (0, 0, 0.01), 9.0, omni=True)
    near, far = lit(Lighting(DARK, (lamp,), ("D65", 0.0)), [(0, 7, 0), (0, 4, 0)], [(0, 1, 0)] * 2)
    assert near == pytest.approx(1.0, rel=1e-3)
    assert far == pytest.approx(0.25, rel=1e-3)


def test_shadows_are_soft_when_the_light_is_large() -> None:
    block = box((0, 1, 0), (2, 0.1, 20), "black")
    lighting = [Lighting(DARK, (Sun("D50", (0, 1, 0), size, 1.0),), ("D65", 0.0)) for size in (0.01, 20.0)]
    across = [(x, 0.02, 0.0) for x in np.linspace(0.51, 1.53, 20)]
    hard, soft = (lit(one, across, [(0, 1, 0)] * 20, [FLOOR, block]) for one in lighting)
    assert set(np.round(hard, 3)) == {0.0, 1.0}
    assert ((soft > 0.05) & (soft < 0.95)).sum() > 4


def test_a_lens_projects_what_its_rays_meet() -> None:
    lens = Lens((1.0, 2.0, -3.0), (0.0, 1.0, 4.0), 1.3)
    u, v = np.array([480.0, 12.5, 900.0], np.float32), np.array([270.0, 400.0, 33.0], np.float32)
    at, depth = lens.project(np.array(lens.eye) + 7.0 * lens.rays(u, v))
    assert at == pytest.approx(np.stack([u, v], 1), abs=1e-3)
    assert (depth > 0).all()
    assert lens.axes @ lens.axes.T == pytest.approx(np.eye(3), abs=1e-12)
    assert rotation(20, 10, 5) @ rotation(20, 10, 5).T == pytest.approx(np.eye(3), abs=1e-12)


def test_a_ball_is_met_where_geometry_says() -> None:
    ball = Solids([ellipsoid((0, 1.5, 2.0), (0.5, 0.5, 0.5), "white", 48)], dict).static
    hits = ball.met(np.array(LENS.eye, np.float32), np.array([[0, 0, 1], [0, 1, 0]], np.float32))
    assert hits.hit.tolist() == [True, False]
    assert hits.distance[0] == pytest.approx(4.5, abs=2e-3)
    assert hits.normals[0] == pytest.approx([0, 0, -1], abs=0.02)


@pytest.fixture
def deck(stage: Callable[[str, str], Stage]) -> dict[str, Stage]:
    return {role: stage("car-deck", role) for role in ("main", "small")}


def test_a_place_has_faces_and_skin_in_the_picture(deck: dict[str, Stage]) -> None:
    """Each person is there with a head, and skin of more than one darkness covers a good part of the picture."""
    stage = deck["main"]
    names = list(library())
    skins = {}
    for layer in stage._groups.values():
        for kind, count in zip(*np.unique(layer.material[layer.hit], return_counts=True), strict=True):
            if names[kind].startswith("skin"):
                skins[names[kind]] = skins.get(names[kind], 0) + int(count)
    assert len(skins) >= 2
    assert sum(skins.values()) > 4000
    assert sum(name.endswith("head") for name in stage._groups) >= 2


def test_pixels_of_two_cameras_that_see_one_point_have_one_colour(deck: dict[str, Stage]) -> None:
    """The true correspondence: depth and lenses of both, and the same body at both places sees nearly the same
    there.
    """
    a, b = deck["main"], deck["small"]
    pictures = {role: stage.picture(HERON).frame(0, Moves()) for role, stage in deck.items()}
    v, u = np.mgrid[20 : HEIGHT - 20 : 4, 20 : WIDTH - 20 : 4]
    u, v = u.ravel().astype(np.float32) + 0.5, v.ravel().astype(np.float32) + 0.5
    depth = a.depth()[v.astype(int), u.astype(int)]
    near = depth < 60
    points = np.array(a.lens.eye) + depth[near, None] * a.lens.rays(u[near], v[near])
    at, _ = b.lens.project(points)
    inside = (at > 1).all(1) & (at < [WIDTH - 2, HEIGHT - 2]).all(1)
    x, y = at[inside].astype(int).T
    away = np.linalg.norm(points[inside] - b.lens.eye, axis=1)
    seen = np.abs(b.depth()[y, x] / away - 1) < 0.01
    assert seen.sum() > 800
    one = pictures["main"][v[near][inside][seen].astype(int), u[near][inside][seen].astype(int)]
    two = pictures["small"][y[seen], x[seen]]
    apart = np.abs(np.log2(np.maximum(one[:, 1], 1e-3) / np.maximum(two[:, 1], 1e-3)))
    assert np.median(apart) < 0.10
    shuffled = np.abs(np.log2(np.maximum(one[:, 1], 1e-3) / np.maximum(np.roll(two[:, 1], 397), 1e-3)))
    assert np.median(shuffled) > 4 * np.median(apart)


def test_people_move_and_the_deck_stands_still(deck: dict[str, Stage]) -> None:
    picture = deck["main"].picture(HERON)
    first, later = picture.frame(0, Moves()), picture.frame(40, Moves())
    moved = np.abs(first - later).max(2) > 0.02
    assert 0.002 < moved.mean() < 0.3
    assert np.abs(picture.frame(0, Moves()) - first).max() < 1e-6
    shaken = picture.frame(40, Moves(hand=3.0), None, 5)
    assert (np.abs(later - shaken).max(2) > 0.02).mean() > 2 * moved.mean()


def test_a_chart_in_the_place_has_the_chart_s_colours(deck: dict[str, Stage]) -> None:
    """Patches as the camera sees them, over those of the ISO 17321-1 spectra in the same light, are one factor."""
    from aquin.simulate import spectra
    from aquin.simulate.cameras import raw_response

    stage = deck["main"]
    picture = stage.picture(HERON)
    paint, held = picture.target(TARGETS["24-patch"](), stage.grip(2.4, 0.0, 0.0), 0, 0, 0)
    out = picture.frame(0, Moves(), paint)
    top_left, top_right, _, bottom_left = held.corners
    wanted = raw_response(HERON, spectra.chart_reflectances(), spectra.light("D65"))
    got = []
    for k in range(24):
        s, t = (k % 6 / 0.86 + 0.5) / (5 / 0.86 + 1), (k // 6 / 0.86 + 0.5) / (3 / 0.86 + 1)
        x, y = top_left + s * (top_right - top_left) + t * (bottom_left - top_left)
        got.append(out[int(y) - 2 : int(y) + 3, int(x) - 2 : int(x) + 3].mean((0, 1)))
    factor = np.array(got) / wanted
    bright = wanted[:, 1] > 0.1
    assert factor[bright].std() / factor[bright].mean() < 0.06
    assert held.irradiance * 1.0 == pytest.approx(factor[bright].mean(), rel=0.12)


def test_tilting_a_glossy_target_brings_glare(stage: Callable[[str, str], Stage]) -> None:
    galley = stage("galley", "main")
    picture = galley.picture(HERON)
    chart = TARGETS["24-patch"]()
    at = galley.grip(1.6, 0.0, 0.05)
    glare = [picture.target(chart, at, 0, pitch, 0)[1].glare for pitch in range(-60, 61, 5)]
    assert glare[12] < 0.15
    assert max(glare) > 4 * glare[12]
    shadow = picture.target(chart, at, 0, 0, 0, (0.5, 0.6))[1].shadow
    assert shadow < 0.6 * picture.target(chart, at, 0, 0, 0)[1].shadow


def test_dusk_falls_and_reddens_and_then_turns_blue() -> None:
    fading = PLACES["upper-deck"]().fading
    names = ("D75", "D65", "2200K", "3000K")
    early, middle, late = (np.array([fading(m)[n] for n in names]) for m in (0, 12, 25))
    assert early.tolist() == [1, 1, 1, 1]
    assert middle[2] / middle[0] > 1.05
    assert late[2] / late[0] < 0.75
    assert late.max() < 2**-1.5


def test_the_sea_moves_and_foams() -> None:
    stage = Stage("open-water", "flying")
    picture = stage.picture(SKUA)
    first, later = picture.frame(0, Moves(sway=0.0)), picture.frame(30, Moves(sway=0.0))
    assert (np.abs(first - later).max(2) > 0.02).mean() > 0.05
    assert np.percentile(first[..., 1], 99) > 1.0
    assert number()["sea body"] in stage._static.material
    assert stage._static.size == FULL
    assert first.shape == (FULL[0] - 2 * MARGIN, FULL[1] - 2 * MARGIN, 3)


def test_layers_that_are_kept_make_the_same_picture(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    moved, seen, lit = Moves(hand=1.0), [], []
    at = (np.float32([[0.3, 1.2, 0.4]]), np.float32([[0.0, 0.6, 0.8]]), "white")
    monkeypatch.setenv(kept_layers.FOLDER, str(tmp_path))
    for _ in range(2):
        place_of.cache_clear()
        one = Stage("open-water", "flying")
        seen.append(one.picture(SKUA).frame(9, moved).copy())
        lit.append(np.concatenate(one.sight.light_at(*at)))
    assert lit[0].any() and np.array_equal(lit[0], lit[1])
    kept = tmp_path / f"open-water flying {WIDTH}.npz"
    assert {f.name for f in tmp_path.glob("*.npz")} == {kept.name, "open-water solid.npz"}
    kept.write_bytes(kept.read_bytes()[:100_000])  # half a file is no file
    assert not np.array_equal(seen[0], 0 * seen[0])
    monkeypatch.setattr(Sight, "static_layer", lambda _: pytest.fail("made anew"))
    with pytest.raises(pytest.fail.Exception):
        Stage("open-water", "flying")
    monkeypatch.undo()
    monkeypatch.setenv(kept_layers.FOLDER, str(tmp_path / "gone"))
    place_of.cache_clear()
    one = Stage("open-water", "flying")
    assert np.array_equal(lit[0], np.concatenate(one.sight.light_at(*at)))
    seen.append(one.picture(SKUA).frame(9, moved))
    assert all(np.array_equal(seen[0], s) for s in seen)


def test_hair_that_hangs_behind_a_neck_stays_behind_it(stage: Callable[[str, str], Stage]) -> None:
    """Where somebody's head and body both are, the nearer one is seen."""
    galley = stage("galley", "main")
    head, body = (galley._groups[f"cook {part}"] for part in ("head", "body"))
    far = np.full((2, *FULL), np.inf)
    for k, layer in enumerate((head, body)):
        far[k, layer.rows, layer.columns] = np.where(
            layer.centre(layer.hit), layer.centre(layer.distance), np.inf
        )
    neck = np.isfinite(far).all(0) & (far[1] < far[0] - 0.03)
    assert neck.sum() > 100
    seen = galley.picture(HERON).frame(0, Moves(sway=0.0))
    inner = neck[MARGIN : MARGIN + HEIGHT, MARGIN : MARGIN + WIDTH]
    kinds = body.centre(body.material)[neck[body.rows, body.columns]]
    names = np.array(list(library()))[kinds]
    assert {"skin tan", "check shirt"} & set(names)
    hair = galley._groups["cook head"]
    dark = hair.centre(hair.material)[neck[hair.rows, hair.columns]]
    assert (np.array(list(library()))[dark] == "hair black").mean() > 0.5
    assert np.median(seen[inner][:, 0]) > 0.02
