"""Fixtures for all rooms. Windows are offscreen and nothing of the person's own state is touched."""

import os
import sys
from pathlib import Path

import numpy as np
import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent))

from aquin.charts.layout import Layout, layout
from aquin.colour.config import ColourConfig
from aquin.simulate.demo import build_demo


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
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo folder, built once for the whole run."""
    folder = tmp_path_factory.mktemp("demo") / "ferry"
    build_demo(folder)
    return folder


@pytest.fixture(scope="session")
def truth(demo: Path) -> dict[str, np.ndarray]:
    with np.load(demo.parent / "ferry-truth" / "aftdeck.npz") as data:
        return dict(data)


@pytest.fixture
def random() -> np.random.Generator:
    return np.random.default_rng(17)
