"""Fixtures for all rooms. Windows are offscreen and nothing of the person's own state is touched."""

import gc
import json
import os
import shutil
import sys
import tempfile
from collections.abc import Callable, Iterator
from functools import lru_cache
from itertools import count
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault(
    "OMP_NUM_THREADS", "1"
)  # as many processes as cores run already; read when NumPy is loaded
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("AQUIN_PICTURES", "640x360")  # the demo films 960 x 540; read when lenses are made
os.environ["AQUIN_TRUST"] = "/"  # the tests' own configurations are used unasked
sys.path.insert(0, str(Path(__file__).parent))

import numpy as np
import pytest
from filelock import FileLock
from hypothesis import settings

from aquin.charts.layout import Layout, layout
from aquin.colour.config import ColourConfig
from aquin.production.heroes import take_proposed
from aquin.production.matching import settle
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.production.store import Production
from aquin.simulate import kept_layers
from aquin.simulate.demo import SEED, build_demo, session_takes
from aquin.simulate.logbook import log_demo
from aquin.simulate.planning import plan
from aquin.simulate.stage import Stage
from postgres import Postgres, programs
from shoots import copy_of, take_measured

settings.register_profile("aquin", deadline=None)  # a busy machine is no failure
settings.load_profile("aquin")


ACCOUNTS = ("anna", "ben", "carla", "guest")
"""On the server of the tests."""
COUNT = count()
IN_MEMORY = Path("/dev/shm")
ROOM = 6 * 2**30
"""Bytes that must be free there: a whole run takes three GB."""
BASE = pytest.StashKey[Path]()


FIRST = (
    *("production/test_audit", "desk/test_bench", "measure/test_looks", "cli/test_matching_cli"),
    *("desk/test_one_session", "desk/test_moving_grades", "production/test_charts_seen", "test_house"),
    "cli/test_cut_and_screens_cli",
    *(
        "release/test_causes",
        "simulate/test_demo",
        "charts/test_find",
        "release/test_release",
        "desk/test_board",
    ),
    *("production/test_unbaked", "match/test_points", "desk/test_bench_hands", "production/test_shared"),
    *("production/test_aspect", "desk/test_charts_view", "match/test_levelling", "production/test_stand_in"),
    *("match/test_moving", "production/test_broken", "cli/test_cli", "test_cluster", "production/test_cuts"),
    *("production/test_history", "production/test_over_time", "desk/test_shots", "charts/test_curve"),
    *("match/test_materials", "charts/test_heldout", "look/test_fit", "desk/test_levels_and_looks"),
    *("production/test_matching", "production/test_level_targets", "cli/test_charts", "charts/test_identify"),
    *("desk/test_continuity_and_screens", "production/test_beside", "desk/test_shared_windows"),
)
"""The files of tests that take longest come first, or the last one would be waited for alone; and those that film first
are different ones.
"""
A_WORKER = 4 * 2**30
"""Bytes that a process of tests may come to hold."""


def pytest_configure(config: pytest.Config) -> None:
    """Files of tests lie in memory where there is room: production files are written through to the disk each time.
    The simulation's places are worked out once for all processes.
    """
    gc.freeze()  # modules that are loaded for good need not be gone through again and again
    gc.set_threshold(20_000, 20, 20)
    if hasattr(config, "workerinput"):
        return
    memory = os.access(IN_MEMORY, os.W_OK) and shutil.disk_usage(IN_MEMORY).free > ROOM
    base = Path(tempfile.mkdtemp(prefix="aquin-tests-", dir=IN_MEMORY if memory else None))
    config.stash[BASE] = base
    (base / "stages").mkdir()
    os.environ[kept_layers.FOLDER] = str(base / "stages")
    os.environ["AQUIN_STATE"] = str(
        base / "state"
    )  # what fixtures of the whole run would leave at the person's
    if config.option.basetemp is None and memory:
        config.option.basetemp = str(base / "run")


def pytest_unconfigure(config: pytest.Config) -> None:
    gc.unfreeze()
    base = config.stash.get(BASE, None)
    if base is not None:
        shutil.rmtree(base, ignore_errors=True)


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_auto_num_workers(config: pytest.Config) -> int:
    """Half as many again as there are processors, since windows wait as well as work; as far as memory goes."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return max(1, min(len(os.sched_getaffinity(0)) * 3 // 2, memory // A_WORKER))


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    order = {name: k for k, name in enumerate(FIRST)}
    items.sort(key=lambda item: order.get(item.nodeid.partition(".py")[0].removeprefix("tests/"), len(order)))


@pytest.fixture(scope="session")
def once(tmp_path_factory: pytest.TempPathFactory) -> Callable[[str, Callable[[Path], None]], Path]:
    """Make a folder once for the whole run, whichever of its processes comes first."""
    root = tmp_path_factory.getbasetemp()
    if os.environ.get("PYTEST_XDIST_WORKER"):
        root = root.parent

    def made(name: str, make: Callable[[Path], None]) -> Path:
        folder, done = root / name, root / f"{name}.done"
        with FileLock(root / f"{name}.lock"):
            if not done.exists():
                folder.mkdir()
                make(folder)
                done.touch()
        return folder

    return made


@pytest.fixture(autouse=True)
def own_state(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Path:
    folder = tmp_path_factory.mktemp("state")
    monkeypatch.setenv("AQUIN_STATE", str(folder))
    return folder


@pytest.fixture(scope="session")
def builtin() -> ColourConfig:
    return ColourConfig.load()


@pytest.fixture(scope="session")
def chart24() -> Layout:
    return layout()


@pytest.fixture(scope="session")
def demo(once: Callable[[str, Callable[[Path], None]], Path]) -> Path:
    """The demo folder with the two takes that the Bench opens, filmed once for the whole run."""

    def film(folder: Path) -> None:
        wanted = {t.path for t in session_takes(plan(SEED))}
        build_demo(folder / "ferry", truth=folder / "ferry-truth", only=lambda t: t.path in wanted)

    return once("demo", film) / "ferry"


@pytest.fixture(scope="session")
def hero_file(demo: Path) -> Path:
    """The main camera's chart still (scene-linear EXR)."""
    return demo / json.loads((demo / "ferry.json").read_text())["hero"]["file"]


