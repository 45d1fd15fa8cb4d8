"""Light of screens against published formulas and an independent library (colour-science); steps against the table of
NEMA PS3.14.
"""

from dataclasses import replace

import colour
import numpy as np
import pytest

from aquin.colour.config import ColourConfig
from aquin.screens.encode import web
from aquin.screens.fields import FIELDS, SAID, field, grey_of
from aquin.screens.light import (
    SCREENS,
    bt1886,
    bt1886_signal,
    hlg,
    pq,
    screen_named,
    seen_on,
    srgb,
    srgb_signal,
    to_xyz,
    white_point,
)
from aquin.screens.losses import REFERENCE, losses, reference_light
from aquin.screens.steps import steps

RAMP = np.linspace(0, 1, 101)


@pytest.mark.parametrize("black", [0.01, 0.1, 1.0])
def test_bt1886_with_its_black_lifted(black: float) -> None:
    """ITU-R BT.1886, annex 1, as colour-science has it."""
    theirs = colour.eotf(RAMP, "ITU-R BT.1886", L_B=black, L_W=100.0)
    assert bt1886(RAMP, 100.0, black) == pytest.approx(theirs, rel=1e-6)
    assert bt1886_signal(bt1886(RAMP, 100.0, black), 100.0, black) == pytest.approx(RAMP, abs=1e-9)
    assert bt1886(np.array([0.0, 1.0]), 100.0, black) == pytest.approx([black, 100.0])


def test_srgb_pq_and_hlg() -> None:
    """IEC 61966-2-1, SMPTE ST 2084 and ITU-R BT.2100, as colour-science has them."""
    assert srgb(RAMP) == pytest.approx(colour.eotf(RAMP, "sRGB"), abs=2e-7)
    assert srgb_signal(srgb(RAMP)) == pytest.approx(RAMP, abs=1e-6)
    assert pq(RAMP) == pytest.approx(colour.eotf(RAMP, "ITU-R BT.2100 PQ"), rel=1e-6, abs=1e-6)
    assert pq(np.array([0.5080784])) == pytest.approx([100.0], rel=1e-3)  # 100 cd/m2 lies at 50.8 % (ST 2084)
    assert hlg(RAMP) == pytest.approx(colour.models.oetf_inverse_BT2100_HLG(RAMP), abs=1e-6)


@pytest.mark.parametrize(
    ("ours", "theirs"), [("bt709", "ITU-R BT.709"), ("p3", "P3-D65"), ("bt2020", "ITU-R BT.2020")]
)
def test_primaries(ours: str, theirs: str) -> None:
    matrix = colour.RGB_COLOURSPACES[theirs].matrix_RGB_to_XYZ
    assert to_xyz(ours) == pytest.approx(matrix, abs=2e-4)


def test_steps_as_the_table_has_them() -> None:
    """NEMA PS3.14, table B-1: indices 1, 2 and 1023; and index 512 as its formula 7.2 gives it."""
    assert steps(np.array([0.05, 0.0547, 3993.404])) == pytest.approx([1, 2, 1023], abs=0.12)
    j = 512.0
    x = np.log(j)
    top = -1.3011877 + 8.0242636e-2 * x + 1.3646699e-1 * x**2 - 2.5468404e-2 * x**3 + 1.3635334e-3 * x**4
    low = (
        1
        - 2.5840191e-2 * x
        - 1.0320229e-1 * x**2
        + 2.8745620e-2 * x**3
        - 3.1978977e-3 * x**4
        + 1.2992634e-4 * x**5
    )
    assert steps(np.array([10 ** (top / low)])) == pytest.approx([j], abs=0.5)
    assert (np.diff(steps(np.linspace(0, 4, 400))) > 0).all()


def test_a_veil_is_added_light() -> None:
    """Lambert: 1000 lux on a face that reflects 4.5 % add 1000 x 0.045 / pi cd/m2, of the light's white."""
    phone = screen_named("telephone")
    assert phone.veil == pytest.approx(1000 * 0.045 / np.pi)
    dark = screen_named("telephone", lux=0.0)
    signal = np.random.default_rng(3).random((20, 3))
    gap = seen_on(phone, signal, _light) - seen_on(dark, signal, _light)
    assert gap == pytest.approx(np.tile(phone.veil * white_point(), (20, 1)))
    assert phone.contrast == pytest.approx((500 + phone.veil) / (0.01 + phone.veil))


def _light(signal: np.ndarray) -> np.ndarray:
    """BT.1886 with a black of nothing, relative."""
    return np.asarray(np.clip(signal, 0, 1) ** 2.4 @ to_xyz("bt709").T)


