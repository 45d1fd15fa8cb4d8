"""Matching from the command line: two files by what both show, and a whole production."""

import json
from pathlib import Path

import numpy as np
import pytest

from aquin.exchange import cdl_file, picture
from aquin.frames import open_source
from aquin.production import Production, Setup, Shot
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from cli.running import plain
from shoots import copy_of


def run(*words: str | Path) -> tuple[int, dict, str]:
    """The same with its JSON."""
    code, text, line = plain(*words, "--json")
    return code, json.loads(text) if text else {}, line


ENCODINGS = ("--hero-encoding", "ACEScg", "--shot-encoding", "ACEScg")


def test_two_files_without_a_chart_are_matched_by_what_both_show(
    pair: tuple[Path, Path], tmp_path: Path
) -> None:
    path = tmp_path / "match.cdl"
    code, said, _ = run("match", *pair, *ENCODINGS, "--out", path)
    assert code in (0, 1) and said["by"] == "points" and said["model"] in ("gains", "cdl")
    assert said["evidence"][0]["pairs"] > 100 and said["confidence"] > 0.5
    assert said["after"]["delta_e00_mean"] < 0.4 * said["before"]["delta_e00_mean"]
    axes = {row["axis"]: row for row in said["ledger"]}
    assert {"exposure", "warmth", "saturation", "noise", "white ceiling", "shadow warmth"} <= set(axes)
    assert axes["noise"]["measured"] == "picture" and axes["exposure"]["within"]
    assert cdl_file.read(path)


def test_richer_models_strength_and_named_pairs(pair: tuple[Path, Path], tmp_path: Path) -> None:
    _, full, _ = run(
        "match", *pair, *ENCODINGS, "--by", "points", "--model", "full", "--out", tmp_path / "a.clf"
    )
    assert full["model"] == "cdl+curve+warp"
    _, half, _ = run(
        "match",
        *pair,
        *ENCODINGS,
        "--by",
        "points",
        "--model",
        "cdl",
        "--strength",
        "50",
        "--out",
        tmp_path / "b.cdl",
    )
    _, whole, _ = run(
        "match", *pair, *ENCODINGS, "--by", "points", "--model", "cdl", "--out", tmp_path / "c.cdl"
    )
    gains = [np.log2(np.array(d["balance"]["gains"]) * 2 ** d["balance"]["stops"]) for d in (half, whole)]
    assert gains[0] == pytest.approx(gains[1] / 2, abs=1e-6)
    assert (
        whole["after"]["delta_e00_mean"] < half["after"]["delta_e00_mean"] < half["before"]["delta_e00_mean"]
    )
    found = run(
        "match",
        *pair,
        *ENCODINGS,
        "--by",
        "pairs",
        "--pair",
        "200,300:160,300",
        "--model",
        "gains",
        "--out",
        tmp_path / "d.cdl",
    )
    assert found[1]["by"] == "pairs" and found[1]["evidence"][0]["pairs"] == 1


def test_nothing_that_supports_a_match_is_said_in_one_line(pair: tuple[Path, Path], tmp_path: Path) -> None:
    picture.write(tmp_path / "dark.exr", np.zeros((120, 160, 3)))
    code, said, line = run("match", pair[0], tmp_path / "dark.exr", *ENCODINGS, "--out", tmp_path / "x.cdl")
    assert code == 2 and not said and "nothing supports a match" in line and "Film the chart" in line
    assert not (tmp_path / "x.cdl").exists()
    code, _, line = run(
        "match", *pair, *ENCODINGS, "--by", "pairs", "--pair", "9000,3:1,1", "--out", tmp_path / "x.cdl"
    )
    assert code == 2 and "outside the frame" in line


def test_a_production_is_settled(shoot_copy: Path) -> None:
    code, said, line = run("settle", shoot_copy)
    assert code == 2 and not said and "--heroes" in line  # at once, before anything is measured
    code, said, _ = run("settle", shoot_copy, "--heroes", "--cell", "pier", "--model", "gains", "--no-trims")
    assert code == 0 and not said["trims"]
    cells = {c["camera"]: c for c in said["cells"]}
    assert {c["setup"] for c in said["cells"]} == {"pier"}
    hero = next(c for c in cells.values() if c["by"] == "hero")
    other = next(c for c in cells.values() if c is not hero)
    assert other["model"] == "gains" and other["delta_e00_after"] < other["delta_e00_before"]
    axes = other["shots"][0]["axes"]
    assert axes["exposure"]["unit"] == "stop" and 0 < axes["exposure"]["doubt"] < 1
    assert axes["contrast"]["doubt"] is None
    assert run("settle", shoot_copy, "--cell", "moon")[0] == 2
    assert run("settle", shoot_copy, "--model", "magic")[0] == 2
    code, again, _ = run(
        "settle", shoot_copy, "--cell", f"pier/{other['camera']}", "--exposure", "chart", "--no-trims"
    )
    assert code == 0 and len(again["cells"]) == 1


