"""Kills, full disks, missing permissions, damaged and foreign files: a clear message, and nothing that was saved is
lost.
"""

import os
import shutil
import sqlite3
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production import Camera, Production, Root, Setup, Shot
from aquin.production.migrations import SCHEMA

ROOT = Path(__file__).parents[2]


@pytest.fixture
def file(tmp_path: Path) -> Path:
    production = Production.create(tmp_path / "ferry.aquin", "Ferry film")
    root = Root("media", "media")
    production.change("log", root, Camera("Heron"), *(Shot(root.id, f"{k}.mkv", f"{k}") for k in range(200)))
    production.close()
    return production.path


def test_200_kills_at_any_moment_lose_nothing_that_was_saved(tmp_path: Path) -> None:
    """SIGKILL at random moments of scripted edits: the file opens, integrity_check is ok, all reported changes are
    there.
    """
    done = subprocess.run(
        [sys.executable, str(Path(__file__).with_name("scribe.py")), str(tmp_path / "p.aquin"), "200"],
        capture_output=True,
        text=True,
        env=os.environ | {"PYTHONPATH": str(ROOT / "src")},
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("200 kills")


def refused(path: Path, words: str) -> None:
    with pytest.raises(AquinError, match=words) as caught:
        Production.open(path)
    assert caught.value.file == str(path)
    assert caught.value.remedy


def test_what_is_no_production_is_refused_and_left_alone(tmp_path: Path) -> None:
    refused(tmp_path / "none.aquin", "does not exist")
    refused(tmp_path, "a folder")
    for name, content in (("empty", b""), ("text", b"hello " * 100), ("short", b"SQLite format 3\0")):
        path = tmp_path / f"{name}.aquin"
        path.write_bytes(content)
        refused(path, "empty" if not content else "no production")
        assert path.read_bytes() == content
    foreign = tmp_path / "foreign.aquin"
    other = sqlite3.connect(foreign)
    other.execute("CREATE TABLE a (b)")
    other.commit()
    other.close()
    content = foreign.read_bytes()
    refused(foreign, "another program's database")
    assert foreign.read_bytes() == content
    assert sorted(p.name for p in tmp_path.iterdir()) == [
        "empty.aquin",
        "foreign.aquin",
        "short.aquin",
        "text.aquin",
    ]


@pytest.mark.parametrize("share", [0.1, 0.5, 0.97])
def test_a_truncated_file_is_refused(file: Path, share: float) -> None:
    content = file.read_bytes()
    file.write_bytes(content[: int(len(content) * share)])
    refused(file, "ends early")


def test_a_damaged_file_is_refused_or_read_but_never_crashes(file: Path, random: object) -> None:
    content = file.read_bytes()
    outcomes = set()
    for _ in range(40):
        broken = bytearray(content)
        for at in random.integers(100, len(content) - 300, 3):  # type: ignore[attr-defined]
            broken[at : at + 200] = random.bytes(200)  # type: ignore[attr-defined]
        file.write_bytes(bytes(broken))
        try:
            Production.open(file).close()
            outcomes.add("read")
        except AquinError as error:
            outcomes.add("refused")
            assert "damaged" in error.what, error.what
            assert "backup" in error.remedy
        for extra in ("-wal", "-shm"):
            file.with_name(file.name + extra).unlink(missing_ok=True)
    assert "refused" in outcomes


def test_a_newer_file_opens_for_reading_only(file: Path, tmp_path: Path) -> None:
    raw = sqlite3.connect(file)
    raw.execute("ALTER TABLE shot ADD COLUMN from_the_future TEXT NOT NULL DEFAULT 'x'")
    raw.execute(f"PRAGMA user_version = {SCHEMA + 3}")
    raw.commit()
    raw.close()
    production = Production.open(file)
    assert production.read_only
    assert any("newer Aquin" in note for note in production.notes)
    assert len(production.all(Shot)) == 200
    with pytest.raises(AquinError, match="reading only"):
        production.change("try", Camera("Egret"))
    with pytest.raises(AquinError, match="reading only"):
        production.undo()
    assert production.can_undo is None
    production.save_copy(tmp_path / "copy.aquin")
    production.close()
    again = sqlite3.connect(file)
    assert again.execute("PRAGMA user_version").fetchone()[0] == SCHEMA + 3
    assert again.execute("SELECT count(*) FROM shot WHERE from_the_future = 'x'").fetchone()[0] == 200


def old_file(path: Path) -> None:
    """A file as the first version wrote it."""
    from alembic import command
    from alembic.config import Config

    from aquin.production.migrations import FOLDER
    from aquin.production.tables import APPLICATION_ID

    config = Config()
    config.set_main_option("script_location", str(FOLDER))
    config.set_main_option("path_separator", "os")
    engine = sql.create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
        connection.exec_driver_sql(
            "INSERT INTO setup VALUES ('s1', 'galley', 1, '', 1, '[\"24-patch\"]', '')"
        )
        connection.exec_driver_sql(f"PRAGMA application_id = {APPLICATION_ID}")
        connection.exec_driver_sql("PRAGMA user_version = 1")
    engine.dispose()


def test_an_older_file_is_migrated_after_a_backup(tmp_path: Path) -> None:
    path = tmp_path / "old.aquin"
    old_file(path)
    before = sqlite3.connect(path).execute("SELECT * FROM setup").fetchall()
    production = Production.open(path)
    assert not production.read_only
    assert production.get(Setup, "s1") == Setup("galley", 1, confirmed=True, routine=("24-patch",), id="s1")
    assert any("backup" in note.lower() for note in production.notes)
    production.change("go on", Camera("Heron"))
    production.close()
    backup = sqlite3.connect(tmp_path / "old.version-1.aquin")
    assert backup.execute("PRAGMA user_version").fetchone()[0] == 1
    assert backup.execute("SELECT * FROM setup").fetchall() == before
    assert Production.open(path).notes == ()


def test_reading_an_older_file_only_leaves_it_as_it_is(tmp_path: Path) -> None:
    path = tmp_path / "old.aquin"
    old_file(path)
    content = path.read_bytes()
    production = Production.open(path, read_only=True)
    assert production.all(Setup)[0].name == "galley"
    production.close()
    assert path.read_bytes() == content
    assert [p.name for p in tmp_path.iterdir()] == ["old.aquin"]


def as_nobody(code: str, *words: Path) -> str:
    """Run code as a user whom permissions bind; gives what it prints."""
    drop = "import os; os.setgid(65534); os.setuid(65534)\n" if os.geteuid() == 0 else ""
    done = subprocess.run(
        [
            sys.executable,
            "-c",
            "import aquin.production.store, aquin.production.ingest\n" + drop + code,
            *map(str, words),
        ],
        capture_output=True,
        text=True,
        env=os.environ | {"PYTHONPATH": str(ROOT / "src"), "HOME": "/tmp", "AQUIN_PERSON": "nobody"},
    )
    assert done.returncode == 0, done.stderr
    return done.stdout


OPEN = """
import sys
from pathlib import Path
from aquin.errors import AquinError
from aquin.production import Camera, Production, Shot
try:
    p = Production.open(Path(sys.argv[1]))
    print(p.read_only, len(p.all(Shot)), *p.notes)
    p.change("try", Camera("Egret"))
except AquinError as error:
    print(error.line())
"""


@pytest.fixture
def outside() -> Path:
    """A folder that another user can reach (pytest's own folders are private)."""
    import tempfile

    with tempfile.TemporaryDirectory() as name:
        Path(name).chmod(0o755)
        yield Path(name)  # type: ignore[misc]
        for path in (Path(name), *Path(name).rglob("*")):
            path.chmod(0o755)


def test_read_only_file_folder_and_forbidden_ones_are_said_clearly(file: Path, outside: Path) -> None:
    sealed = outside / "sealed"
    sealed.mkdir()
    there = Path(shutil.copy(file, sealed / "ferry.aquin"))
    there.chmod(0o444)
    sealed.chmod(0o555)
    said = as_nobody(OPEN, there)
    assert said.startswith("True 200 The file or its folder can't be written to")
    assert "open for reading only" in said
    assert sorted(p.name for p in sealed.iterdir()) == ["ferry.aquin"]
    there.chmod(0o000)
    assert "can't be read (Permission denied)" in as_nobody(OPEN, there)
    create = OPEN.replace("Production.open", "Production.create")
    assert "cannot write into the folder" in as_nobody(create, sealed / "new.aquin")


def test_changes_still_in_the_log_are_read_from_a_sealed_folder(file: Path, outside: Path) -> None:
    production = Production.open(file)
    production.change("more", Camera("Egret"))
    sealed = outside / "sealed"
    sealed.mkdir()
    for part in ("", "-wal"):
        shutil.copy(file.with_name(file.name + part), sealed)
    sealed.chmod(0o555)
    code = OPEN.replace("len(p.all(Shot))", "*(c.name for c in p.all(Camera))")
    assert "Heron Egret" in as_nobody(code, sealed / file.name)


@pytest.fixture
def small_disk(tmp_path: Path) -> Path:
    """A disk of 2 MB."""
    disk = tmp_path / "disk"
    disk.mkdir()
    if (
        os.geteuid() != 0
        or subprocess.run(["mount", "-t", "tmpfs", "-o", "size=2m", "none", disk]).returncode
    ):
        pytest.skip("a small disk can only be mounted by root")
    yield disk  # type: ignore[misc]
    subprocess.run(["umount", "-l", disk], check=True)


def test_a_full_disk_loses_nothing_and_is_said(small_disk: Path) -> None:
    production = Production.create(small_disk / "p.aquin")
    root = Root("media", "media")
    shots = [Shot(root.id, f"{k}.mkv", f"{k}") for k in range(20)]
    production.change("log", root, *shots)
    saved, error = 0, None
    for k in range(400):
        try:
            production.change(f"note {k}", *(replace(s, note=f"{k} " * 400) for s in shots))
            saved = k
        except AquinError as caught:
            error = caught
            break
    assert error is not None, "the disk was not full"
    assert "the disk is full" in error.what
    assert "Free some space" in error.remedy
    assert production.get(Shot, shots[3].id).note == f"{saved} " * 400
    with pytest.raises(AquinError, match=r"disk is full|writing failed"):
        production.save_copy(small_disk / "copy.aquin")
    production.close()
    again = Production.open(small_disk / "p.aquin")
    assert again.get(Shot, shots[3].id).note == f"{saved} " * 400
    assert not (small_disk / "copy.aquin").exists()


def test_a_drive_that_was_pulled_is_said(file: Path) -> None:
    production = Production.open(file)
    moved = file.with_name("elsewhere")
    file.rename(moved)
    file.with_name(file.name + "-wal").unlink(missing_ok=True)
    try:
        production.change("try", Camera("Egret"))
    except AquinError as error:
        assert error.remedy
    production.close()
    moved.rename(file)
    assert len(Production.open(file).all(Shot)) == 200
