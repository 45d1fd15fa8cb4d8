"""Matching from the command line: two files by what both show, and a whole production."""

import io
import json
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import numpy as np
import pytest

from aquin.cli import main as command
from aquin.exchange import cdl_file, picture
from stereo import camera, stereo_pair


def run(*words: str | Path) -> tuple[int, dict, str]:
    """The command in this process: exit code, its JSON, and what it said on stderr."""
    out, err = io.StringIO(), io.StringIO()
    old = sys.argv
    sys.argv = ["aquin", *map(str, words), "--json"]
    try:
        with redirect_stdout(out), redirect_stderr(err), pytest.raises(SystemExit) as stop:
            command.run()
    finally:
        sys.argv = old
    text = out.getvalue()
    return int(stop.value.code or 0), json.loads(text) if text else {}, err.getvalue()


@pytest.fixture(scope="module")
def pair(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    """Two views of one scene by different cameras, as scene-linear files."""
    folder = tmp_path_factory.mktemp("pair")
    views = stereo_pair()
    picture.write(folder / "hero.exr", views.left)
    picture.write(folder / "shot.exr", camera(views.right, np.random.default_rng(4)))
    return folder / "hero.exr", folder / "shot.exr"


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
    code, said, _ = run("settle", shoot_copy, "--heroes", "--cell", "pier", "--model", "gains", "--no-trims")
    assert code == 0 and not said["trims"]
    cells = {c["camera"]: c for c in said["cells"]}
    assert {c["setup"] for c in said["cells"]} == {"pier"}
    hero = next(c for c in cells.values() if c["by"] == "hero")
    other = next(c for c in cells.values() if c is not hero)
    assert other["model"] == "gains" and other["delta_e00_after"] < other["delta_e00_before"]
    assert run("settle", shoot_copy, "--cell", "moon")[0] == 2
    assert run("settle", shoot_copy, "--model", "magic")[0] == 2
    code, again, _ = run(
        "settle", shoot_copy, "--cell", f"pier/{other['camera']}", "--exposure", "chart", "--no-trims"
    )
    assert code == 0 and len(again["cells"]) == 1
