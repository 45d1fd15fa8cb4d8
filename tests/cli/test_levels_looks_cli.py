"""Levels and looks from the command line: JSON that scripts rely on, exit codes, refusals."""

import json
from pathlib import Path

import pytest
from running import plain

from aquin.exchange import cube
from aquin.production import Production, Setup, Shot
from aquin.production.heroes import hero_of
from shoots import copy_of


@pytest.fixture
def film(settled: Path, tmp_path: Path) -> Path:
    path = settled.with_name(f"{tmp_path.name}.aquin")
    copy_of(settled, path)
    return path


def hero_of_pier(film: Path) -> Shot:
    production = Production.open(film, True)
    hero = hero_of(production, next(s for s in production.all(Setup) if s.name == "pier"))
    production.close()
    assert hero is not None
    return hero


def test_a_hero_is_measured_and_settled(film: Path) -> None:
    name = hero_of_pier(film).name
    code, out, _ = plain("level", film, name, "--school", "dark", "--json")
    before = json.loads(out)
    assert set(before) >= {"school", "rows", "clipped_before", "clipped_after", "warnings"}
    assert code == (0 if all(r["within"] for r in before["rows"]) else 1)
    assert all(r["before"] == r["after"] for r in before["rows"])
    _, out, _ = plain("level", film, name, "--school", "dark", "--settle", "--json")
    after = json.loads(out)
    assert after["newly_clipped"] == 0
    assert after["went_along"]
    assert sum(r["within"] for r in after["rows"]) > sum(r["within"] for r in before["rows"])
    assert all(r["within"] or r["why"] for r in after["rows"])


def test_targets_are_kept_on_demand_and_wrong_ones_refused(film: Path) -> None:
    name = hero_of_pier(film).name
    plain("level", film, name, "--target", "white ceiling=71:74", "--keep")
    _, out, _ = plain("level", film, name, "--json")
    data = json.loads(out)
    assert data["school"] == "own"
    assert next(r for r in data["rows"] if r["axis"] == "white ceiling")["target"] == [71, 74]
    for words in (
        ("--school", "gloomy"),
        ("--target", "white ceiling=90:10"),
        ("--target", "nonsense"),
        ("--neutral", "5000,10"),
        ("--tie", name),
    ):
        code, _, said = plain("level", film, name, *words)
        assert code == 2
        assert said.count("\n") == 1


def test_looks_are_made_switched_compared_and_exported(film: Path, tmp_path: Path) -> None:
    name = hero_of_pier(film).name
    code, out, _ = plain(
        "look", film, "set", "warm", "--part", "lift=-0.2,-0.1,0,0.1,0", "--strength", "60", "--json"
    )
    assert code == 0
    (one,) = json.loads(out)["looks"]
    assert (one["name"], one["on"], one["strength"]) == ("warm", False, 0.6)
    cube.write(tmp_path / "film.cube", lambda x: x, 17, "film")
    plain("look", film, "add", tmp_path / "film.cube", "--strength", "100")
    plain("look", film, "use", "warm")
    _, out, _ = plain("look", film, "list", "--json")
    assert [(k["name"], k["on"]) for k in json.loads(out)["looks"]] == [("warm", True), ("film", False)]
    _, out, _ = plain("look", film, "compare", "--shot", name, "--json")
    assert {c["look"] for c in json.loads(out)["compared"]} == {"warm", "film"}
    code, out, _ = plain("look", film, "export", name, "--out", tmp_path / "w.clf", "--json")
    assert code == 0
    assert json.loads(out)["look"] == "warm"
    assert (tmp_path / "w.clf").is_file()
    for out_name, look in (("on.tif", None), ("off.tif", "off")):
        words = ("render", film, "--shot", name, "--out", tmp_path / out_name)
        assert plain(*words, *(("--look", look) if look else ()))[0] == 0
    assert (tmp_path / "on.tif").read_bytes() != (tmp_path / "off.tif").read_bytes()
    _, out, _ = plain("look", film, "fit", tmp_path / "on.tif", "--shot", name, "--json")
    fitted = json.loads(out)
    assert set(fitted) >= {"zones", "suitability", "parts", "delta_e00"}
    assert set(fitted["delta_e00"]) == {"before", "after"}


def test_what_is_no_look_is_refused_in_one_line(film: Path, tmp_path: Path) -> None:
    for words in (
        ("use", "nothing"),
        ("add", tmp_path / "missing.cube"),
        ("set", "x", "--part", "lift=1"),
        ("set", "x", "--part", "clean=2,0"),
        ("set", "x", "--strength", "300"),
        ("export", "nobody", "--out", tmp_path / "a.cube"),
        ("dance",),
        ("fit", tmp_path / "missing.tif"),
        ("take", film),
    ):
        code, _, said = plain("look", film, *words)
        assert code == 2, words
        assert len(said.strip().splitlines()) == 1, said
