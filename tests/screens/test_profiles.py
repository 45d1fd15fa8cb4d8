"""Monitor profiles against LittleCMS: ones that it makes itself, and round trips of ones that are made here."""

from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageCms

from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.screens.desktop import desktop_profile
from aquin.screens.icc import STANDARDS, fit_of, make_profile, profile_of, read_profile, through
from aquin.screens.light import Light, srgb, to_xyz

MADE = {
    "gamma 2.2": ("bt709", lambda x: x**2.2),
    "wide": ("p3", srgb),
    "widest": ("bt2020", lambda x: x**2.4),
    "old": ("bt709", lambda x: x**1.8),
}


@pytest.fixture(scope="module")
def light() -> Light:
    config = ColourConfig.load()
    return config.display_light(*config.default_view())


def made(name: str, path: Path, when: datetime | None = None) -> Path:
    gamut, curve = MADE[name]
    path.write_bytes(make_profile(to_xyz(gamut).T, curve(np.linspace(0, 1, 1024)), name, when))
    return path


def test_a_made_profile_is_the_one_that_littlecms_makes() -> None:
    """sRGB by our writer against LittleCMS's own: the same colours within two codes of 8 bit."""
    ours = make_profile(to_xyz("bt709").T, srgb(np.linspace(0, 1, 1024)), "srgb")
    theirs = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    wide = make_profile(to_xyz("bt2020").T, np.linspace(0, 1, 1024) ** 2.4, "wide")
    colours = (0.2 + 0.75 * np.random.default_rng(1).random((400, 3))).astype(np.float32)
    gap = np.abs(through(ours, wide)(colours) - through(theirs, wide)(colours)) * 255
    assert gap.max() <= 2
    assert np.abs(through(ours, theirs)(colours) - colours).max() * 255 <= 1.6


@pytest.mark.parametrize("name", list(MADE))
def test_colours_come_back(tmp_path: Path, light: Light, name: str) -> None:
    """There and back through a profile, where the screen shows the colours; and what it is for: closer with it."""
    profile = read_profile(made(name, tmp_path / "a.icc"))
    fit = fit_of(profile, light)
    assert fit.mean < 0.5 and fit.largest < 2
    assert fit.without > 3 * fit.mean
    own = profile_of(light)
    colours = (0.15 + 0.7 * np.random.default_rng(4).random((300, 3))).astype(np.float32)
    back = through(profile.content, own)(through(own, profile.content)(colours))
    assert np.percentile(np.abs(back - colours) * 255, 95) <= 2.5


def test_a_narrow_screen_says_what_it_can_not_show(tmp_path: Path) -> None:
    config = ColourConfig.load()
    wide = config.display_light("Display P3 - Display", "ACES 2.0 - SDR 100 nits (P3 D65)")
    fit = fit_of(read_profile(made("gamma 2.2", tmp_path / "a.icc")), wide)
    assert fit.outside > 5


def test_greys_stay_neutral(tmp_path: Path, light: Light) -> None:
    profile = read_profile(made("wide", tmp_path / "a.icc"))
    greys = np.repeat(np.linspace(0, 1, 52)[:, None], 3, axis=1).astype(np.float32)
    assert np.ptp(through(profile_of(light), profile.content)(greys), axis=1).max() * 255 <= 1.01


def test_date_and_name(tmp_path: Path) -> None:
    found = read_profile(made("old", tmp_path / "x.icc", datetime(2026, 3, 14, 9, 30)))
    assert (found.name, found.when) == ("old", "2026-03-14")
    opened = ImageCms.ImageCmsProfile(str(tmp_path / "x.icc"))
    assert ImageCms.getProfileDescription(opened).strip() == "old"


@pytest.mark.parametrize("content", [b"", b"x" * 400, b"\0" * 36 + b"acsp" + b"\0" * 300])
def test_what_is_no_profile_is_refused(tmp_path: Path, content: bytes) -> None:
    path = tmp_path / "bad.icc"
    path.write_bytes(content)
    with pytest.raises(AquinError):
        read_profile(path)
    with pytest.raises(AquinError):
        read_profile(tmp_path / "missing.icc")


def test_a_printers_profile_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "lab.icc"
    path.write_bytes(ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes())
    with pytest.raises(AquinError):
        read_profile(path)


def test_a_damaged_profile_is_refused(tmp_path: Path) -> None:
    whole = made("wide", tmp_path / "a.icc").read_bytes()
    path = tmp_path / "cut.icc"
    path.write_bytes(whole[:160])
    with pytest.raises(AquinError):
        read_profile(path)


@pytest.mark.parametrize("name", list(STANDARDS))
def test_a_screen_may_be_as_a_standard_has_it(light: Light, name: str) -> None:
    """A deliverable of BT.709 through it is right within half a CIEDE2000; its own standard changes nothing."""
    profile = read_profile(Path(f"standard:{name}"))
    fit = fit_of(profile, light)
    assert fit.mean < 0.5 and profile.made is None
    if name == "BT.709, BT.1886":
        assert fit.without < 0.5
    with pytest.raises(AquinError, match="no standard"):
        read_profile(Path("standard:none"))


def test_the_desktops_service_is_asked(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A stand-in for the command that talks to the colour service: devices, their profiles, a profile's file."""
    profile = made("wide", tmp_path / "monitor.icc")
    tool = tmp_path / "gdbus"
    base = "/org/freedesktop/ColorManager"
    tool.write_text(
        "#!/bin/sh\n"
        'case "$*" in\n'
        f"""  *GetDevicesByKind*) echo "([objectpath '{base}/devices/one'],)";;\n"""
        f"""  *Profiles*) echo "(<[objectpath '{base}/profiles/p1']>,)";;\n"""
        f"""  *Filename*) echo "(<'{profile}'>,)";;\n"""
        "  *) exit 1;;\nesac\n"
    )
    tool.chmod(0o755)
    monkeypatch.setenv("PATH", str(tmp_path), prepend=":")
    assert desktop_profile() == profile
    monkeypatch.setenv("PATH", str(tmp_path / "nothing"))
    assert desktop_profile() is None


def test_pictures_of_the_window_go_through_it(tmp_path: Path) -> None:
    """The last step of the preview: bytes as LittleCMS turns them; and nothing without a profile."""
    from aquin.desk.kit import monitor

    config = ColourConfig.load()
    pixels = np.random.default_rng(8).integers(0, 256, (130, 70, 4), dtype=np.uint8)
    assert monitor.out(pixels) is pixels
    held = monitor.monitor_for(read_profile(made("wide", tmp_path / "a.icc")), config, *config.default_view())
    monitor.use(held)
    try:
        turned = monitor.out(pixels)
        theirs = ImageCms.applyTransform(Image.fromarray(np.ascontiguousarray(pixels[..., 2::-1])), held.turn)
        assert (turned[..., 2::-1] == np.asarray(theirs)).all()
        assert (turned[..., 3] == pixels[..., 3]).all()
        three = np.ascontiguousarray(pixels[..., 2::-1])
        assert (monitor.out(three) == np.asarray(theirs)).all()
    finally:
        monitor.use(None)
