"""Measuring on several machines: a local scheduler, and workers that stand for machines of other names, with the media
in other folders.
"""

import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import pytest

from aquin import cluster, workers
from aquin.cluster import Root
from aquin.errors import AquinError
from postgres import free_port


@dataclass(frozen=True)
class Item:
    path: Path
    word: str = ""
    config: str | None = None


def size(item: Item) -> tuple[int, str, str]:
    """What is read, and by whom."""
    if item.word == "slow":
        time.sleep(0.3)
    if item.word == "crash":
        os.kill(os.getpid(), signal.SIGSEGV)
    if item.word == "wrong":
        raise AquinError("it can't be read", item.path, "Copy it again")
    if item.word == "bug":
        raise ZeroDivisionError
    extra = "" if item.config is None else Path(item.config).read_text()
    return len(item.path.read_bytes()), str(item.path), os.environ.get("AQUIN_WORKSTATION", "") + extra


@dataclass
class Machines:
    address: str
    running: dict[str, subprocess.Popen[str]]
    start: Callable[[str, str], None]


@pytest.fixture
def machines(tmp_path: Path) -> Iterator[Machines]:
    """A scheduler, and a way to start a machine with two processes."""
    port = free_port()
    program = [sys.executable, "-m", "aquin"]
    env = os.environ | {
        "PYTHONPATH": os.pathsep.join([str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)])
    }
    env["DASK_DISTRIBUTED__SCHEDULER__ALLOWED_FAILURES"] = "1"
    running: dict[str, subprocess.Popen[str]] = {}

    def begin(name: str, *words: str, **more: str) -> None:
        running[name] = subprocess.Popen(
            [*program, *words],
            stdout=subprocess.PIPE,
            stderr=(tmp_path / f"{name}.log").open("w"),
            text=True,
            env=env | more,
            start_new_session=True,
        )
        out = running[name].stdout
        assert out is not None and out.readline()

    begin("scheduler", "scheduler", "--port", str(port))
    address = f"tcp://127.0.0.1:{port}"

    def start(name: str, root: str) -> None:
        begin(
            name,
            "worker",
            address,
            "--processes",
            "2",
            *(("--root", root) if root else ()),
            AQUIN_WORKSTATION=name,
        )

    yield Machines(address, running, start)
    cluster.use(None)
    for one in running.values():
        with suppress(ProcessLookupError):
            os.killpg(one.pid, signal.SIGTERM)
    for one in running.values():
        with suppress(subprocess.TimeoutExpired):
            one.wait(5)
        with suppress(ProcessLookupError):
            os.killpg(one.pid, signal.SIGKILL)


@pytest.fixture
def media(tmp_path: Path) -> tuple[Path, list[Item]]:
    here = tmp_path / "here"
    here.mkdir()
    items = []
    for k in range(12):
        (here / f"{k}.mkv").write_bytes(bytes([k]) * (1000 + k))
        items.append(Item(here / f"{k}.mkv"))
    return here, items


def in_use(machines: Machines, here: Path, **places: str) -> None:
    cluster.use(machines.address)
    assert cluster.current is not None
    cluster.current.roots = (Root("media", str(here), places),)


def test_each_machine_reads_the_media_where_it_has_them(
    machines: Machines, media: tuple[Path, list[Item]], tmp_path: Path
) -> None:
    here, items = media
    shutil.copytree(here, tmp_path / "there")
    shutil.copytree(here, tmp_path / "yonder")
    (tmp_path / "yonder" / "3.mkv").write_bytes(b"another take")  # the same name, but not the same file
    (tmp_path / "there" / "3.mkv").unlink()
    machines.start("one", f"media={tmp_path / 'there'}")  # told when it was started
    machines.start("two", "")  # known to the production
    in_use(machines, here, two=str(tmp_path / "yonder"))
    config = tmp_path / "show.ocio"
    config.write_text('text\nsrc: "curve.clf"\n')
    (tmp_path / "curve.clf").write_text("curve")
    items = [Item(i.path, "slow", str(config)) for i in items]
    told: list[float] = []
    found = dict(workers.each(size, items, None, lambda share, _: told.append(share)))
    assert [found[i][0] for i in items] == [1000 + k for k in range(12)]
    folders = {Path(path).parent.name for _, path, _ in found.values()}
    assert folders == {"there", "yonder", "here"}
    assert Path(found[items[3]][1]).parent == here, "what no machine has is read here"
    assert all(words.endswith(config.read_text()) for _, _, words in found.values()), (
        "small files travel along"
    )
    assert told[-1] == 1.0 and told == sorted(told)


