"""Skin, sharpness and noise against changes of known size and against reference libraries."""

import cv2
import numpy as np
import pytest
from skimage import data
from skimage.restoration import estimate_sigma

from aquin.colour import acescct
from aquin.colour.grade import Balance, Grade, softened
from aquin.colour.hue_warp import HueWarp
from aquin.colour.tone_curve import STOPS, ToneCurve
from aquin.match.settle import settle
from aquin.measure import faces
from aquin.measure.detail import noise_of, sharpness_of
from aquin.measure.ledger import AXES
from aquin.measure.looks import Facts, clipped_share, facts
from aquin.measure.scopes import SKIN_ANGLE, chroma
from aquin.measure.skin import skin_angle, skin_mask
from photographs import photographs

TOLERANCE = {a.name: a.tolerance for a in AXES}


def portrait() -> np.ndarray:
    """scikit-image's portrait, (512, 512, 3): a face, public domain."""
    return np.asarray(data.astronaut() / 255, np.float32)


def view(log: np.ndarray) -> np.ndarray:
    """A plain display: the inverse of a power of 2.4."""
    return np.asarray(np.clip(acescct.decode(log), 0, 1) ** (1 / 2.4), np.float32)


def linear() -> np.ndarray:
    return np.asarray(portrait() ** 2.4, np.float32)


def test_skin_is_found_on_the_face_and_hardly_elsewhere() -> None:
    mask = skin_mask(linear(), view)
    face = np.zeros(mask.shape, bool)
    face[85:170, 190:255] = True  # where the face is in that picture
    assert mask[face].mean() > 0.7
    head = np.zeros(mask.shape, bool)
    head[50:215, 160:285] = True
    assert mask[head].sum() / mask.sum() > 0.97
    assert mask[300:].mean() < 0.01  # not the orange cloth


@pytest.mark.parametrize("name", ["coffee", "cat", "rocket", "motorcycle", "china", "flower"])
def test_where_no_face_is_seen_there_is_no_skin(name: str) -> None:
    """Coffee, wood, a cat, painted roofs: photographs that scikit-image and its kin ship, with nobody in them."""
    picture = photographs()[name]
    assert not skin_mask(picture, view).any()
    values = facts(picture, Grade(), view, detail=False).values()
    assert np.isnan(values["skin hue"]) and np.isnan(values["skin level"])


def test_a_picture_is_looked_at_once_and_another_one_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    looked: list[np.ndarray] = []
    monkeypatch.setattr(faces, "_find", lambda signal: looked.append(signal) or [])
    picture = np.random.default_rng(5).random((30, 40, 3)).astype(np.float32)
    changed = picture.copy()
    changed[20, 30, 1] += 0.01
    for one in (picture, picture.copy(), changed, picture, picture[:, ::-1], picture.reshape(40, 30, 3)):
        assert faces.find_faces(one) == []
    assert len(looked) == 4


@pytest.mark.parametrize("darker", [2.0, 1.2, 0.5, 0.25])
def test_skins_from_light_to_dark_are_found(darker: float) -> None:
    """The portrait's skin as if it reflected more or less: dark skin is redder besides (melanin takes blue first)."""
    lit = linear()
    own = skin_mask(lit, view)
    soft = cv2.GaussianBlur(cv2.dilate(own.astype(np.uint8), np.ones((5, 5))).astype(np.float32), (0, 0), 2)[
        ..., None
    ]
    tone = np.float32(darker) ** np.float32([0.9, 1.0, 1.1])
    skin = np.asarray(lit * (1 + (tone - 1) * soft), np.float32)
    found = skin_mask(skin, view)
    assert (found & own).sum() / own.sum() > 0.7
    assert (found & own).sum() / found.sum() > 0.7


@pytest.mark.parametrize(
    "gains", [(0.5, 0.5, 0.5), (2.0, 2.0, 2.0), (1.25, 1.0, 0.75), (0.8, 1.0, 1.3), (1.0, 1.1, 1.0)]
)
def test_the_mask_is_the_same_however_the_picture_was_exposed_and_balanced(
    gains: tuple[float, float, float],
) -> None:
    lit = linear()
    a, b = skin_mask(lit, view), skin_mask(np.asarray(lit * np.float32(gains), np.float32), view)
    assert (a & b).sum() / (a | b).sum() > 0.9


@pytest.mark.parametrize("stops", [-1.0, -0.5, -0.25, 0.25, 0.5])
def test_exposure_hardly_moves_the_hue_of_skin(stops: float) -> None:
    """As filmed and as graded: within a quarter of the tolerance where nothing clips."""
    lit = linear() * np.float32(0.6)
    before = facts(lit, Grade(), view, detail=False).skin_hue
    filmed = facts(np.asarray(lit * np.float32(2**stops), np.float32), Grade(), view, detail=False).skin_hue
    graded = facts(lit, Grade(Balance(stops)), view, detail=False).skin_hue
    assert filmed == pytest.approx(before, abs=TOLERANCE["skin hue"] / 4)
    assert graded == pytest.approx(before, abs=TOLERANCE["skin hue"] / 4)