@pytest.fixture(scope="session")
def shot_file(demo: Path) -> Path:
    """The flying camera's chart take (a log movie)."""
    return demo / json.loads((demo / "ferry.json").read_text())["shot"]["file"]


@pytest.fixture(scope="session")
def truth(demo: Path) -> dict[str, np.ndarray]:
    """What the hero's camera would have recorded where the shot's stood, at the light on the hero's chart; and the
    charts' corners.
    """
    folder = demo.parent / "ferry-truth"
    hero, shot = (json.loads((folder / f"{t.clip}.json").read_text()) for t in session_takes(plan(SEED)))
    lit = [
        facts["held"][0]["irradiance"] * 2.0**stops
        for facts, stops in ((hero, hero["stops"]), (shot, shot["hero_stops"]))
    ]
    with np.load(folder / f"{shot['clip']}.npz") as data:
        seen = data["hero"].astype(np.float32)
    return {
        "hero_corners": np.array(hero["held"][0]["corners"]),
        "shot_corners": np.array(shot["held"][0]["corners"]),
        "hero_camera_at_shot": seen * np.float32(lit[0] / lit[1]),
    }


@pytest.fixture(scope="session")
def stage() -> Callable[[str, str], Stage]:
    """A place as one camera sees it, built once for the whole run."""
    return lru_cache(maxsize=8)(Stage)


@pytest.fixture
def random() -> np.random.Generator:
    return np.random.default_rng(17)


@pytest.fixture(scope="session")
def filmed(once: Callable[[str, Callable[[Path], None]], Path]) -> Path:
    """A production of two setups and three cameras, filmed at three frames a take and logged, with its truth in
    `truth` beside it. What settling reads of its frames is known: it was settled once, in a copy.
    """
    from shoots import film_short

    def film(folder: Path) -> None:
        film_short(
            folder / "ferry",
            11,
            folder / "truth",
            keep=lambda t: t.setup in ("pier", "upper-deck") and t.role != "phone" and not t.mistake,
        )
        log_demo(folder / "ferry", audit=True)
        path = folder / "ferry" / "ferry.aquin"
        other = copy_of(path, path.with_name("settled.aquin"))
        _settle(other)
        take_measured(path, other)

    return once("filmed", film) / "ferry" / "ferry.aquin"


def _settle(path: Path) -> None:
    production = Production.open(path)
    config = config_of(production)
    take_proposed(production)
    summary = settle(production, config, list(Shoot(production, config).shots))
    assert all(c.done for c in summary.cells), summary.line
    production.close()


@pytest.fixture
def shoot_copy(filmed: Path) -> Path:
    """A copy of that production beside the same media."""
    return copy_of(filmed)


@pytest.fixture(scope="session")
def settled(filmed: Path) -> Path:
    """The filmed production with heroes proposed and all cells settled, beside the media."""
    return filmed.with_name("settled.aquin")


@pytest.fixture(scope="session")
def changing(once: Callable[[str, Callable[[Path], None]], Path]) -> Path:
    """A production of takes in which light changes by known gains, and one in which it holds."""
    from changing import make

    return once("changing", make) / "made.aquin"


@pytest.fixture(scope="module")
def pair(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    """Two views of one scene by different cameras, as scene-linear files."""
    from aquin.exchange import picture
    from stereo import camera, stereo_pair

    folder = tmp_path_factory.mktemp("pair")
    views = stereo_pair()
    picture.write(folder / "hero.exr", views.left)
    picture.write(folder / "shot.exr", camera(views.right, np.random.default_rng(4)))
    return folder / "hero.exr", folder / "shot.exr"


@pytest.fixture(scope="session")
def server() -> Iterator[Postgres]:
    """A real PostgreSQL, with accounts; `./aquin test` installs one where it may."""
    if programs() is None:
        pytest.skip("PostgreSQL is not installed (apt-get install postgresql)")
    made = Postgres()
    made.run(*(f"CREATE ROLE {who} LOGIN" for who in ACCOUNTS), "CREATE ROLE lead LOGIN CREATEROLE")
    yield made
    made.close()


@pytest.fixture
def database(server: Postgres) -> Iterator[str]:
    """A database of its own, in which `lead` may share productions."""
    name = f"films{next(COUNT)}"
    server.run(f"CREATE DATABASE {name} OWNER lead")
    yield name
    server.run(f"DROP DATABASE {name} WITH (FORCE)")
