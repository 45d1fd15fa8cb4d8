"""The command line as scripts use it: exact keys, exit codes, one line for each failure."""

import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from aquin.cli import main as command
from aquin.colour.config import ColourConfig
from aquin.exchange import grade_file
from aquin.frames import open_source
from cli.running import loaded_by
from own_encoding import TERN


def aquin(
    *words: object, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> tuple[int, str, str]:
    """Run the command in this process."""
    monkeypatch.setattr(sys, "argv", ["aquin", *map(str, words)])
    with pytest.raises(SystemExit) as stop:
        command.run()
    out = capsys.readouterr()
    return int(stop.value.code or 0), out.out, out.err


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch):
    return lambda *words: aquin(*words, capsys=capsys, monkeypatch=monkeypatch)


@pytest.fixture
def media(hero_file: Path, shot_file: Path) -> tuple[Path, Path]:
    return hero_file, shot_file


def test_levels_has_its_keys(run) -> None:
    code, out, err = run("levels", "ACEScct", "--json")
    data = json.loads(out)
    assert (code, err) == (0, "")
    assert list(data) == ["encoding", "grey", "white", "black", "ceiling", "stop_per_code10"]
    assert list(data["grey"]) == ["linear", "signal", "code10"]
    assert list(data["ceiling"]) == ["linear", "stops_above_grey"]
    assert data["grey"]["signal"] == pytest.approx(41.36, abs=0.01)
    code, out, _ = run("levels", "ACEScct")
    assert "18 % grey" in out


def test_chart_has_its_keys(run, media: tuple[Path, Path]) -> None:
    code, out, err = run("chart", media[1], "--encoding", "Skua Log", "--json")
    data = json.loads(out)
    assert (code, err) == (0, "")
    assert list(data)[:6] == ["found", "corners", "patches", "solutions", "light_uneven", "warnings"]
    assert data["found"] is True
    assert np.array(data["corners"]).shape == (4, 2)
    assert len(data["patches"]) == 24
    assert list(data["patches"][0])[:8] == [
        "name",
        "role",
        "signal",
        "linear",
        "reference",
        "delta_e00",
        "clipped",
        "noise",
    ]
    assert [s["model"] for s in data["solutions"]] == ["gains", "cdl", "matrix", "root"]
    assert list(data["solutions"][0])[:4] == ["model", "delta_e00_mean", "delta_e00_p95", "delta_e00_loo"]
    given = ",".join(f"{v:.2f}" for c in data["corners"] for v in c)
    code, out, _ = run(
        "chart",
        media[1],
        "--encoding",
        "Skua Log",
        "--corners",
        given,
        "--timecode",
        open_source(media[1]).timecode(1),
    )
    assert "dark skin" in out
    assert code == 0


def test_a_frame_without_a_chart_exits_1(run, tmp_path: Path) -> None:
    from aquin.exchange import picture

    picture.write(tmp_path / "grey.png", np.full((90, 160, 3), 0.4))
    code, out, _ = run("chart", tmp_path / "grey.png", "--encoding", "ACEScct", "--json")
    data = json.loads(out)
    assert code == 1
    assert data["found"] is False
    assert data["warnings"]


