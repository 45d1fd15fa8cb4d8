"""Continuity and screens from the command line: JSON that scripts rely on, exit codes, refusals."""

import json
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from running import plain

from aquin.frames.timecode import frames_of, timecode_of
from aquin.production import Production, Setup, Shot
from aquin.production.conform import Cut, CutList, conform
from aquin.production.heroes import hero_of
from aquin.screens.icc import make_profile
from aquin.screens.light import SCREENS, srgb, to_xyz
from shoots import copy_of

RATE = Fraction(24)


@pytest.fixture
def film(settled: Path, tmp_path: Path) -> Path:
    path = settled.with_name(f"{tmp_path.name}.aquin")
    copy_of(settled, path)
    return path


def edited(film: Path) -> list[Shot]:
    production = Production.open(film)
    held = next(s for s in production.all(Setup) if s.name == "pier")
    hero = hero_of(production, held)
    assert hero is not None
    others = [
        s for s in production.all(Shot) if s.setup_id == held.id and s.kind == "shot" and s.id != hero.id
    ]
    shots = [hero, *others][:3]
    cuts = []
    for shot in shots:
        begin = frames_of(shot.start, RATE)
        ends = [timecode_of(begin + k, RATE) for k in (0, 3)]
        cuts.append(Cut(shot.reel, shot.name, *ends, "", 3, shot.path))
    conform(production, CutList("cut 1", "", RATE, tuple(cuts)))
    production.close()
    return shots


def test_the_cut_in_json(film: Path, tmp_path: Path) -> None:
    shots = edited(film)
    code, out, _ = plain("continuity", film, "--known", "--json")
    known = json.loads(out)
    assert code == 0 and known["unmeasured"] == 2
    code, out, _ = plain("continuity", film, "--jobs", "1", "--json")
    data = json.loads(out)
    assert code == (1 if data["jumps"] else 0)
    assert [(c["position"], c["from"], c["to"]) for c in data["cuts"]] == [
        (2, shots[0].name, shots[1].name),
        (3, shots[1].name, shots[2].name),
    ]
    axes = data["cuts"][0]["axes"]
    assert {"exposure", "warmth", "tint", "saturation", "black floor"} <= axes.keys()
    assert set(axes["exposure"]) >= {"difference", "tolerance", "within", "judged_by", "doubt"}
    assert axes["black floor"]["within"] is None and axes["black floor"]["judged_by"] == ""
    code, out, _ = plain("continuity", film, "--meant", "2", "--why", "night", "--json")
    assert json.loads(out)["cuts"][0]["meant"] == "night"
    marked = tmp_path / "marked.edl"
    code, out, _ = plain("continuity", film, "--known", "--out", marked)
    assert "markers" in out and marked.is_file()
    code, _, err = plain("continuity", film, "--known", "--out", marked)
    assert code == 2 and "exists" in err
    code, out, _ = plain("continuity", film, "--new", marked, "--known", "--json")
    assert json.loads(out)["summary"] == "nothing changed"


def test_wrong_use_of_the_cut_is_refused(film: Path) -> None:
    code, _, err = plain("continuity", film, "--known")
    assert code == 2 and "no edit" in err
    edited(film)
    for words in (("--edit", "x"), ("--close", "9", "--known"), ("--sort", "beauty", "--known")):
        code, _, err = plain("continuity", film, *words)
        assert code == 2 and err.count("\n") == 1, words
    code, _, err = plain("continuity", film, "--known", "--close", "2", "--side", "middle")
    assert code == 2 and "left, right, half" in err


def test_screens_in_json(film: Path, tmp_path: Path) -> None:
    shots = edited(film)
    code, out, _ = plain(
        "screens", film, "--shot", shots[0].name, "--screen", "telephone", "--lux", "5000", "--json"
    )
    data = json.loads(out)
    assert code == 0
    (one,) = data["screens"]
    assert set(one) >= {"screen", "crushed", "clipped", "contrast", "skin_moved", "steps_lost", "outside"}
    assert one["contrast"] < 10
    assert {m["reading"] for m in data["misread"]} >= {"player-flat", "matrix", "range-legal-as-full"}
    assert data["deliverables"][0]["tags"]["primaries"]["code"] == 1
    _, out, _ = plain(
        "screens", film, "--shot", shots[0].name, "--screen", "srgb", "--out", tmp_path, "--json"
    )
    assert [Path(p).is_file() for p in json.loads(out)["out"]] == [True]
    for words in (
        (),
        ("--shot", "nobody"),
        ("--shot", shots[0].name, "--screen", "x"),
        ("--shot", shots[0].name, "--lux", "-1"),
        ("--shot", shots[0].name, "--black", "5", "--white", "4"),
    ):
        code, _, err = plain("screens", film, *words)
        assert code == 2 and err.count("\n") == 1, words


def test_a_movie_and_a_profile(film: Path, tmp_path: Path) -> None:
    from aquin.production.media import file_of

    production = Production.open(film, True)
    movie = next(s for s in production.all(Shot) if s.path.endswith((".mov", ".mp4")))
    path = file_of(production, movie)
    production.close()
    assert path is not None
    code, out, _ = plain("screens", path, "--json")
    data = json.loads(out)
    assert set(data) >= {"tags", "players", "wanted", "differs"}
    assert set(data["tags"]) == {"primaries", "transfer", "matrix", "range"}
    assert code in (0, 1) and len(data["players"]) == 4
    profile = tmp_path / "m.icc"
    profile.write_bytes(make_profile(to_xyz("p3").T, srgb(np.linspace(0, 1, 1024)), "monitor"))
    code, out, _ = plain("screens", profile, "--json")
    assert code == 0 and json.loads(out)["dE00_mean"] < 0.5
    bad = tmp_path / "bad.mov"
    bad.write_bytes(b"none")
    code, _, err = plain("screens", bad)
    assert code == 2 and str(bad) in err
    assert len(SCREENS) == 8