def test_skin_and_the_second_pass(pair: tuple[Path, Path], tmp_path: Path) -> None:
    code, said, line = run("match", *pair, *ENCODINGS, "--weight", "skin", "--out", tmp_path / "s.cdl")
    if code == 2:  # a garage: hardly anything there passes for skin
        assert "skin" in line and "--weight frame" in line
    else:
        assert said["weight"] == "skin" and said["weights"]["skin"]["delta_e00_skin"] >= 0
    _, first, _ = run(
        "match", *pair, *ENCODINGS, "--model", "cdl", "--weight", "frame", "--out", tmp_path / "a.clf"
    )
    _, again, _ = run(
        "match",
        *pair,
        *ENCODINGS,
        "--model",
        "cdl",
        "--weight",
        "frame",
        "--second-pass",
        "--out",
        tmp_path / "b.clf",
    )
    assert not first["second_pass"] and again["balance"] == first["balance"]
    assert again["after"]["delta_e00_mean"] <= first["after"]["delta_e00_mean"]
    if again["second_pass"]:
        code, _, line = run(
            "match",
            *pair,
            *ENCODINGS,
            "--weight",
            "frame",
            "--model",
            "cdl",
            "--second-pass",
            "--out",
            tmp_path / "c.cdl",
        )
        assert code == 2 and "second pass" in line and not (tmp_path / "c.cdl").exists()