@pytest.mark.parametrize("turn", [-8.0, -4.0, -2.0, 2.0, 4.0, 8.0])
def test_a_turn_of_skin_is_settled_by_about_itself(turn: float) -> None:
    """Another recording of the same portrait, its hues turned: settling turns them back, not somewhere else."""
    shot = np.asarray(Grade(warp=HueWarp((turn, turn, 0.0, 0.0, 0.0, 0.0))).linear(linear()), np.float32)
    hero = facts(linear(), Grade(), view, detail=False)
    grade = settle(
        None, Grade(), "skin hue", lambda g: facts(shot, g, view, detail=False).values(), hero.values()
    )
    after = facts(shot, grade, view, detail=False, mask=hero.skin)
    assert after.skin_hue == pytest.approx(hero.skin_hue, abs=TOLERANCE["skin hue"] / 2)
    assert grade.warp is not None and grade.warp.turn[0] == pytest.approx(-turn, abs=2.5)


def test_the_angle_is_that_of_bt709() -> None:
    """BT.709: Cb = (B - Y) / 1.8556, Cr = (R - Y) / 1.5748."""
    angle = np.radians(SKIN_ANGLE)
    cb, cr = 0.1 * np.cos(angle), 0.1 * np.sin(angle)
    y = 0.5
    r, b = y + 1.5748 * cr, y + 1.8556 * cb
    g = (y - 0.2126 * r - 0.0722 * b) / 0.7152
    assert skin_angle(np.array([[r, g, b]])) == pytest.approx(SKIN_ANGLE, abs=1e-4)


@pytest.mark.parametrize("turn", [-6.0, 4.0])
def test_a_turned_skin_hue_is_found_within_a_quarter_of_the_tolerance(turn: float) -> None:
    """The chroma plane of the display's own signal is turned, so that the angle is known."""
    signal = portrait()
    mask = skin_mask(linear(), view)
    plane = chroma(signal)
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    moved = plane @ np.array([[c, s], [-s, c]], np.float32)
    y = signal @ np.float32([0.2126, 0.7152, 0.0722])
    r, b = y + 1.5748 * moved[..., 1], y + 1.8556 * moved[..., 0]
    g = (y - 0.2126 * r - 0.0722 * b) / 0.7152
    turned = np.stack([r, g, b], axis=-1)
    before, after = skin_angle(signal[mask]), skin_angle(turned[mask])
    assert after - before == pytest.approx(turn, abs=TOLERANCE["skin hue"] / 4)


@pytest.mark.parametrize("sigma", [0.5, 1.0, 2.0, 4.0])
def test_noise_is_what_was_added_and_what_the_reference_library_says(sigma: float) -> None:
    """scikit-image's estimate_sigma (Donoho & Johnstone 1994, db2 wavelets) on the same picture; codes of 10 bit."""
    random = np.random.default_rng(8)
    ramp = np.linspace(acescct.GREY - 0.08, acescct.GREY + 0.08, 640)[None, :].repeat(400, axis=0)
    noisy = np.asarray(ramp + random.normal(0, sigma / 1023, ramp.shape), np.float32)
    assert noise_of(noisy) == pytest.approx(sigma, abs=TOLERANCE["noise"] / 4)
    assert noise_of(noisy) == pytest.approx(1023 * float(estimate_sigma(noisy)), abs=0.2)


def test_noise_is_looked_for_in_flat_parts() -> None:
    """A busy picture with a flat quarter: the texture is not taken for noise."""
    random = np.random.default_rng(1)
    busy = acescct.GREY + 0.05 * random.standard_normal((400, 640)).cumsum(axis=1) / 10
    busy[:200, :320] = acescct.GREY
    noisy = np.asarray(busy + random.normal(0, 1.5 / 1023, busy.shape), np.float32)
    assert noise_of(noisy) == pytest.approx(1.5, abs=0.5)


@pytest.mark.parametrize("sigma", [0.5, 0.8, 1.2])
def test_a_known_blur_reads_as_its_transfer_function_says(sigma: float) -> None:
    """The ratio that a Gaussian of known sigma gives follows from its transfer function."""
    log = acescct.encode(linear())
    luma = np.asarray(log @ np.float32([0.2126, 0.7152, 0.0722]))
    blurred = np.asarray(softened(log, sigma) @ np.float32([0.2126, 0.7152, 0.0722]))
    sharp, soft = sharpness_of(luma, 0.0), sharpness_of(blurred, 0.0)
    expected = _by_transfer(luma, sigma) / _by_transfer(luma, 0.0)
    assert soft / sharp == pytest.approx(expected, abs=TOLERANCE["sharpness"] / 4)


def _by_transfer(luma: np.ndarray, sigma: float) -> float:
    """Band energies from the picture's spectrum and the Gaussians' transfer functions."""
    window = np.outer(np.hanning(luma.shape[0]), np.hanning(luma.shape[1]))
    power = np.abs(np.fft.fft2((luma - luma.mean()) * window)) ** 2
    f2 = np.fft.fftfreq(luma.shape[0])[:, None] ** 2 + np.fft.fftfreq(luma.shape[1])[None, :] ** 2

    def gauss(s: float) -> np.ndarray:
        return np.exp(-2 * np.pi**2 * s**2 * f2)

    high, mid = ((gauss(a) - gauss(b)) ** 2 * gauss(sigma) ** 2 * power for a, b in ((0.6, 1.2), (2.0, 4.0)))
    return float(np.sqrt(high.sum() / mid.sum()))