def test_match_writes_a_grade_that_opencolorio_and_render_agree_on(
    run, media: tuple[Path, Path], demo: Path, tmp_path: Path
) -> None:
    path = tmp_path / "match.cdl"
    code, out, err = run(
        "match",
        *media,
        "--hero-encoding",
        "Linear Heron",
        "--shot-encoding",
        "Skua Log",
        "--by",
        "chart",
        "--out",
        path,
        "--json",
    )
    data = json.loads(out)
    assert (code, err) == (0, "")
    assert list(data) == [
        "by",
        "evidence",
        "weight",
        "weights",
        "model",
        "second_pass",
        "strength",
        "confidence",
        "balance",
        "trim",
        "flare",
        "before",
        "after",
        "ledger",
        "alternatives",
        "warnings",
    ]
    assert list(data["balance"]) == ["stops", "gains", "mired", "duv"]
    assert list(data["trim"]) == ["slope", "offset", "power", "saturation"]
    assert list(data["ledger"][0]) == [
        "axis",
        "unit",
        "hero",
        "shot",
        "difference",
        "after",
        "tolerance",
        "within",
        "measured",
    ]
    assert data["before"]["delta_e00_mean"] > 6
    assert data["after"]["delta_e00_mean"] <= 2.5
    assert 0 <= data["confidence"] <= 1

    assert (
        run(
            "render",
            media[1],
            "--encoding",
            "Skua Log",
            "--grade",
            path,
            "--to",
            "ACEScct",
            "--frame",
            3,
            "--out",
            tmp_path / "r.exr",
        )[0]
        == 0
    )
    ours = open_source(tmp_path / "r.exr").read(0).rgb
    config = ColourConfig.find(None, media[1])
    log = config.from_linear("ACEScct")(config.to_linear("Skua Log")(open_source(media[1]).read(3).rgb))
    assert np.abs(grade_file.through_ocio(path)(log) - ours).max() < 1e-5

    code, _, err = run(
        "match", *media, "--hero-encoding", "Linear Heron", "--shot-encoding", "Skua Log", "--out", path
    )
    assert code == 2
    assert "--force" in err


def test_render_through_a_view_or_an_encoding(run, media: tuple[Path, Path], tmp_path: Path) -> None:
    code, out, _ = run(
        "render", media[0], "--encoding", "Linear Heron", "--out", tmp_path / "a.png", "--json"
    )
    assert code == 0
    assert "1886" in json.loads(out)["to"]
    picture = open_source(tmp_path / "a.png").read(0).rgb
    assert 0.2 < picture.mean() < 0.6
    code, _, err = run(
        "render",
        media[0],
        "--encoding",
        "Linear Heron",
        "--to",
        "ACEScg",
        "--display",
        "x",
        "--out",
        tmp_path / "b.exr",
    )
    assert (code, err.count("\n")) == (2, 1)


def test_encodings_are_listed_and_added(run, tmp_path: Path) -> None:
    _, out, _ = run("encodings", "acescct", "--json")
    assert [e["name"] for e in json.loads(out)["encodings"]] == ["ACEScct"]
    assert run("encodings", "no such thing at all")[0] == 1
    TERN.write(tmp_path / "tern.json")
    assert run("encodings", "--add", tmp_path / "tern.json", "--out", tmp_path / "config.ocio")[0] == 0
    _, out, _ = run("levels", "Tern Log", "--config", tmp_path / "config.ocio", "--json")
    assert json.loads(out)["grey"]["signal"] == pytest.approx(
        100 * float(TERN.curve.encode(np.array(0.18))), abs=1e-3
    )


@pytest.mark.parametrize(
    "words",
    [
        ["levels", "no such encoding"],
        ["levels"],
        ["chart", "missing.exr", "--encoding", "ACEScct"],
        ["fly"],
        ["chart", "a.exr", "--frame", "x", "--encoding", "b"],
        ["levels", "ACEScct", "--config", "missing.ocio"],
        ["render", "missing.mov", "--encoding", "ACEScct", "--out", "x.exr"],
    ],
)
def test_wrong_use_is_one_line_and_exit_2(words: list[str], run) -> None:
    code, out, err = run(*words)
    assert code == 2
    assert out == ""
    assert err.startswith("aquin: ")
    assert err.count("\n") == 1


