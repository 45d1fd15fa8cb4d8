"""Charts on the command line: sweeps, solving, profile, identify, latitude, balances, raw stills; exit codes and
clear refusals.
"""

import json
from pathlib import Path

import numpy as np
import pytest
from test_cli import aquin

from aquin.charts.layout import Layout
from aquin.charts.take import Take, read_take
from aquin.colour.config import ColourConfig
from aquin.exchange import grade_file
from aquin.frames import open_source
from aquin.production import Camera, Production, Setup, Shot
from aquin.production.grading import balance_of
from aquin.production.records import Root
from aquin.simulate.film import write_still
from rawfile import put
from series import TURN
from stills import CURVE, still

STOPS = range(-4, 5)


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch):
    return lambda *words: aquin(*words, capsys=capsys, monkeypatch=monkeypatch)


@pytest.fixture
def series(tmp_path: Path, chart24: Layout) -> list[Path]:
    return [still(tmp_path / f"s{'m' if s < 0 else 'p'}{abs(s)}x.tif", chart24, s) for s in STOPS]


def stops() -> str:
    return "--stops=" + ",".join(str(s) for s in STOPS)


def test_a_profile_from_files_is_written_and_proved(run, series: list[Path], tmp_path: Path) -> None:
    out = tmp_path / "camera.clf"
    code, text, err = run("profile", *series, stops(), "--out", out, "--name", "Own camera", "--json")
    data = json.loads(text)
    assert code in (0, 1), err
    assert list(data)[:6] == ["name", "curve", "matrix", "delta_e00_mean", "delta_e00_p95", "stops"]
    assert data["curve"]["family"] == "log"
    assert data["curve"]["rms_stops"] < 0.02
    assert np.allclose(data["matrix"], TURN, atol=0.03)
    assert np.allclose(data["stops"], list(STOPS), atol=0.06)
    assert {"under", "over", "per_stop"} <= set(data["latitude"])
    assert out.exists()
    assert "within 0.0" in data["proof"]
    to_ap0 = grade_file.through_ocio(out)
    grey = np.full((1, 3), CURVE.encode(np.array([0.18])), np.float32)
    assert np.allclose(to_ap0(grey), 0.18, rtol=0.02)
    code, _, err = run("profile", *series, stops(), "--out", out)
    assert code == 2
    assert "--force" in err


def test_a_measured_cube_goes_to_acescct(run, series: list[Path], tmp_path: Path) -> None:
    out = tmp_path / "camera.cube"
    code, text, _ = run("profile", *series, stops(), "--out", out, "--json")
    assert code in (0, 1)
    assert float(json.loads(text)["proof"].split("within ")[1].split(" ")[0]) < 1.5
    assert "ACEScct" in out.read_text()[:400]


def test_latitude_from_files_and_its_report(run, series: list[Path], tmp_path: Path) -> None:
    for name in ("latitude.html", "latitude.pdf"):
        report = tmp_path / name
        code, text, err = run(
            "latitude",
            *series,
            stops(),
            "--camera",
            "Own",
            "--report",
            report,
            "--policy",
            "protect",
            "--json",
        )
        assert code == 0, err
        found = json.loads(text)["cameras"][0]
        assert found["camera"] == "Own"
        assert found["under"] <= -2
        assert found["over"] >= 2
        assert len(found["per_stop"]) == len(STOPS)
        assert any("Protect" in line or "Do not underexpose" in line for line in found["advice"])
        assert report.stat().st_size > 2000
    html = (tmp_path / "latitude.html").read_text()
    assert "Side by side" in html
    assert "Own" in html
    code, text, _ = run("latitude", *series, stops())
    assert "usable" in text


def test_identify_ranks_and_says_when_none_fits(
    run, series: list[Path], tmp_path: Path, chart24: Layout
) -> None:
    code, text, _ = run("identify", series[4], "--json", "--count", "3")
    data = json.loads(text)
    assert len(data["ranking"]) == 3
    assert list(data)[:3] == ["ranking", "margin", "confidence"]
    assert code == (1 if data["none_fits"] else 0)
    known = ColourConfig.load()
    name = next(e.name for e in known.encodings() if e.kind == "log")
    picture = np.full((400, 600, 3), 0.036)
    picture[60:337, 90:510] = np.concatenate([chart24.ap1, np.full((1, 3), 0.036)])[chart24.labels(420, 277)]
    signal = np.clip(known.from_linear(name)(picture.astype(np.float32)), 0, 1)
    path = tmp_path / "known.tif"
    write_still(path, np.round(signal * 65535).astype(np.uint16), None, "A001", "uint16")
    code, text, _ = run("identify", path, "--json")
    data = json.loads(text)
    first = data["ranking"][0]
    assert name in (first["encoding"], *first["same_to_a_chart"])
    assert (code, data["none_fits"]) == (0, False)


