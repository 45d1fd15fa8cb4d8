"""Roots on each workstation, and media that were moved or renamed."""

import shutil
import signal
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.production import Camera, Place, Production, Root, Setup, Shot
from aquin.production.ingest import ingest, media_in
from aquin.production.media import content_of, file_of, missing_shots, relink, root_folder
from aquin.simulate.film import write_still
from films import movie


def still(path: Path, level: float, timecode: str | None = None) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    pixels = np.full((36, 64, 3), level, np.float32)
    pixels[::3] += 0.01
    write_still(path, pixels, timecode, path.parent.name, "half")
    return path


@pytest.fixture
def media(tmp_path: Path) -> Path:
    """Two cards with stills, one of them a numbered sequence; written as they are on a set."""
    folder = tmp_path / "shoot" / "media"
    for k, level in enumerate((0.1, 0.2)):
        still(folder / "A01" / f"A01_clip{k}x.exr", level, f"10:0{k}:00:00")
    for n in range(100, 104):
        still(folder / "B01" / "run" / f"run.{n:07d}.exr", 0.3, "10:02:00:00")
    still(folder / "references" / "look.exr", 0.5)
    return folder


@pytest.fixture
def production(media: Path, builtin: ColourConfig) -> Production:
    made = Production.create(media.parent / "p.aquin")
    ingest(made, [media], builtin, jobs=1)
    return made


def test_sequences_are_one_shot_and_folders_say_what_is_no_recording(production: Production) -> None:
    shots = {s.path: s for s in production.all(Shot)}
    assert sorted(shots) == [
        "A01/A01_clip0x.exr",
        "A01/A01_clip1x.exr",
        "B01/run/run.0000100.exr",
        "references/look.exr",
    ]
    run = shots["B01/run/run.0000100.exr"]
    assert (run.first, run.frames, run.start, run.reel, run.name) == (100, 4, "10:02:00:00", "run", "run")
    assert (run.width, run.height, run.bits, run.floating) == (64, 36, 16, True)
    assert shots["references/look.exr"].kind == "reference"
    assert {c.name for c in production.all(Camera)} == {"Camera A", "Camera B"}
    assert len(production.all(Setup)) == 1
    assert all(s.setup_id for s in shots.values() if s.kind == "shot")


def test_logging_again_adds_nothing_and_sees_what_changed(
    production: Production, media: Path, builtin: ColourConfig
) -> None:
    again = ingest(production, [media], builtin, jobs=1)
    assert (len(again.added), len(again.changed), again.known) == (0, 0, 4)
    import os
    import time

    still(media / "A01" / "A01_clip0x.exr", 0.4, "11:00:00:00")
    os.utime(media / "A01" / "A01_clip0x.exr", (time.time() + 5, time.time() + 5))
    still(media / "A01" / "A01_clip7x.exr", 0.7, "10:04:00:00")
    third = ingest(production, [media / "A01"], builtin, jobs=1)
    assert [s.start for s in third.changed] == ["11:00:00:00"]
    assert [s.name for s in third.added] == ["A01_clip7x"]
    assert len(production.all(Root)) == 1
    production.undo()
    assert len(production.all(Shot)) == 4


def test_what_can_not_be_read_is_logged_with_its_trouble(
    production: Production, media: Path, builtin: ColourConfig
) -> None:
    (media / "A01" / "bad.mkv").write_bytes(b"no movie at all" * 50)
    done = ingest(production, [media], builtin, jobs=1)
    assert len(done.troubles) == 1
    assert "bad.mkv" in done.troubles[0]
    with pytest.raises(AquinError, match="does not exist"):
        media_in([media / "none"])
    with pytest.raises(AquinError, match="not supported"):
        media_in([still(media / "x.exr", 0.1).rename(media / "x.psd")])
    (media / "nothing").mkdir()
    with pytest.raises(AquinError, match="no media"):
        ingest(production, [media / "nothing"], builtin)


