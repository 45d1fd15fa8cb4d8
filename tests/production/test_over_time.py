"""Light that changes within a take: real photographs that packages ship, panned over while known gains change."""

import csv
import json
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import OpenImageIO as oiio
import PyOpenColorIO as ocio
import pytest

from aquin.colour.grade import Grade
from aquin.colour.over_time import change_at
from aquin.colour.white import STOPS_A_MIRED
from aquin.jobs.follow_light import follow_light, forget_keys, write_list
from aquin.jobs.render_frame import Target, render_shot
from aquin.match.drift import from_parts
from aquin.production import Production, Setup, Shot
from aquin.production.audit import run_audit
from aquin.production.grading import held_grade, trim_of
from aquin.production.over_time import Followed, follow, graded_after, keep
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot, frame_of
from aquin.production.trims import accept, trims_for
from changing import FRAMES, PHOTOS, change
from cli.running import plain
from shoots import copy_of


@pytest.fixture
def production(changing: Path):  # type: ignore[no-untyped-def]
    made = Production.open(copy_of(changing))
    yield made
    made.close()


def named(production: Production, name: str) -> Shot:
    return next(s for s in production.all(Shot) if s.name == name)


def test_a_known_change_reads_as_that_change_and_no_change_as_none(production: Production) -> None:
    shots = production.all(Shot)
    found = follow(production, config_of(production), shots)
    off, stated = [], []
    for shot in shots:
        one = found[shot.id]
        origin = frame_of(Shoot(production, config_of(production)), shot)
        if shot.name == "steady":
            assert one.span < 0.03 and not one.changes
            continue
        true = change(shot.name, one.frames) - change(shot.name, [origin])
        error = np.abs(one.change - true)
        assert error.max() < 0.04 and one.changes, (shot.name, error.max())
        off += list(error.mean(axis=1))
        stated += list(one.error)
        grade = graded_after(production, config_of(production), one)
        every = np.arange(FRAMES) + shot.first
        left = change(shot.name, every - shot.first) + change_at(grade.keys, every)
        assert np.ptp(left, axis=0).max() < 0.1 < np.ptp(change(shot.name, every), axis=0).max()
    held = np.array(off)[np.array(stated) > 0] < 2 * np.array(stated)[np.array(stated) > 0]
    assert held.mean() > 0.9


def test_the_audit_tells_it_and_keys_settle_it(production: Production) -> None:
    config = config_of(production)
    told = {i for f in run_audit(production, config) if f.kind == "changing light" for i in f.shots}
    assert {production.get(Shot, i).name for i in told} == set(PHOTOS)
    shot = named(production, "coffee")
    (said,) = follow_light(production, config, [shot], keeping=True)
    assert said["kept"] and len(said["keys"]) >= 2 and said["left_stops"] < 0.1
    told = {
        i for f in run_audit(production, config, measure=False) if f.kind == "changing light" for i in f.shots
    }
    assert shot.id not in told
    production.undo()
    assert not (held_grade(production, shot) or Grade()).keys


def test_frames_are_rendered_as_the_grade_holds_there(production: Production, tmp_path: Path) -> None:
    """Two frames far apart, whose middle parts the pan moves by known pixels, look alike once light is followed."""
    config, shot = config_of(production), named(production, "coffee")

    def middle(frame: int) -> np.ndarray:
        out = tmp_path / f"{frame}.exr"
        render_shot(production, config, shot, Target(out, to="ACES2065-1", force=True), shot.first + frame)
        pixels = oiio.ImageBuf(str(out)).get_pixels(oiio.FLOAT)
        x, y = 1.5 * frame, 0.5 * frame
        return np.asarray(
            cv2.getRectSubPix(pixels, (300, 180), (320 + 60 - x, 180 + 20 - y)).mean(axis=(0, 1))
        )

    apart = np.log2(middle(64) / middle(8)).mean()
    assert apart == pytest.approx(-0.6, abs=0.03)  # as filmed
    follow_light(production, config, [shot], keeping=True)
    assert abs(np.log2(middle(64) / middle(8)).mean()) < 0.05