def test_noise_does_not_pass_for_sharpness() -> None:
    random = np.random.default_rng(3)
    soft = np.asarray(softened(acescct.encode(linear()), 1.5) @ np.float32([0.2126, 0.7152, 0.0722]))
    noisy = np.asarray(soft + random.normal(0, 3 / 1023, soft.shape), np.float32)
    assert sharpness_of(noisy) == pytest.approx(sharpness_of(soft), rel=TOLERANCE["sharpness"])


def test_clipping_is_the_share_at_the_ceiling() -> None:
    random = np.random.default_rng(2)
    frame = np.asarray(random.uniform(0.1, 0.8, (300, 400, 3)), np.float32)
    assert clipped_share(frame) == pytest.approx(0, abs=0.1)
    frame[:, :40] = 0.9
    assert clipped_share(frame) == pytest.approx(10, abs=0.5)


def facts_under(grade: Grade, mask: np.ndarray | None = None) -> Facts:
    return facts(linear(), grade, view, mask=mask)


@pytest.mark.parametrize(
    "axis,change",
    [
        ("black floor", Grade(curve=ToneCurve((0.8, 0.0, 0.0, 0.0, 0.0)))),
        ("white ceiling", Grade(curve=ToneCurve((0.0, 0.0, 0.0, -0.1, -0.4)))),
        ("skin level", Grade(Balance(-0.3))),
        ("skin hue", Grade(warp=HueWarp((5.0, 5.0, 0.0, 0.0, 0.0, 0.0)))),
        ("sharpness", Grade(softness=0.9)),
    ],
)
def test_axes_of_the_picture_settle_and_move_only_their_own_part(axis: str, change: Grade) -> None:
    mask = skin_mask(linear(), view)
    hero = facts_under(change, mask).values()
    grade = settle(None, Grade(), axis, lambda g: facts_under(g, mask).values(), hero)
    off = facts_under(grade, mask).values()[axis] - hero[axis]
    if axis == "sharpness":
        off /= hero[axis]
    assert abs(off) <= TOLERANCE[axis] / 2
    assert grade.balance == Balance() and grade.trim == Grade().trim
    parts = {"skin hue": "warp", "sharpness": "softness"}
    for part in ("curve", "warp", "softness"):
        assert (getattr(grade, part) != getattr(Grade(), part)) == (part == parts.get(axis, "curve"))


def test_what_is_only_reported_is_left_alone() -> None:
    hero = facts_under(Grade()).values()
    for axis in ("noise", "clipping"):
        assert settle(None, Grade(Balance(0.5)), axis, lambda g: facts_under(g).values(), hero) == Grade(
            Balance(0.5)
        )


def test_the_tone_curve_moves_its_tones_by_stops_of_light() -> None:
    """Also the darkest, which lies where ACEScct is straight (Academy S-2016-001); under it the same light is added."""
    lifts = (0.5, 0.2, 0.0, -0.2, -0.5)
    curve = ToneCurve(lifts)
    tones = acescct.encode(0.18 * np.exp2(np.array(STOPS)))
    assert np.log2(acescct.decode(curve.apply(tones)) / acescct.decode(tones)) == pytest.approx(
        lifts, abs=2e-3
    )
    over = np.array([tones[-1] + 0.4, tones[-1] + 5.0])
    assert (curve.apply(over) - over) / acescct.STOP == pytest.approx([-0.5, -0.5], abs=1e-3)
    under = np.array([-0.004, 0.0, 0.001, 0.005])
    more = 0.18 * (2 ** (STOPS[0] + 0.5) - 2 ** STOPS[0])
    assert acescct.decode(curve.apply(acescct.encode(under))) == pytest.approx(under + more, abs=2e-5)
    for lift in (-0.85, -1.0, -2.0):
        down = ToneCurve((lift, -0.2, 0.0, 0.0, 0.0))
        assert acescct.decode(down.apply(tones[:1])) == pytest.approx(0.18 * 2 ** (STOPS[0] + lift), rel=1e-3)
        assert (np.diff(down.apply(np.linspace(-0.2, 1.4, 4000))) > 0).all()  # nothing changes places
    with pytest.raises(ValueError, match="order"):
        ToneCurve((2.4, 0.0, 0.0, 0.0, 0.0))


def test_a_grade_with_everything_survives_being_written_down() -> None:
    grade = Grade(
        Balance(0.3, (1.1, 1.0, 0.9)),
        curve=ToneCurve((0.1, 0.0, 0.0, 0.0, -0.1)),
        warp=HueWarp((1.0,) * 6),
        softness=0.7,
    )
    assert Grade.of(grade.values()) == grade
    assert grade.beyond_cdl == "tone curve and hue warp" and "0.70 px" in grade.beyond_lut
    with pytest.raises(ValueError, match="softness"):
        Grade.of(grade.values() | {"softness": 40})