def test_a_sweep_with_all_models_stages_and_a_grade(
    run, shot_file: Path, hero_file: Path, tmp_path: Path
) -> None:
    out = tmp_path / "chart.cdl"
    code, text, err = run(
        "chart",
        shot_file,
        "--encoding",
        "Skua Log",
        "--sweep",
        "--models",
        "all",
        "--stages",
        "--metric",
        "dE ITP",
        "--out",
        out,
        "--json",
    )
    data = json.loads(text)
    assert code in (0, 1), err
    assert len(data["sweep"]) == 24
    assert data["chosen"].startswith(f"frame {data['frame']} of 24")
    assert [s["model"] for s in data["solutions"]] == [
        "gains",
        "cdl",
        "matrix",
        "root",
        "gains+warp",
        "cdl+warp",
        "matrix+warp",
        "root+warp",
    ]
    assert {s["metric"] for s in data["solutions"]} == {"dE ITP"}
    assert [s["stage"] for s in data["stages"]] == ["as filmed", "neutral", "hue angle", "saturation"]
    assert out.exists()
    code, text, _ = run(
        "chart",
        shot_file,
        "--encoding",
        "Skua Log",
        "--hero",
        hero_file,
        "--hero-encoding",
        "Linear Heron",
        "--json",
    )
    assert json.loads(text)["reference"] == "hero"


def test_richer_models_go_into_clf_and_cube_but_not_into_a_cdl(run, shot_file: Path, tmp_path: Path) -> None:
    for name, model in (("root.cube", "root"), ("warp.clf", "cdl+warp")):
        out = tmp_path / name
        code, text, err = run(
            "chart", shot_file, "--encoding", "Skua Log", "--models", model, "--out", out, "--json"
        )
        assert code in (0, 1), err
        proof = json.loads(text)["proof"]
        usual = (
            float(proof.split("of each other: 99.9 % within ")[1].split(" ")[0])
            if "each other" in proof
            else 0.0
        )
        assert (
            usual < 1.0
        )  # sampled into a 3D LUT of 65 points; impossible colours may be far off, and that is said
        assert out.exists()
    code, _, err = run(
        "chart", shot_file, "--encoding", "Skua Log", "--models", "root", "--out", tmp_path / "no.cdl"
    )
    assert code == 2
    assert "no solution" in err


def test_layouts_are_listed(run) -> None:
    code, text, _ = run("layouts", "--json")
    assert code == 0
    assert {"24-patch", "grey-card", "crossed-wedge", "video-chart"} <= {
        x["name"] for x in json.loads(text)["layouts"]
    }


def test_a_grey_card_needs_its_corners(run, tmp_path: Path, chart24: Layout) -> None:
    path = still(tmp_path / "wall.tif", chart24, 0, card=False)
    code, text, _ = run("chart", path, "--encoding", "ACEScct", "--layout", "grey-card", "--json")
    assert code == 1
    assert "corners" in json.loads(text)["warnings"][0]
    code, text, _ = run(
        "chart",
        path,
        "--encoding",
        "ACEScct",
        "--layout",
        "grey-card",
        "--corners",
        "100,100,300,100,300,250,100,250",
        "--json",
    )
    data = json.loads(text)
    assert [s["model"] for s in data["solutions"]] == ["gains"]
    assert data["solutions"][0]["delta_e00_loo"] is None
    assert code == 0


def test_a_raw_still_is_developed_and_rendered(run, tmp_path: Path, chart24: Layout) -> None:
    raw = put(tmp_path / "still.dng", chart24)
    rendered = []
    for k, develop in enumerate(("exposure=0", "exposure=1,kelvin=4200,highlights=keep")):
        out = tmp_path / f"out{k}.exr"
        code, _, err = run(
            "render",
            raw,
            "--encoding",
            "aces_interchange",
            "--develop",
            develop,
            "--to",
            "aces_interchange",
            "--out",
            out,
        )
        assert code == 0, err
        rendered.append(open_source(out, alone=True).read(0).rgb)
    assert np.median(rendered[1] / np.maximum(rendered[0], 1e-4)) == pytest.approx(2, rel=0.02)
    code, _, err = run(
        "render", raw, "--encoding", "ACEScct", "--develop", "kelvin=100", "--out", tmp_path / "x.exr"
    )
    assert code == 2
    assert "kelvin" in err or "white" in err
    code, text, _ = run("chart", raw, "--encoding", "aces_interchange", "--develop", "half", "--json")
    assert json.loads(text)["found"]


