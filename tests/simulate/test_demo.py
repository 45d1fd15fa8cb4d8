"""Building the shoot: reuse, going on after a stop, other people's folders, the truth kept apart, references."""

import json
import shutil
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.simulate import demo as demos
from aquin.simulate.build import room_for
from aquin.simulate.demo import MARK, SEED, build_demo, session_takes, shoot_in
from aquin.simulate.planning import plan
from aquin.simulate.sheet import contact_sheet
from aquin.simulate.shoot import Take


def first_series(take: Take) -> bool:
    return take.kind == "series" and take.role == "main" and take.stops in (0, 1)


def test_demo_is_reused_and_never_touches_another_folder(demo: Path, tmp_path: Path) -> None:
    files = {p: p.stat().st_mtime_ns for p in demo.rglob("*") if p.is_file()}
    build_demo(demo)
    assert files == {p: p.stat().st_mtime_ns for p in demo.rglob("*") if p.is_file()}
    (tmp_path / "letter.txt").write_text("mine")
    with pytest.raises(AquinError, match="other things"):
        build_demo(tmp_path)
    assert [p.name for p in tmp_path.iterdir()] == ["letter.txt"]
    with pytest.raises(AquinError, match="a file"):
        build_demo(tmp_path / "letter.txt")
    with pytest.raises(AquinError, match="outside"):
        build_demo(tmp_path / "new", truth=tmp_path / "new" / "truth")


def test_a_cancelled_build_leaves_whole_files_and_goes_on_from_them(tmp_path: Path) -> None:
    folder = tmp_path / "ferry"

    class Stop(Exception):
        pass

    def stop(share: float, text: str) -> None:
        if any(folder.glob("media/A00/A00_*.mkv")):
            raise Stop

    with pytest.raises(Stop):
        build_demo(folder, stop, only=first_series)
    assert json.loads((folder / MARK).read_text())["done"] is False
    assert not list(folder.rglob(".part-*"))
    whole = {p: p.stat().st_mtime_ns for p in folder.rglob("*.mkv")}
    assert all(open_source(p).read(3).rgb.mean() > 0 for p in whole)
    (folder / "media" / "A00" / ".part-A00_999.mkv").write_text("half")
    shares: list[float] = []
    build_demo(folder, lambda share, text: shares.append(share), only=first_series)
    assert {p: p.stat().st_mtime_ns for p in whole} == whole
    assert len(list(folder.rglob("A00_*.mkv"))) == 2
    assert not list(folder.rglob(".part-*"))
    assert shares == sorted(shares)
    assert shares[-1] == 1.0


def test_an_exposure_series_doubles(tmp_path: Path) -> None:
    folder = tmp_path / "ferry"
    build_demo(folder, only=first_series)
    takes = [t for t in plan(SEED).takes if first_series(t)]
    curve = takes[0].camera.encoding.curve
    assert curve is not None
    dark, light = (
        curve.decode(open_source(folder / "media" / t.path).read(1).rgb.astype(np.float64)) for t in takes
    )
    middle = (dark > 0.03).all(2) & (dark < 0.3).all(2)
    assert np.median(np.log2(light[middle] / dark[middle])) == pytest.approx(
        1 + takes[1].error_stops, abs=0.03
    )


def test_the_truth_stays_outside_the_production(demo: Path) -> None:
    assert not list(demo.rglob("*.npz"))
    names = {p.name for p in (demo.parent / "ferry-truth").iterdir()}
    assert {f"{t.clip}.json" for t in session_takes(plan(SEED))} <= names
    assert "view_car-deck_flying.npz" in names
    text = "".join(
        p.read_text() for p in demo.rglob("*") if p.suffix in (".json", ".csv", ".txt", ".edl", ".otio")
    )
    assert "truth" not in text
    assert "mistake" not in text


def test_the_production_has_its_papers_and_its_configuration(demo: Path) -> None:
    wanted = (
        "reports/camera-report.csv",
        "reports/sound-notes.txt",
        "edit/ferry-cut3.edl",
        "edit/ferry-cut3.otio",
    )
    assert all((demo / name).is_file() for name in (*wanted, "config.ocio"))
    assert shoot_in(demo) == plan(SEED)
    with pytest.raises(AquinError, match="no simulated shoot"):
        shoot_in(demo.parent)


def test_reference_stills_are_16_bit_and_the_look_is_strong(
    demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One shot of the car deck is filmed by hand here; the look must differ clearly from the ungraded still."""
    from aquin.colour.config import ColourConfig
    from aquin.simulate.crew import Rolling, shoot_take
    from aquin.simulate.stage import Stage

    shoot = plan(SEED)
    take = next(t for t in shoot.shots if (t.setup, t.role, t.number) == ("car-deck", "main", 1))
    from dataclasses import replace

    short = replace(take, frames=take.zero + 2, mistake="")
    folder = tmp_path / "ferry"
    shutil.copytree(demo, folder)
    shoot_take(Rolling(short, Stage("car-deck", "main"), SEED), folder / "media")
    config = ColourConfig.load(folder / "config.ocio")
    whole = replace(shoot, takes=tuple(short if t == take else t for t in shoot.takes))
    demos.write_references(whole, folder / "media", folder / "references", config)
    plain, look = (open_source(folder / "references" / name) for name in ("hero-car-deck.tif", "look.tif"))
    assert look.signal.bits == 16
    assert np.abs(look.read(0).rgb - plain.read(0).rgb).mean() > 0.03
    sheet = contact_sheet(whole, folder)
    assert sheet.shape[2] == 3
    assert sheet.std() > 10
    shutil.rmtree(folder / "media" / take.card)
    with pytest.raises(AquinError, match="no shot"):
        contact_sheet(whole, folder)


def test_a_disk_that_is_too_full_is_refused_before_filming(tmp_path: Path) -> None:
    with pytest.raises(AquinError, match="MB are free"):
        room_for(tmp_path, 10**9)


def test_after_a_kill_no_worker_goes_on_and_whole_files_are_kept(tmp_path: Path) -> None:
    """SIGKILL in the middle of filming: the workers notice, and the next build goes on from what is whole."""
    folder = tmp_path / "ferry"
    words = ["simulate", "shoot", str(folder), "--setup", "test-corner", "--jobs", "1"]
    program = subprocess.Popen([sys.executable, "-m", "aquin", *words], stderr=subprocess.DEVNULL)
    end = time.monotonic() + 120
    while len(list(folder.glob("media/A00/A00_*.mkv"))) < 3 and time.monotonic() < end:
        time.sleep(0.1)
    program.kill()
    program.wait(10)
    time.sleep(4)
    whole = {p: p.stat().st_mtime_ns for p in folder.glob("media/A00/A00_*.mkv")}
    time.sleep(3)
    assert set(folder.glob("media/A00/A00_*.mkv")) == set(whole)
    assert 3 <= len(whole) < 13
    assert all(open_source(p).read(3).rgb.mean() > 0 for p in whole)
    build_demo(folder, only=first_series)
    assert {p: p.stat().st_mtime_ns for p in whole} == whole
    assert not list(folder.rglob(".part-*"))