def test_wrong_values_are_named(run, media: tuple[Path, Path], tmp_path: Path) -> None:
    both = ["--hero-encoding", "Linear Heron", "--shot-encoding", "Skua Log"]
    for words, word in (
        (["match", *media, *both, "--out", tmp_path / "a.txt"], "ending"),
        (["match", *media, *both, "--out", tmp_path / "a.cdl", "--model", "matrix"], "matrix"),
        (["match", *media, *both, "--out", tmp_path / "a.cdl", "--model", "magic"], "magic"),
        (["match", *media, *both, "--out", tmp_path / "a.cdl", "--by", "magic"], "magic"),
        (["match", *media, *both, "--out", tmp_path / "a.cdl", "--weight", "mood"], "mood"),
        (["match", *media, *both, "--out", tmp_path / "a.cdl", "--strength", "140"], "strength"),
        (["match", *media, *both, "--out", tmp_path / "a.cdl", "--pair", "1,2,3"], "no pair"),
        (["chart", media[1], "--encoding", "Skua Log", "--corners", "1,2,3"], "eight"),
        (["chart", media[1], "--encoding", "Skua Log", "--frame", 999], "999"),
        (["chart", media[1], "--encoding", "Skua Log", "--matrix", "bt999"], "bt999"),
        (["chart", media[1], "--encoding", "Skua Log", "--layout", "nothing"], "nothing"),
        (["encodings", "--add", tmp_path / "none.json"], "--out"),
    ):
        code, _, err = run(*words)
        assert code == 2, words
        assert word in err, words


def test_without_a_screen_the_demo_says_what_to_do(demo: Path) -> None:
    clean = {
        k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    }
    done = subprocess.run(
        [sys.executable, "-m", "aquin", "demo", "--dir", str(demo)], env=clean, capture_output=True, text=True
    )
    assert done.returncode == 2
    assert "--screenshots DIR" in done.stderr


def test_screenshots_are_drawn_without_a_screen(demo: Path, tmp_path: Path) -> None:
    clean = {
        k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    }
    done = subprocess.run(
        [sys.executable, "-m", "aquin", "demo", "--dir", str(demo), "--screenshots", str(tmp_path / "shots")],
        env=clean,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr
    for line in done.stdout.split():
        picture = open_source(line, alone=True).read(0).rgb
        name = Path(line).name
        assert picture.shape == (800, 1280, 3), name
        if name in ("continuity.png", "screens.png", "release-changes.png", "journal.png", "release.png"):
            assert len(np.unique(picture)) > 50, name  # the demo of tests has two takes and no edit
        elif name in ("plan.png", "start.png"):  # chrome alone: exactly neutral grey
            assert len(np.unique(picture)) > 50
            assert (picture == picture[..., :1]).all()
        else:
            assert len(np.unique(picture.round(2).reshape(-1, 3), axis=0)) > 300, name


def test_heavy_packages_are_not_loaded_at_start() -> None:
    """The window's module must not pull in the scientific libraries that only some work needs."""
    assert not {"colour", "scipy", "av", "opentimelineio", "OpenImageIO"} & loaded_by("aquin.desk.window")


def test_help_names_the_command_and_no_module() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "aquin", "--help"], capture_output=True, text=True, check=True
    )
    assert "Usage: aquin " in done.stdout and "python -m" not in done.stdout


def test_a_display_that_cant_be_reached_is_said_in_one_line() -> None:
    """The toolkit itself would end the program with its own abort."""
    clean = {k: v for k, v in os.environ.items() if k not in ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY")}
    done = subprocess.run(
        [sys.executable, "-m", "aquin"], capture_output=True, text=True, env=clean | {"DISPLAY": ":987"}
    )
    assert done.returncode == 2
    line = done.stderr.strip()
    assert ":987" in line and "can't be reached" in line and "--screenshots" in line and "\n" not in line


def test_without_any_display_the_way_on_is_said() -> None:
    away = ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY", "DISPLAY")
    clean = {k: v for k, v in os.environ.items() if k not in away}
    done = subprocess.run([sys.executable, "-m", "aquin"], capture_output=True, text=True, env=clean)
    assert done.returncode == 2 and "--screenshots" in done.stderr


@pytest.mark.parametrize("given", ["film.aquin", "/media/card/the film.aquin", "postgresql://seat@host/film"])
def test_a_production_that_is_named_alone_opens_in_the_window(given: str) -> None:
    assert command.arguments([given]) == ["--open", given]
    assert command.arguments(["measure", given]) == ["measure", given]


def test_commands_and_options_stay_what_they_are() -> None:
    for kept in ([], ["--help"], ["demo"], ["notes.txt"]):
        assert command.arguments(kept) == kept