def test_a_change_list_holds_the_keys_and_opencolorio_reads_them(
    production: Production, tmp_path: Path
) -> None:
    config, shot = config_of(production), named(production, "astronaut")
    follow_light(production, config, [shot], keeping=True)
    grade = held_grade(production, shot)
    assert grade is not None
    write_list(production, shot, tmp_path / "a.csv")
    rows = list(csv.DictReader((tmp_path / "a.csv").open()))
    assert [int(r["frame"]) for r in rows] == [k.frame for k in grade.keys]
    assert rows[0]["timecode"] == "10:00:00:00" and rows[-1]["timecode"] == "10:00:03:00"
    assert float(rows[-1]["stops"]) == pytest.approx(grade.at(grade.keys[-1].frame).balance.stops, abs=1e-3)
    assert write_list(production, shot, tmp_path / "a.ccc") == len(grade.keys)
    found = ocio.CDLTransform.CreateGroupFromFile(str(tmp_path / "a.ccc"))
    read = [c.getOffset() for c in found]
    assert len(read) == len(grade.keys)
    for offset, key in zip(read, grade.keys, strict=True):
        assert offset == pytest.approx(grade.at(key.frame).folded().offset, abs=1e-6)
    assert write_list(production, shot, tmp_path / "every.json", every=True) == FRAMES
    every = json.loads((tmp_path / "every.json").read_text())["keys"]
    assert Grade.of(every[30]["grade"]) == grade.at(shot.first + 30)


def test_files_that_hold_one_value_hold_the_middle_and_say_so(production: Production, tmp_path: Path) -> None:
    config, shot = config_of(production), named(production, "coffee")
    follow_light(production, config, [shot], keeping=True)
    code, said, _ = plain("grade", production.path, shot.name, "--out", tmp_path / "g.cdl")
    assert code == 0 and "of which this is the middle" in said
    assert "of which this is the middle" in (tmp_path / "g.cdl").read_text()


def test_later_trims_keep_the_keys_and_still_follow(production: Production) -> None:
    """A trim of Aquin's that moves stays moving when it is decided anew."""
    config, shot = config_of(production), named(production, "coffee")
    hero = named(production, "steady")
    production.change("hero", replace(production.get(Setup, shot.setup_id), hero_id=hero.id))
    (found,) = follow(production, config, [shot]).values()
    keep(production, config, found, graded_after(production, config, found))
    before = held_grade(production, shot)
    own = trim_of(production, shot)
    assert before is not None and own is not None and own.values["auto"]
    shoot = Shoot(production, config)
    place = (shot.setup_id, shot.camera_id)
    accept(production, config, [t for t in trims_for(shoot, [place]) if t.shot.id == shot.id] or [])
    after = held_grade(production, shot)
    assert after is not None and after.keys == before.keys
    assert forget_keys(production, config, [shot]) == [shot.name]
    still = held_grade(production, shot)
    assert still is not None and not still.keys


def test_the_command_tells_keeps_and_takes_back(production: Production, tmp_path: Path) -> None:
    path = production.path
    code, said, _ = plain("follow", path, "coffee", "steady", "--json")
    data = {s["shot"]: s for s in json.loads(said)["shots"]}
    assert code == 1 and data["coffee"]["changes"] and not data["steady"]["changes"]
    assert "falls by 0.6" in data["coffee"]["words"]
    code, said, _ = plain("follow", path, "coffee", "--keep", "--out", tmp_path / "c.csv")
    assert code == 0 and "rows" in said
    code, _, error = plain("follow", path, "coffee", "--out", tmp_path / "c.txt")
    assert code == 2 and "change list" in error
    code, _, error = plain("follow", path, "steady", "--out", tmp_path / "s.csv")
    assert code == 2 and "one value" in error
    code, said, _ = plain("follow", path, "coffee", "--forget")
    assert "held still" in said
    code, _, error = plain("follow", path, "coffee", "--tolerance", "7")
    assert code == 2 and "tolerance" in error


@pytest.mark.parametrize(
    ("parts", "words"),
    [
        ([(0, 0, 0), (-0.3, 0, 0), (-0.6, 0, 0)], "light falls by 0.60 st within the take"),
        ([(0, 0, 0), (0.4, 12, 0)], "light rises by 0.40 st and turns 12 mired warmer within the take"),
        ([(0.01, 0, 0), (0, -13, 0)], "white turns 13 mired cooler within the take"),
        ([(0, -9, 0), (0.01, 4, 0), (0, 0, 0)], "white turns 13 mired warmer within the take"),
        ([(0, 0, 0), (0, 0, 0.12)], "white turns greener by 0.12 st within the take"),
    ],
)
def test_only_what_changes_is_put_into_words(parts: list[tuple[float, float, float]], words: str) -> None:
    rows = from_parts(np.array(parts, np.float64) * (1, STOPS_A_MIRED, 1))
    frames = tuple(range(len(rows)))
    assert (
        Followed(
            Shot("", "a.mkv", "a"), frames, rows, np.full(len(rows), 0.01), "the same points", rows
        ).words
        == words
    )
