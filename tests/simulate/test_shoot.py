"""The plan of the shoot and its papers, over seeds that were not looked at."""

import csv
import io
from itertools import pairwise

import numpy as np
import opentimelineio as otio
import pytest

from aquin.frames.timecode import frames_of, timecode_of
from aquin.simulate import paperwork
from aquin.simulate.cameras import CAMERAS
from aquin.simulate.crew import said_encoding
from aquin.simulate.film import RATE
from aquin.simulate.places import PLACES
from aquin.simulate.planning import plan
from aquin.simulate.shoot import MISTAKES, SERIES_STOPS, SETUPS, SILENT_PAIR, Shoot

SEEDS = [2026, *range(40, 52)]


@pytest.fixture(params=SEEDS, scope="module")
def shoot(request: pytest.FixtureRequest) -> Shoot:
    return plan(request.param)


def test_the_shoot_has_the_size_of_a_small_documentary(shoot: Shoot) -> None:
    assert 40 <= len(shoot.shots) <= 60
    assert all(2 <= t.frames / 24 <= 6 for t in shoot.shots)
    assert 140 <= sum(e.frames for e in shoot.edit) / 24 <= 200
    assert {t.setup for t in shoot.shots} == {s.name for s in SETUPS}
    assert {t.camera.name for t in shoot.shots} == set(CAMERAS)
    assert plan(shoot.seed) == shoot


def test_each_mistake_is_planted_once_in_another_take(shoot: Shoot) -> None:
    assert set(shoot.mistaken) == set(MISTAKES)
    assert all(len(takes) == (2 if name == "duplicate name" else 1) for name, takes in shoot.mistaken.items())
    one = {name: takes[0] for name, takes in shoot.mistaken.items()}
    assert one["over"].error_stops == pytest.approx(2, abs=0.1)
    assert one["under"].error_stops == pytest.approx(-3, abs=0.1)
    assert said_encoding(one["wrong encoding"]) != one["wrong encoding"].camera.encoding.name
    assert one["white left"].white != next(s.white for s in SETUPS if s.name == one["white left"].setup)
    assert one["other light"].kind == "chart"
    assert one["frame rate"].rate == 25
    assert len({t.card for t in shoot.mistaken["duplicate name"]}) == 2


def test_names_are_unique_but_for_the_planted_pair(shoot: Shoot) -> None:
    names = [t.clip for t in shoot.takes]
    assert len({t.path for t in shoot.takes}) == len(names)
    assert len(set(names)) == len(names) - 1


def test_cameras_roll_together_and_none_records_two_takes_at_once(shoot: Shoot) -> None:
    for setup in SETUPS:
        for number in range(1, len(setup.slates) + 1):
            takes = [t for t in shoot.shots if (t.setup, t.number) == (setup.name, number)]
            assert len(takes) == len(setup.roles)
            assert max(t.start for t in takes) < min(t.start + t.frames for t in takes)
            assert len({t.start + t.zero for t in takes}) == 1
    for role in ("main", "small", "flying", "phone"):
        spans = sorted(
            (t.start, t.start + t.frames) for t in shoot.takes if t.role == role and t.card[1:] != "00"
        )
        assert all(a[1] <= b[0] for a, b in pairwise(spans))


def test_every_pair_of_camera_and_setup_has_a_chart_but_one(shoot: Shoot) -> None:
    for setup in SETUPS:
        for role in setup.roles:
            kinds = {t.target for t in shoot.of(setup.name, role) if t.kind == "chart"}
            assert ("24-patch" in kinds) == ((setup.name, role) != SILENT_PAIR)
    wedges = {t.setup for t in shoot.takes if t.target == "crossed wedge"}
    assert wedges == {t.setup for t in shoot.takes if t.target == "video chart"}
    assert len(wedges) == 2
    assert len({t.setup for t in shoot.takes if t.target == "grey card"}) == 5


def test_each_camera_has_a_series_with_the_errors_of_real_apertures(shoot: Shoot) -> None:
    for role in ("main", "small", "flying", "phone"):
        series = [t for t in shoot.takes if t.kind == "series" and t.role == role]
        assert [t.stops for t in series] == list(SERIES_STOPS)
        errors = np.array([t.error_stops for t in series])
        assert np.abs(errors).max() <= 1 / 3
        assert np.abs(errors).max() > 0.15
        assert errors[SERIES_STOPS.index(0)] == 0


def test_one_exr_and_one_dpx_sequence(shoot: Shoot) -> None:
    assert sorted(t.form.codec for t in shoot.shots if t.form.codec in ("exr", "dpx")) == ["dpx", "exr"]


def test_the_camera_report_has_all_but_one_take_and_a_few_gaps(shoot: Shoot) -> None:
    rows = list(csv.DictReader(io.StringIO(paperwork.camera_report(shoot))))
    assert len(rows) == len(shoot.takes) - 1
    assert tuple(rows[0]) == paperwork.COLUMNS
    known = {(t.card, t.clip): t for t in shoot.takes}
    assert all((row["Card"], row["Clip"]) in known for row in rows)
    right = [row for row in rows if row["Setup"] == known[row["Card"], row["Clip"]].setup]
    assert len(right) == len(rows) - 1
    assert (
        sum(not row["White"] or not row["Encoding"] or not row["Slate"] or not row["EI"] for row in rows) >= 3
    )
    notes = paperwork.sound_notes(shoot)
    assert sum(s in notes for setup in SETUPS for s in setup.slates) < sum(len(s.slates) for s in SETUPS) + 2


@pytest.mark.parametrize("form", ["cmx_3600", "otio_json"])
def test_timecodes_and_reels_survive_the_edit_list(shoot: Shoot, form: str) -> None:
    """Written and read back by OpenTimelineIO's own adapters; edit lists after SMPTE ST 258."""
    text = paperwork.edit_list(shoot) if form == "cmx_3600" else paperwork.edit_timeline(shoot)
    line = otio.adapters.read_from_string(text, form, **({"rate": 24} if form == "cmx_3600" else {}))
    clips = list(line.find_clips())
    assert len(clips) == len(shoot.edit)
    for clip, event in zip(clips, shoot.edit, strict=True):
        t = event.take
        assert clip.metadata["cmx_3600"]["reel"] == t.card
        assert clip.name == t.clip
        assert clip.source_range.start_time.to_frames() == t.start + event.first
        assert clip.source_range.duration.to_frames() == event.frames
        assert t.start <= clip.source_range.start_time.to_frames()
        assert event.first + event.frames <= t.frames
    cuts = [e.take.role for e in shoot.edit]
    assert sum(a != b for a, b in pairwise(cuts)) > 0.6 * len(cuts)


def test_timecode_of_a_take_is_its_count_of_frames(shoot: Shoot) -> None:
    for take in shoot.takes[::17]:
        assert frames_of(take.timecode, RATE) == take.start
        assert take.end_timecode == timecode_of(take.start + take.frames, RATE)


def test_places_are_there_for_all_setups_and_roles() -> None:
    for setup in SETUPS:
        place = PLACES[setup.name]()
        assert set(setup.roles) == set(place.lenses)
        assert len(place.people) >= 2


def test_the_papers_name_only_invented_people() -> None:
    text = paperwork.crew_list()
    assert "invented" in text
    assert all(name in text for name in CAMERAS)
