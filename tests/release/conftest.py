"""A release of the settled production, made once for the whole run."""

from collections.abc import Callable
from pathlib import Path

import pytest

from aquin.jobs.make_release import make_release
from aquin.jobs.release_contents import Wish
from aquin.production import Production
from aquin.production.settings import config_of
from releases import graded_film
from shoots import copy_of

Once = Callable[[str, Callable[[Path], None]], Path]


@pytest.fixture(scope="session")
def film(settled: Path, once: Once) -> Path:
    def make(folder: Path) -> None:
        path = settled.with_name("released.aquin")
        copy_of(settled, path)
        graded_film(path)
        production = Production.open(path)
        wish = Wish(points=33, note="the first one")
        make_release(production, config_of(production), folder / "release", wish, jobs=1)
        production.close()

    once("release", make)
    return settled.with_name("released.aquin")


@pytest.fixture(scope="session")
def released(film: Path, once: Once) -> Path:
    """The folder: not to be changed."""
    return once("release", lambda folder: None) / "release"


@pytest.fixture
def own_film(film: Path, tmp_path: Path) -> Path:
    """A copy of the production that the release was made from, after it."""
    return copy_of(film, film.with_name(f"{tmp_path.name}.aquin"))
