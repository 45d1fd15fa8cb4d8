"""Setups proposed from time, day and what the pictures look like; metadata of stills."""

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from aquin.production import Setup, Shot
from aquin.production.looking import look_at, picture_of, thumbnail
from aquin.production.setups import day_of, propose_setups, seconds_of, signature


def shot(name: str, start: str = "", **fields: object) -> Shot:
    usual: dict[str, object] = {"rate": "24", "frames": 240, "content": name, "camera_id": name[0]}
    return Shot("root", f"{name[0]}01/{name}.mov", name, start=start, **(usual | fields))  # type: ignore[arg-type]


def flat(level: float) -> str:
    return thumbnail(np.full((90, 160, 3), level, np.float32))


def groups(shots: list[Shot]) -> list[list[str]]:
    out: dict[str, list[str]] = {}
    for s in shots:
        out.setdefault(s.setup_id, []).append(s.name)
    return list(out.values())


def test_a_long_pause_starts_another_setup() -> None:
    shots = [
        shot("a1", "10:00:00:00"),
        shot("b1", "10:05:00:00"),
        shot("a2", "11:10:00:00"),
        shot("a3", "11:15:00:00"),
    ]
    setups, placed = propose_setups([], [], shots, {})
    assert groups(placed) == [["a1", "b1"], ["a2", "a3"]]
    assert [s.name for s in setups] == ["setup 1 (10:00)", "setup 2 (11:10)"]
    assert not any(s.confirmed for s in setups)


@pytest.mark.parametrize(("level", "count"), [(0.41, 1), (0.8, 2)])
def test_between_the_limits_the_picture_decides(level: float, count: int) -> None:
    shots = [shot("a1", "10:00:00:00"), shot("a2", "10:20:00:00")]
    setups, _ = propose_setups([], [], shots, {"a1": flat(0.4), "a2": flat(level)})
    assert len(setups) == count


def test_days_are_kept_apart_and_shots_without_time_follow_their_neighbours() -> None:
    shots = [
        shot("a1", "10:00:00:00", reel="A01"),
        shot("a2", "", reel="A01"),
        shot("a3", "10:02:00:00", reel="A02"),
        shot("look", "", kind="reference"),
    ]
    _, placed = propose_setups([], [], shots, {})
    by_name = {s.name: s.setup_id for s in placed}
    assert by_name["a1"] == by_name["a2"] != by_name["a3"]
    assert by_name["look"] == ""


def test_later_shots_join_the_setup_that_was_filmed_then() -> None:
    known = Setup("galley", 1, confirmed=True)
    logged = [shot("a1", "10:00:00:00", setup_id=known.id)]
    setups, placed = propose_setups(
        [known], logged, [shot("b1", "10:03:00:00"), shot("b2", "14:00:00:00")], {}
    )
    assert placed[0].setup_id == known.id
    assert [s.name for s in setups] == ["setup 2 (14:00)"]


def test_times_of_day_by_rate_and_broken_timecodes() -> None:
    assert seconds_of(shot("a", "01:00:00:12")) == (3600.5, 3610.5)
    drop = shot("a", "00:10:00;00", rate="30000/1001", frames=300)
    begin, end = seconds_of(drop)  # type: ignore[misc]
    assert begin == pytest.approx(599.4)  # 17982 numbers at 30 a second
    assert end - begin == pytest.approx(10.01)
    assert seconds_of(shot("a", "25:00:00:00")) is None
    assert seconds_of(shot("a", "")) is None
    assert day_of(shot("a", metadata={"creation_time": "2026-05-04T10:00:00Z"})) == "2026-05-04"


def test_a_small_picture_keeps_the_signal() -> None:
    random = np.random.default_rng(1)
    signal = np.repeat(np.repeat(random.uniform(0.1, 0.9, (6, 8, 3)), 60, axis=0), 80, axis=1).astype(
        np.float32
    )
    small = picture_of(thumbnail(signal))
    assert small.shape == (108, 192, 3)
    assert np.abs(small.mean((0, 1)) - signal.mean((0, 1))).max() < 0.01
    assert np.abs(signature(flat(0.3)) - 0.3).max() < 0.01


def test_what_a_still_says_about_itself(tmp_path: Path) -> None:
    """EXIF fields (CIPA DC-008): exposure time, f-number, sensitivity, focal length, date."""
    path = tmp_path / "still.jpg"
    spec = oiio.ImageSpec(64, 36, 3, oiio.UINT8)
    for key, value in {
        "Model": "Heron",
        "ExposureTime": 1 / 48,
        "FNumber": 2.8,
        "Exif:PhotographicSensitivity": 800,
        "Exif:FocalLength": 35.0,
        "Exif:DateTimeOriginal": "2026:05:04 10:11:12",
    }.items():
        spec.attribute(key, value)
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), spec)
    out.write_image(np.full((36, 64, 3), 128, np.uint8))
    out.close()
    said = look_at(path).fields
    assert (said["shutter"], said["t_stop"], said["exposure_index"], said["lens"]) == (
        "1/48",
        "2.8",
        "800",
        "35",
    )
    assert said["metadata"]["Model"] == "Heron"
    still = Shot("root", "still.jpg", "still", metadata=said["metadata"])
    assert day_of(still) == "2026-05-04"
    setups, _ = propose_setups([], [], [still], {})
    assert setups[0].name == "setup 1 (10:11)"


def test_a_file_that_can_not_be_read_is_looked_at_all_the_same(tmp_path: Path) -> None:
    (tmp_path / "bad.mov").write_bytes(b"nothing" * 99)
    looked = look_at(tmp_path / "bad.mov")
    assert looked.fields["trouble"]
    assert looked.fields["content"]
    assert look_at(tmp_path / "gone.mov").fields["trouble"].startswith("the file can't be read")