@pytest.fixture
def production(tmp_path: Path, chart24: Layout) -> Path:
    """Two chart takes and a series, filmed by one camera whose encoding the configuration does not list."""
    path = tmp_path / "p.aquin"
    (tmp_path / "media").mkdir()
    made = Production.create(path, "Ferry")
    root, camera, setup = Root("media", "media"), Camera("Own", "ACEScct"), Setup("galley", 1)
    shots = []
    for name, kind, s in (
        ("a1x", "chart", None),
        *((f"s{'m' if v < 0 else 'p'}{abs(v)}x", "series", float(v)) for v in STOPS),
    ):
        still(tmp_path / "media" / f"{name}.tif", chart24, s or 0.0)
        shots.append(
            Shot(
                root.id,
                f"{name}.tif",
                name,
                kind,
                camera.id,
                setup.id if kind == "chart" else "",
                target="24-patch",
                series_stops=s,
                frames=1,
                content=name,
                file_range="full",
                file_matrix="rgb",
            )
        )
    shots.append(Shot(root.id, "b.tif", "b", "shot", camera.id, setup.id, content="b"))
    made.change("log", root, camera, setup, *shots)
    made.close()
    return path


def test_balances_of_a_production_are_read_solved_and_kept(run, production: Path) -> None:
    code, text, err = run("balance", production, "--model", "cdl", "--jobs", "1", "--json")
    data = json.loads(text)
    assert code == 0, err
    (row,) = data["balances"]
    assert (row["camera"], row["setup"], row["take"], row["model"]) == ("Own", "galley", "a1x", "cdl")
    assert row["following"] == ["b"]
    opened = Production.open(production)
    chart = next(s for s in opened.all(Shot) if s.name == "a1x")
    kept = balance_of(opened, chart)
    assert kept is not None
    assert kept.values["stops"] == pytest.approx(row["stops"])
    opened.close()
    code, _, err = run("balance", production, "--camera", "Nobody")
    assert code == 2
    assert "Own" in err


def test_a_productions_camera_is_profiled_and_keeps_it(run, production: Path) -> None:
    code, text, err = run("profile", production, "--camera", "Own", "--keep", "--name", "Own log", "--json")
    assert code in (0, 1), err
    assert json.loads(text)["curve"]["family"] == "log"
    opened = Production.open(production)
    assert opened.all(Camera)[0].encoding == "Own log"
    opened.close()
    code, text, err = run("latitude", production, "--json")
    assert code == 0, err
    assert json.loads(text)["cameras"][0]["camera"] == "Own"
    code, text, _ = run(
        "identify",
        production.parent / "media" / "a1x.tif",
        "--config",
        next(production.parent.glob("p-*.ocio")),
        "--json",
    )
    assert json.loads(text)["ranking"][0]["encoding"] == "Own log"


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["profile", "a.tif", "b.tif", "--stops=1"], "2 numbers"),
        (["profile", "a.tif", "b.tif", "--stops=1,1"], "same stops"),
        (["profile", "a.tif", "--stops=0", "--out", "x.txt"], "no form of a profile"),
        (["profile", "a.tif", "a.tif", "--stops=0,1"], "twice"),
        (["profile", "missing.tif", "b.tif", "c.tif", "--stops=0,1,2"], "missing.tif"),
        (["identify", "missing.tif"], "missing.tif"),
        (["latitude", "a.tif", "--stops=0", "--policy", "loud"], "loud"),
        (["latitude", "a.tif", "--stops=0", "--limits", "sparkle=1"], "sparkle"),
        (["latitude", "a.tif", "--stops=0", "--limits", "mired=-1"], "above 0"),
        (["latitude", "a.tif", "--stops=0", "--report", "x.doc"], "pdf or .html"),
        (["chart", "a.tif", "--encoding", "ACEScct", "--models", "magic"], "magic"),
        (["chart", "a.tif", "--encoding", "ACEScct", "--metric", "dE76"], "dE76"),
        (["chart", "a.tif", "--encoding", "ACEScct", "--skin-weight", "nan"], "weight"),
        (["chart", "a.tif", "--encoding", "ACEScct", "--develop", "colour=1"], "--develop"),
        (["balance", "missing.aquin"], "missing.aquin"),
    ],
)
def test_wrong_use_is_refused_in_one_line(
    run, words: list[str], said: str, tmp_path: Path, chart24: Layout, monkeypatch
) -> None:
    monkeypatch.chdir(tmp_path)
    for name in ("a.tif", "b.tif", "c.tif"):
        still(tmp_path / name, chart24, 0)
    code, out, err = run(*words)
    assert (code, out) == (2, "")
    assert err.count("\n") == 1
    assert said in err


def test_a_take_with_a_damaged_frame_is_read_all_the_same(tmp_path: Path, chart24: Layout) -> None:
    for k in range(3):
        still(tmp_path / f"take.{k:04d}.tif", chart24, 0)
    broken = tmp_path / "take.0001.tif"
    broken.write_bytes(broken.read_bytes()[:3000])
    seen = read_take(Take(tmp_path / "take.0000.tif", "ACEScct"))
    assert [k.number for k in seen.looks if k.found] == [0, 2]
