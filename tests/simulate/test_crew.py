"""Takes as they are filmed: exposure, white, charts, and each planted mistake as it shows in the file."""

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from aquin.charts.find import find_chart
from aquin.charts.layout import layout
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.simulate.cameras import CAMERAS
from aquin.simulate.crew import Rolling, bake, shoot_take, truth_of
from aquin.simulate.planning import plan
from aquin.simulate.shoot import LOSSLESS, Take
from aquin.simulate.stage import Stage

SHOOT = plan(7)


def a_shot(role: str = "main", **changes: object) -> Take:
    take = next(t for t in SHOOT.shots if t.setup == "car-deck" and t.role == role)
    plain = {"mistake": "", "error_stops": 0.0, "white": "6300K", "rate": 24, "frames": 6, "zero": 2}
    return replace(take, **(plain | changes))  # type: ignore[arg-type]


@pytest.fixture
def roll(stage: Callable[[str, str], Stage]) -> Callable[[Take], Rolling]:
    return lambda take: Rolling(take, stage(take.setup, take.role), 7)


def test_a_take_reads_back_as_recorded(roll: Callable[[Take], Rolling], tmp_path: Path) -> None:
    """FFV1 4:2:2: away from chroma edges the signal comes back within its codes."""
    take = a_shot(form=LOSSLESS)
    (path,) = shoot_take(roll(take), tmp_path)
    source = open_source(path)
    assert (source.start, source.count, source.metadata["reel_name"]) == (take.timecode, 6, take.card)
    wanted = roll(take)
    first = wanted.recorded(0)
    apart = np.abs(source.read(0).rgb - first)
    assert np.median(apart) < 1.5 / 876
    assert np.abs((source.read(0).rgb - first) @ [0.2126, 0.7152, 0.0722]).max() < 1.2 / 876


def test_an_exr_take_is_linear_and_a_dpx_take_is_its_signal(
    roll: Callable[[Take], Rolling], tmp_path: Path
) -> None:
    still = next(t for t in SHOOT.takes if t.kind == "still")
    (path,) = shoot_take(roll(still), tmp_path)
    linear = roll(still).linear(0)
    assert (
        np.abs(
            open_source(path).read(0).rgb / np.maximum(np.abs(linear), 0.01)
            - linear / np.maximum(np.abs(linear), 0.01)
        ).max()
        < 2**-10
    )
    dpx = next(t for t in SHOOT.shots if t.form.codec == "dpx")
    take = a_shot(form=dpx.form, frames=2)
    paths = shoot_take(roll(take), tmp_path)
    source = open_source(paths[0])
    assert (source.count, source.first, source.start) == (2, take.start, take.timecode)
    assert np.abs(source.read(source.first).rgb - roll(take).recorded(0)).max() <= 0.515 / 1023


def test_the_same_seed_gives_the_same_take_and_files_are_kept(
    roll: Callable[[Take], Rolling], tmp_path: Path
) -> None:
    take = a_shot(frames=2)
    (path,) = shoot_take(roll(take), tmp_path / "a")
    (twin,) = shoot_take(roll(take), tmp_path / "b")
    assert np.array_equal(open_source(path).read(1).rgb, open_source(twin).read(1).rgb)
    rolling = roll(take)
    last, first = rolling.recorded(1), rolling.recorded(0)  # in any order
    assert np.array_equal(last, roll(take).recorded(1))
    assert not np.array_equal(first, last)
    stamp = path.stat().st_mtime_ns
    told: list[int] = []
    assert shoot_take(roll(take), tmp_path / "a", told.append) == [path]
    assert path.stat().st_mtime_ns == stamp
    assert sum(told) == 2


def test_people_are_exposed_to_the_metered_level(roll: Callable[[Take], Rolling]) -> None:
    rolling = roll(a_shot(stops=0.0))
    assert 2.0 ** rolling.setting(0).stops * rolling.stage.key() == pytest.approx(1.0)


@pytest.mark.parametrize(("mistake", "stops"), [("over", 2.0), ("under", -3.0)])
def test_wrong_exposures_are_their_stops(mistake: str, stops: float, roll: Callable[[Take], Rolling]) -> None:
    right, wrong = (
        roll(a_shot(mistake=m, error_stops=e)).linear(2, noise=False)
        for m, e in (("", 0.0), (mistake, stops))
    )
    dark = (right > 0.02).all(2) & (right < 0.4).all(2)
    assert np.median(np.log2(wrong[dark] / right[dark])) == pytest.approx(stops, abs=0.01)


def test_a_white_left_over_is_another_colour(roll: Callable[[Take], Rolling]) -> None:
    right, wrong = (roll(a_shot(white=w)).linear(2, noise=False).mean((0, 1)) for w in ("6300K", "4800K"))
    assert (wrong[2] / wrong[0]) / (right[2] / right[0]) > 1.15