def test_errors_are_the_items_own_and_crashes_cost_one(
    machines: Machines, media: tuple[Path, list[Item]]
) -> None:
    here, items = media
    machines.start("one", "")
    in_use(machines, here)
    items = [*items, Item(items[0].path, "wrong"), Item(items[1].path, "bug"), Item(items[2].path, "crash")]
    found = dict(workers.each(size, items))
    assert len(found) == 15 and sum(isinstance(r, tuple) for r in found.values()) == 12
    wrong, bug, crash = (found[i] for i in items[12:])
    assert (
        isinstance(wrong, AquinError) and wrong.what == "it can't be read" and wrong.remedy == "Copy it again"
    )
    assert isinstance(bug, AquinError) and "ZeroDivisionError" in bug.what
    assert isinstance(crash, AquinError) and "ended the worker" in crash.what


def test_a_machine_that_is_lost_loses_nothing(machines: Machines, media: tuple[Path, list[Item]]) -> None:
    here, items = media
    machines.start("one", "")
    machines.start("two", "")
    in_use(machines, here)
    items = [*(Item(i.path, "slow") for i in items), *items]
    found = {}
    for item, result in workers.each(size, items):
        found[item] = result
        if len(found) == 2:
            os.killpg(machines.running["two"].pid, signal.SIGKILL)
    assert len(found) == 24 and all(isinstance(r, tuple) for r in found.values())


def test_a_stop_ends_it_and_keeps_what_was_done(machines: Machines, media: tuple[Path, list[Item]]) -> None:
    here, items = media
    machines.start("one", "")
    in_use(machines, here)
    done: list[Item] = []

    def stop(share: float, words: str) -> None:
        if words and share > 0.2:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        for item, _ in workers.each(size, [Item(i.path, "slow") for i in items], None, stop):
            done.append(item)
    assert 2 < len(done) < 12


def test_no_scheduler_and_no_workers_are_said(machines: Machines, media: tuple[Path, list[Item]]) -> None:
    with pytest.raises(AquinError, match="the scheduler does not answer"):
        cluster.use(f"tcp://127.0.0.1:{free_port()}")
    in_use(machines, media[0])
    with pytest.raises(AquinError, match="has no workers"):
        list(workers.each(size, media[1]))


def test_a_production_is_measured_on_two_machines_as_on_one(
    machines: Machines, hero_file: Path, shot_file: Path, tmp_path: Path
) -> None:
    from aquin.production import Production
    from aquin.production import Root as Folder
    from cli.running import plain

    folder = tmp_path / "film"
    (folder / "media").mkdir(parents=True)
    for k, source in enumerate((hero_file, shot_file, shot_file)):
        shutil.copyfile(source, folder / "media" / f"{k}{source.suffix}")
    shutil.copytree(folder / "media", tmp_path / "elsewhere")
    file = folder / "film.aquin"
    assert plain("new", file, folder / "media", "--jobs", "2")[0] == 0
    shutil.copyfile(file, folder / "second.aquin")
    assert plain("measure", file, "--jobs", "2")[0] == 0
    production = Production.open(file)
    (name,) = (r.name for r in production.all(Folder))
    machines.start("one", f"{name}={tmp_path / 'elsewhere'}")
    machines.start("two", f"{name}={tmp_path / 'elsewhere'}")
    code, _, err = plain("measure", folder / "second.aquin", "--cluster", machines.address)
    assert code == 0, err
    second = Production.open(folder / "second.aquin")
    assert second.measured("survey") == production.measured("survey") != {}
    production.close()
    second.close()
