"""Productions from the command line: made, filled, measured, audited, planned, moved; JSON, exit codes, and a clean
stop.
"""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pytest

from aquin.production import Camera, Production, Setup, Shot
from aquin.simulate.film import write_still
from cli.running import plain

ROOT = Path(__file__).parents[2]


class Done(NamedTuple):
    stdout: str
    stderr: str


def run(*words: str | Path, code: int = 0) -> Done:
    """Run the command in this process."""
    found, *said = plain(*words)
    done = Done(*said)
    assert found == code, (found, done)
    return done


def data(*words: str | Path, code: int = 0) -> dict:
    return json.loads(run(*words, "--json", code=code).stdout)


@pytest.fixture(autouse=True)
def assistant(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("AQUIN_PERSON", "the assistant")


@pytest.fixture
def cards(tmp_path: Path) -> Path:
    """Two cameras' cards with timecoded stills in ACEScct; one still lies two stops over."""
    random = np.random.default_rng(3)
    for letter in "AB":
        for k in range(5):
            path = tmp_path / "cards" / f"{letter}01" / f"{letter}01_clip{k}x.dpx"
            path.parent.mkdir(parents=True, exist_ok=True)
            over = 2.0 / 17.52 if (letter, k) == ("A", 4) else 0
            light = 0.42 + random.normal(0, 0.7, (72, 128, 1)) / 17.52 + over
            pixels = light + random.normal(0, 0.2, (72, 128, 3)) / 17.52
            code = f"10:0{k}:00:00"
            write_still(
                path,
                pixels.astype(np.float32),
                code,
                f"{letter}01",
                "uint10",
                {"ImageDescription": "ACEScct"},
            )
    return tmp_path / "cards"


@pytest.fixture
def file(cards: Path, tmp_path: Path) -> Path:
    run("new", tmp_path / "ferry.aquin", cards, "--name", "Ferry film")
    return tmp_path / "ferry.aquin"


REPORT = "Card,Clip,Place,Camera,White\n" + "".join(
    f"{x}01,{x}01_clip{k}x,galley,{'Heron' if x == 'A' else 'Egret'},4300\n" for x in "AB" for k in range(5)
)
EDL = """TITLE: cut 1

001  A01      V     C        10:01:00:00 10:01:00:01 01:00:00:00 01:00:00:01
* FROM CLIP NAME: A01_clip1x
002  Z99      V     C        10:01:00:00 10:01:00:01 01:00:00:01 01:00:00:02
* FROM CLIP NAME: Z99_clip1x
"""


def test_new_ingest_report_and_edit(cards: Path, tmp_path: Path) -> None:
    file = tmp_path / "ferry.aquin"
    made = data("new", file)
    assert made == {"production": str(file), "name": "ferry"}
    assert "exists already" in run("new", file, code=2).stderr
    first = data("ingest", file, cards)
    assert (first["added"], first["known"], first["cameras"]) == (10, 0, ["Camera A", "Camera B"])
    assert data("ingest", file, cards)["known"] == 10
    (tmp_path / "report.csv").write_text(REPORT)
    said = data("ingest", file, "--report", tmp_path / "report.csv", "--column", "setup=Place")
    assert said["report"]["matched"] == 10
    assert said["report"]["columns"]["setup"] == "Place"
    again = data("ingest", file, "--report", tmp_path / "report.csv")
    assert again["report"]["columns"]["setup"] == "Place"  # remembered
    (tmp_path / "cut.edl").write_text(EDL)
    cut = data("ingest", file, "--edit", tmp_path / "cut.edl", code=1)
    assert cut["edits"][0]["pieces"] == 2
    assert [e["clip"] for e in cut["edits"][0]["unmatched"]] == ["Z99_clip1x"]
    production = Production.open(file)
    assert [c.name for c in production.all(Camera)] == ["Heron", "Egret"]
    assert [s.name for s in production.all(Setup)] == ["galley"]
    production.close()
    text = run("ingest", file, cards, "--report", tmp_path / "report.csv").stdout
    assert "10 rows matched" in text
    for words, message in (
        (("ingest", file), "nothing to log"),
        (("ingest", file, tmp_path / "none"), "does not exist"),
        (("ingest", file, "--report", tmp_path / "none.csv"), "can't be read"),
        (("ingest", file, "--report", tmp_path / "report.csv", "--column", "setup=Nowhere"), "maps nothing"),
        (("ingest", file, "--edit", tmp_path / "cut.edl", "--rate", "cat"), "no frame rate"),
        (("ingest", tmp_path / "none.aquin", cards), "does not exist"),
        (("new", tmp_path / "no-ending", cards), "ends in .aquin"),
    ):
        assert message in run(*words, code=2).stderr


def test_measure_audit_fix_and_dismiss(file: Path) -> None:
    measured = data("measure", file, "--jobs", "1")
    assert len(measured["shots"]) == 10
    one = next(s for s in measured["shots"] if s["path"].endswith("A01_clip4x.dpx"))
    assert one["stops_over_grey"]["50"] == pytest.approx(2 + (0.42 - 0.41359) * 17.52, abs=0.1)
    found = data("audit", file, code=1)["findings"]
    over = next(f for f in found if f["kind"] == "exposure")
    assert over["files"] == ["A01/A01_clip4x.dpx"]
    assert over["evidence"]
    assert {f["kind"] for f in found} == {"exposure", "chart missing"}
    text = run("audit", file, code=1).stdout
    assert "stops from Camera A's other recordings" in text
    assert "a dismissal needs a reason" in run("audit", file, "--dismiss", "1", code=2).stderr
    assert "there is no finding 99" in run("audit", file, "--fix", "99", code=2).stderr
    for _ in range(len(found)):
        open_ = [f for f in data("audit", file, code=1)["findings"] if not f["dismissed"]]
        last = run(
            "audit",
            file,
            "--dismiss",
            str(open_[0]["number"]),
            "--why",
            "seen",
            "--json",
            code=int(len(open_) > 1),
        )
    assert all(f["dismissed"] == "seen" for f in json.loads(last.stdout)["findings"])
    entries = data("journal", file)["entries"]
    assert entries[0]["why"] == "seen"
    assert entries[0]["who"] == "the assistant"
    data("journal", file, "--undo")
    assert len([f for f in data("audit", file, code=1)["findings"] if not f["dismissed"]]) == 1
    data("journal", file, "--redo")
    assert "nothing to redo" in run("journal", file, "--redo", code=2).stderr


def test_plan_prints_the_chain_and_writes_for_the_crew(file: Path, tmp_path: Path) -> None:
    found = data("plan", file, code=1)
    assert [c["camera"] for c in found["cameras"]] == ["Camera A", "Camera B"]
    assert found["cameras"][0]["card"]["grey"]["signal"] == pytest.approx(41.36, abs=0.01)
    protect = data("plan", file, "--policy", "protect", "--stops", "-1", code=1)
    assert protect["cameras"][0]["card"]["asked"]["signal"] == pytest.approx(41.36 - 100 / 17.52, abs=0.02)
    written = data(
        "plan",
        file,
        "--sheet",
        tmp_path / "s.html",
        "--luts",
        tmp_path / "luts",
        "--size",
        "17",
        "--range",
        "legal",
        code=1,
    )
    assert sorted(p.name for p in (tmp_path / "luts").iterdir()) == [
        "Camera-A-monitor.cube",
        "Camera-B-monitor.cube",
    ]
    assert written["sheet"].endswith("s.html")
    changed = data(
        "plan", file, "--camera", "Camera B", "--encoding", "ACEScc", "--note", "only a guess", code=1
    )
    assert changed["cameras"][1]["checks"][0] == {
        "name": "encoding",
        "state": "doubt",
        "words": "ACEScc stands in: only a guess",
    }
    display = found["screens"][0]["display"]
    assert len(data("plan", file, "--display", display, "--view", "Un-tone-mapped", code=1)["screens"]) == 2
    assert "?? range: full, assumed for 5 of 5: their files do not say" in run("plan", file, code=1).stdout
    data("plan", file, "--camera", "Camera A", "--preset", "keep", code=1)
    data("plan", file, "--camera", "Camera A", "--encoding", "ACEScg", code=1)
    used = data("plan", file, "--camera", "Camera A", "--preset", "use", code=1)
    assert used["cameras"][0]["checks"][0]["words"] == "ACEScct"
    for words, message in (
        (("--camera", "Camera B", "--preset", "use"), "no preset is kept for Camera B"),
        (("--camera", "Nobody", "--encoding", "ACEScc"), "there is no camera 'Nobody'"),
        (("--policy", "cat"), "there is no policy 'cat'"),
        (("--display", display, "--view", "no view"), "there is no view 'no view'"),
        (("--camera", "Camera A", "--nearest"), "no chart of Camera A can be read"),
        (("--sheet", tmp_path / "s.html"), "exists already"),
    ):
        assert message in run("plan", file, *words, code=2).stderr


def test_relink_and_copy(file: Path, cards: Path, tmp_path: Path) -> None:
    cards.rename(tmp_path / "moved")
    assert len(data("measure", file, code=1)["not_measured"]) == 10
    (tmp_path / "moved" / "B01" / "B01_clip0x.dpx").unlink()
    found = data("relink", file, tmp_path / "moved", code=1)
    assert (len(found["found"]), found["missing"]) == (9, ["B01/B01_clip0x.dpx"])
    run("copy", file, tmp_path / "copy.aquin")
    assert len(Production.open(tmp_path / "copy.aquin").all(Shot)) == 10
    assert "exists already" in run("copy", file, tmp_path / "copy.aquin", code=2).stderr


def test_ctrl_c_while_measuring_keeps_what_was_measured(file: Path) -> None:
    program = subprocess.Popen(
        [sys.executable, "-m", "aquin", "audit", str(file), "--jobs", "1"],
        stderr=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        env=os.environ | {"PYTHONPATH": str(ROOT / "src")},
    )
    time.sleep(3.0)
    program.send_signal(signal.SIGINT)
    _, said = program.communicate(timeout=30)
    if program.returncode == 2:  # else it was done already
        assert "aquin: stopped" in said
    production = Production.open(file)
    assert len(production.all(Shot)) == 10
    production.close()
    assert len(data("measure", file)["shots"]) == 10


def test_bad_production_files_are_one_clear_line(tmp_path: Path) -> None:
    (tmp_path / "bad.aquin").write_bytes(b"x" * 500)
    for name in ("measure", "audit", "plan", "journal"):
        done = run(name, tmp_path / "bad.aquin", code=2)
        assert done.stderr.strip().count("\n") == 0
        assert "no production of Aquin" in done.stderr
        assert done.stdout == ""