def test_flags_names_and_tags_of_mistaken_files(roll: Callable[[Take], Rolling], tmp_path: Path) -> None:
    (path,) = shoot_take(roll(a_shot(mistake="range flag", clip="R", form=LOSSLESS, frames=2)), tmp_path)
    assert open_source(path).signal.range == "full"
    apart = open_source(path, range="legal").read(0).rgb - open_source(path).read(0).rgb
    assert np.abs(apart).mean() > 0.01
    (path,) = shoot_take(roll(a_shot(mistake="no timecode", clip="N", frames=2)), tmp_path)
    assert open_source(path).start is None
    (path,) = shoot_take(roll(a_shot(mistake="frame rate", clip="F", rate=25, frames=2)), tmp_path)
    assert open_source(path).rate == 25
    (path,) = shoot_take(roll(a_shot(mistake="wrong encoding", clip="W", frames=2)), tmp_path)
    assert open_source(path).metadata["comment"] == "Skua Log"


def test_a_truncated_file_can_t_be_read_to_its_end(roll: Callable[[Take], Rolling], tmp_path: Path) -> None:
    (whole,) = shoot_take(roll(a_shot(clip="G", frames=14)), tmp_path)
    (cut,) = shoot_take(roll(a_shot(clip="T", frames=14, mistake="truncated")), tmp_path)
    assert cut.stat().st_size < 0.6 * whole.stat().st_size
    open_source(whole).read(13)
    with pytest.raises(AquinError):
        source = open_source(cut)
        source.read(13)


def test_a_baked_lut_has_more_contrast_and_colour(roll: Callable[[Take], Rolling]) -> None:
    plain, baked = (roll(a_shot(mistake=m)).recorded(2) for m in ("", "baked LUT"))
    assert baked.std() > 1.2 * plain.std()
    spread = [np.abs(p - p.mean(2, keepdims=True)).mean() for p in (plain, baked)]
    assert spread[1] > 1.3 * spread[0]
    ramp = bake(np.repeat(np.linspace(0, 1, 64, dtype=np.float32)[None, :, None], 3, 2))[0, :, 1]
    assert (np.diff(ramp) >= -1e-6).all()


def test_some_frames_of_a_chart_take_are_good_and_some_are_not(roll: Callable[[Take], Rolling]) -> None:
    take = next(t for t in SHOOT.takes if (t.setup, t.role, t.target) == ("galley", "main", "24-patch"))
    rolling = roll(replace(take, mistake="", other_light=""))
    held = [h for _, h in (rolling.hold(k) for k in range(take.frames))]  # type: ignore[misc]
    assert held[take.zero].shadow > 0.5
    assert held[take.zero].glare < 0.25
    assert min(h.shadow for h in held) < 0.45 or max(h.glare for h in held) > 0.4
    finder, config = layout(), ColourConfig.load().with_encodings(CAMERAS["Heron"].encoding)
    found = find_chart(rolling.recorded(take.zero), finder)
    assert found is not None
    assert np.abs(found.corners - held[take.zero].corners).max() < 3.0
    assert config.resolve("Heron Log") == "Heron Log"


def test_a_card_under_other_light_has_its_colour(roll: Callable[[Take], Rolling]) -> None:
    take = next(t for t in SHOOT.takes if (t.setup, t.role, t.target) == ("galley", "main", "24-patch"))
    plain, other = (roll(replace(take, mistake="", other_light=light)) for light in ("", "D65"))
    x, y = plain.hold(take.zero)[1].corners.mean(0).astype(int)  # type: ignore[index]
    window = slice(y - 60, y + 60), slice(x - 80, x + 80)
    a, b = (r.linear(take.zero, noise=False) for r in (plain, other))
    assert (b[window].mean((0, 1))[2] / b[window].mean((0, 1))[0]) > 1.3 * (
        a[window].mean((0, 1))[2] / a[window].mean((0, 1))[0]
    )
    away = slice(0, 90), slice(0, 200)
    assert np.abs(a[away] - b[away]).max() < 1e-5


def test_the_phone_s_white_wanders(stage: Callable[[str, str], Stage]) -> None:
    take = next(t for t in SHOOT.shots if t.role == "phone" and t.setup == "galley")
    rolling = Rolling.__new__(Rolling)
    rolling.take, rolling.stage = take, stage("galley", "main")
    rolling._wander = np.array([0.3, 1.0, 2.0])
    mireds = [1e6 / int(rolling.setting(k).white[:-1]) for k in range(0, take.frames, 4)]
    assert np.ptp(mireds) > 3
    assert abs(np.mean(mireds) - 1e6 / 4100) < 20


def test_the_truth_says_what_happened(roll: Callable[[Take], Rolling]) -> None:
    facts = truth_of(roll(a_shot(mistake="over", error_stops=2.0)))
    assert (facts["mistake"], facts["error_stops"], facts["camera"]) == ("over", 2.0, "Heron")
    assert json.loads(json.dumps(facts)) == facts