def test_each_workstation_has_its_own_folder(
    production: Production, media: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = production.all(Root)[0]
    assert root_folder(production, root) == media
    elsewhere = tmp_path / "raid" / "ferry"
    shutil.copytree(media, elsewhere)
    monkeypatch.setenv("AQUIN_WORKSTATION", "two")
    production.change("map", Place(root.id, "two", str(elsewhere)))
    assert root_folder(production, root) == elsewhere
    monkeypatch.setenv("AQUIN_WORKSTATION", "one")
    assert root_folder(production, root) == media


def test_the_whole_folder_can_move(production: Production, media: Path, tmp_path: Path) -> None:
    production.close()
    moved = tmp_path / "archive"
    media.parent.rename(moved)
    there = Production.open(moved / "p.aquin")
    assert missing_shots(there) == []


def test_a_moved_media_folder_is_found_by_what_its_files_hold(
    production: Production, media: Path, tmp_path: Path
) -> None:
    target = tmp_path / "drive" / "deep" / "cards"
    target.parent.mkdir(parents=True)
    media.rename(target)
    assert len(missing_shots(production)) == 4
    done = relink(production, tmp_path / "drive")
    assert done.missing == ()
    assert missing_shots(production) == []
    shot = next(s for s in production.all(Shot) if s.name == "A01_clip0x")
    assert file_of(production, shot) == target / "A01" / "A01_clip0x.exr"
    production.undo()
    assert len(missing_shots(production)) == 4


def test_renamed_files_are_found_and_changed_ones_are_not_taken(production: Production, media: Path) -> None:
    (media / "A01" / "A01_clip0x.exr").rename(media / "A01" / "first one.exr")
    (media / "B01" / "run").rename(media / "B01" / "sea")
    swapped = media / "A01" / "A01_clip1x.exr"
    size = swapped.stat().st_size
    content = bytearray(swapped.read_bytes())
    swapped.unlink()
    content[-40] ^= 1  # as large, but not the same
    (media / "A01" / "other.exr").write_bytes(bytes(content))
    assert (media / "A01" / "other.exr").stat().st_size == size
    done = relink(production, media)
    assert sorted(s.path for s in done.found) == ["A01/first one.exr", "B01/sea/run.0000100.exr"]
    assert [s.name for s in done.missing] == ["A01_clip1x"]
    with pytest.raises(AquinError, match="does not exist"):
        relink(production, media / "nowhere")


def test_the_content_hash_sees_every_part_of_a_small_file_and_the_ends_of_a_large_one(tmp_path: Path) -> None:
    path = tmp_path / "a.mkv"
    path.write_bytes(bytes(200_000))
    whole = content_of(path)
    for at in (0, 99_999, 199_999):
        data = bytearray(200_000)
        data[at] = 1
        path.write_bytes(bytes(data))
        assert content_of(path)[2] != whole[2]
    large = tmp_path / "b.mkv"
    data = bytearray(3_000_000)
    large.write_bytes(bytes(data))
    seen = content_of(large)[2]
    for at in (10, 1_500_000, 2_999_999):
        data = bytearray(3_000_000)
        data[at] = 1
        large.write_bytes(bytes(data))
        assert content_of(large)[2] != seen


SLOW = """
import sys, time
from pathlib import Path
from aquin.colour.config import ColourConfig
from aquin.production import Production, ingest, kept_work
kept_work.EACH = 0.0
each = ingest.each
def slow(*words):
    for pair in each(*words):
        yield pair
        print(pair[0].name, flush=True)
        time.sleep(0.1)
ingest.each = slow
production = Production.open(Path(sys.argv[1]))
ingest.ingest(production, [Path(sys.argv[2])], ColourConfig.load(), 1)
"""


def test_what_a_killed_ingest_had_looked_at_is_not_read_again(
    tmp_path: Path, builtin: ColourConfig, monkeypatch: pytest.MonkeyPatch
) -> None:
    from aquin.production import ingest as module

    cards = tmp_path / "cards"
    cards.mkdir()
    for k in range(6):
        movie(
            cards / f"A{k:03}.mkv",
            lambda n, k=k: [np.full((36, 64 // d), 300 + 40 * k) for d in (1, 2, 2)],
            2,
        )  # type: ignore[misc]
    production = Production.create(tmp_path / "film.aquin")
    program = subprocess.Popen(
        [sys.executable, "-c", SLOW, str(production.path), str(cards)], stdout=subprocess.PIPE, text=True
    )
    assert program.stdout is not None
    done = [program.stdout.readline().strip() for _ in range(3)]
    program.send_signal(signal.SIGKILL)
    program.wait()
    assert production.all(Shot) == [], "the log has them in one step, at the end"
    read: list[Path] = []
    each = module.each

    def noted(work: object, items: list[Path], *words: object) -> object:
        read.extend(items)
        return each(work, items, *words)  # type: ignore[arg-type]

    monkeypatch.setattr(module, "each", noted)
    took = ingest(production, [cards], builtin, 1)
    assert len(took.added) == 6 and len(read) <= 4 and not {p.name for p in read} & set(done[:2])
    other = Production.create(tmp_path / "other.aquin")
    ingest(other, [cards], builtin, 1)
    same = [replace(s, id="", root_id="", camera_id="", setup_id="") for s in production.all(Shot)]
    assert same == [replace(s, id="", root_id="", camera_id="", setup_id="") for s in other.all(Shot)]
    assert production.measured("thumb").keys() == other.measured("thumb").keys()