def test_grades_regions_history_and_tolerances_of_a_production(shoot_copy: Path, tmp_path: Path) -> None:
    assert run("settle", shoot_copy, "--heroes", "--cell", "pier", "--model", "gains", "--no-trims")[0] == 0
    first = Production.open(shoot_copy)
    heroes = {s.hero_id for s in first.all(Setup)}
    shot = next(
        s
        for s in first.all(Shot)
        if s.kind == "shot"
        and first.get(Setup, s.setup_id).name == "pier"
        and s.id not in heroes
        and s.camera_id != first.get(Shot, first.get(Setup, s.setup_id).hero_id).camera_id
    )
    first.close()
    code, said, _ = run("grade", shoot_copy, shot.name, "--out", tmp_path / "a.json")
    assert code == 0 and "by chart" in said["origin"] and said["grade"]["stops"] != 0
    # a region, written by hand
    held = json.loads((tmp_path / "a.json").read_text())
    held["grade"]["regions"] = [
        {
            "name": "sky",
            "stops": -1.0,
            "mired": 0,
            "saturation": 1,
            "ellipse": {"y": 0.1, "wide": 0.6, "high": 0.2},
        }
    ]
    (tmp_path / "b.json").write_text(json.dumps(held))
    code, said, _ = run(
        "grade", shoot_copy, shot.name, "--take", tmp_path / "b.json", "--out", tmp_path / "c.clf"
    )
    assert code == 0 and "region sky (ellipse)" in said["not_in_a_lut"]
    assert "sky (ellipse)" in (tmp_path / "c.clf").read_text()
    # rendered with it
    for name, args in (("with.exr", ()), ("b.exr", ("--frame", str(shot.first)))):
        assert (
            run("render", shoot_copy, "--shot", shot.name, "--out", tmp_path / name, "--to", "ACEScg", *args)[
                0
            ]
            == 0
        )
    assert run("grade", shoot_copy, shot.name, "--take", tmp_path / "a.json")[0] == 0
    code, _, _ = run(
        "render", shoot_copy, "--shot", shot.name, "--out", tmp_path / "without.exr", "--to", "ACEScg"
    )
    a, b = (open_source(tmp_path / n).read(0).rgb for n in ("with.exr", "without.exr"))
    h, w = a.shape[:2]
    assert np.log2(a[h // 10, w // 2] / b[h // 10, w // 2]) == pytest.approx(-1.0, abs=0.01)
    assert a[-1] == pytest.approx(b[-1])
    # what it was graded with before
    code, said, _ = run("history", shoot_copy, shot.name)
    whats = [s["what"] for s in said["steps"]]
    assert code == 0 and len(whats) == 4 and "taken from a.json" in whats[0] and whats[-1] == "as filmed"
    assert said["steps"][0]["ledger"]["exposure"]["within"] is not None
    # tolerances
    code, said, _ = run("tolerances", shoot_copy, "exposure=0.2", "skin-hue=3")
    assert code == 0 and {a["axis"]: a["tolerance"] for a in said["axes"]}["skin hue"] == 3
    assert (
        run("tolerances", shoot_copy, "beauty=1")[0] == 2
        and run("tolerances", shoot_copy, "exposure=-1")[0] == 2
    )
    _, words, _ = plain("tolerances", shoot_copy)
    assert "(usually 0.1)" in words
    code, said, _ = run("tolerances", shoot_copy, "--usual")
    assert all(a["tolerance"] == a["usual"] for a in said["axes"])
    for words_for in ("grade", "history"):
        assert plain(words_for, shoot_copy, shot.name)[0] == 0
        assert run(words_for, shoot_copy, "nobody")[0] == 2
    (tmp_path / "bad.json").write_text('{"grade": {"stops": "loud"}}')
    assert run("grade", shoot_copy, shot.name, "--take", tmp_path / "bad.json")[0] == 2


def test_a_shot_beside_its_hero_and_what_is_said_of_it(settled: Path) -> None:
    path = copy_of(settled)
    production = Production.open(path, read_only=True)
    shoot = Shoot(production, config_of(production))
    name = next(
        s.name
        for s in production.all(Shot)
        if (at := shoot.moment(s)) is not None and at.hero.camera_id != s.camera_id
    )
    production.close()
    code, said, _ = run("beside", path, name)
    assert code == 0 and list(said) == [
        "shot",
        "hero",
        "frames",
        "by",
        "off",
        "kinship",
        "taken_off",
        "materials",
        "named",
    ]
    assert set(said["off"]) == {"exposure", "warmth", "tint"} and all(
        v["error"] > 0 for v in said["off"].values()
    )
    assert [m["number"] for m in said["materials"]] == list(range(1, len(said["materials"]) + 1))
    code, named, _ = run("beside", path, name, "--same", "200,200:300,200", "--strike", "1")
    assert code == 0 and len(named["named"]) == 1 and "what was named" in named["by"]
    assert sum(m["struck"] for m in named["materials"]) == 1
    code, clean, _ = run("beside", path, name, "--forget")
    assert clean["off"] == said["off"] and not clean["named"]
    assert "there is no material 99" in run("beside", path, name, "--strike", "99")[2]
    assert "outside the frame" in run("beside", path, name, "--same", "9000,2:3,4")[2]


def test_light_over_the_day_and_the_trims_that_follow(shoot_copy: Path) -> None:
    assert (
        run("settle", shoot_copy, "--heroes", "--cell", "upper-deck", "--model", "gains", "--no-trims")[0]
        == 0
    )
    code, said, _ = run("drift", shoot_copy, "upper-deck")
    assert (
        code == 0 and len(said["seen"]) >= 2 and said["trims"] and not any(t["kept"] for t in said["trims"])
    )
    name = said["trims"][0]["shot"]
    code, said, _ = run("drift", shoot_copy, "upper-deck", "--accept", name)
    assert [t["shot"] for t in said["trims"] if t["kept"]] == [name]
    _, words, _ = plain("drift", shoot_copy, "upper-deck", "--accept", "all")
    assert "kept" in words and "proposed" not in words
    assert run("drift", shoot_copy, "moon")[0] == 2
    assert run("drift", shoot_copy, "upper-deck", "--accept", "nobody")[0] == 2


def test_settling_offers_sure_fixes_and_makes_them_on_request(shoot_copy: Path) -> None:
    from dataclasses import replace

    from aquin.production import Camera, Production, Shot

    production = Production.open(shoot_copy)
    one = next(s for s in production.all(Shot) if s.kind == "shot" and s.codec and not s.encoding)
    other = next(c for c in production.all(Camera) if c.id != one.camera_id and "Log" in c.encoding)
    production.change("spoil", replace(one, encoding=other.encoding))
    production.close()
    cell = ("--cell", "pier/Egret", "--heroes", "--no-trims")
    _, said, _ = run("settle", shoot_copy, *cell)
    assert [f for f in said["fixes_offered"] if one.name in f["shots"]] and not said["encoded"]
    _, said, _ = run("settle", shoot_copy, *cell, "--fix")
    assert not said["fixes_offered"]
    production = Production.open(shoot_copy)
    assert production.get(Shot, one.id).encoding == ""
    production.close()