def test_a_screen_that_converts_shows_what_is_meant_and_one_that_does_not_is_too_rich() -> None:
    signal = np.array([[0.7, 0.3, 0.2], [0.2, 0.6, 0.3]])
    meant = _light(signal)
    wide = screen_named("p3-cinema", black=1e-6)
    assert seen_on(wide, signal, _light) / wide.white == pytest.approx(meant, abs=2e-4)
    plain = seen_on(screen_named("p3-display", lux=0.0, black=1e-6), signal, _light)
    away = [np.abs(x[:, 0] / x.sum(axis=1) - 0.3127) for x in (meant, plain)]
    assert (away[1] > away[0]).all()


def test_the_configurations_displays_make_the_light_that_standards_say(builtin: ColourConfig) -> None:
    display, view = builtin.default_view()
    light = builtin.display_light(display, view)
    signal = np.random.default_rng(2).random((50, 3)).astype(np.float32)
    assert np.asarray(light(signal)) == pytest.approx(_light(signal), abs=2e-3)
    back = builtin.display_signal(display, view)(np.asarray(light(signal), np.float32))
    assert np.asarray(back) == pytest.approx(signal, abs=1e-3)


@pytest.fixture(scope="module")
def picture() -> np.ndarray:
    from skimage import data

    return np.asarray(data.astronaut()[::2, ::2], np.float32) / 255


def test_the_screen_that_a_picture_was_graded_on_loses_nothing(picture: np.ndarray) -> None:
    same = reference_light(REFERENCE, picture, _light)[..., 1]
    low, high = (x + REFERENCE.veil for x in (REFERENCE.black, REFERENCE.white))
    assert same.min() >= low - 1e-9 and same.max() <= high + 1e-6
    found = losses(REFERENCE, picture, _light)
    assert found.crushed < 0.5 and found.clipped < 0.5 and found.outside == 0
    assert abs(found.shadow_steps) < 0.5 and abs(found.light_steps) < 0.5 and found.moved < 0.05


def test_less_contrast_loses_more(picture: np.ndarray) -> None:
    """Each step brighter in the room takes contrast, and with it shadows."""
    found = [
        losses(screen_named("telephone", lux=lux), picture, _light) for lux in (0.0, 500.0, 5000.0, 50000.0)
    ]
    assert [f.contrast for f in found] == sorted((f.contrast for f in found), reverse=True)
    assert [f.shadow_steps for f in found] == sorted(f.shadow_steps for f in found)
    assert found[-1].crushed > found[0].crushed
    assert found[-1].shadow_steps > 50


def test_skin_and_what_lies_outside(picture: np.ndarray) -> None:
    skin = np.zeros(picture.shape[:2], bool)
    skin[30:70, 95:125] = True  # the face
    wide = losses(screen_named("p3-display"), picture, _light, skin)
    assert wide.skin is not None and 0.5 < wide.skin[0] < 8
    assert wide.outside == 0  # it shows all numbers, as other colours

    def p3(signal: np.ndarray) -> np.ndarray:
        return np.asarray(np.clip(signal, 0, 1) ** 2.4 @ to_xyz("p3").T)

    narrow = screen_named("hdr-sdr")
    red = np.zeros((40, 40, 3), np.float32)
    red[..., 0] = 1
    assert losses(replace(narrow, gamut="bt709"), red, p3).outside == 100
    assert losses(narrow, red, p3).outside == 0


def test_a_web_encode_is_real(picture: np.ndarray) -> None:
    """More bits, less error; grey stays grey; chroma at half resolution blurs a sharp edge of colour."""
    errors = [float(np.abs(web(picture, rate) - picture).mean()) for rate in (0.5, 5.0, 50.0)]
    assert errors == sorted(errors, reverse=True)
    assert errors[-1] < 0.012
    flat = np.full((64, 64, 3), 0.5, np.float32)
    assert web(flat, 5.0) == pytest.approx(flat, abs=1.5 / 255)
    edge = np.zeros((64, 64, 3), np.float32)
    edge[:, 33:, 0] = 0.8
    edge[:, :33, 2] = 0.8
    made = web(edge, 50.0)
    assert np.abs(made - edge)[:, 31:36].max() > 0.1


@pytest.mark.parametrize("name", FIELDS)
def test_fields(name: str) -> None:
    made = field(name, 640, 300)
    assert made.shape == (300, 640, 3) and made.dtype == np.uint8
    assert len(SAID[name]) > 60


def test_lines_and_grey_are_equally_bright() -> None:
    """Half black and half white is half the light: the grey of a gamma has that light on such a screen."""
    for gamma in (2.2, 2.4):
        assert (grey_of(gamma) / 255) ** gamma == pytest.approx(0.5, abs=0.004)
    made = field("gamma", 500, 200)[..., 0]
    assert made[::2, 0].mean() == 255 and made[1::2, 0].mean() == 0
    near = field("near black", 660, 60)[..., 0]
    assert {int(v) for v in np.unique(near)} == set(range(0, 21, 2))


def test_every_screen_has_its_own_name() -> None:
    assert len({s.id for s in SCREENS}) == len({s.name for s in SCREENS}) == len(SCREENS)
