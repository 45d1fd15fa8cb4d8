"""A shot of the hero's own camera that shares no points with the hero, filmed in other light: the same materials tell
how much. Real photographs that packages ship: the hero is every other strip of one, the shot the others, mirrored.
"""

from collections.abc import Iterator
from contextlib import closing
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from aquin.arrays import Float32
from aquin.colour import acescct
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Balance
from aquin.production import Camera, Production, Setup, Shot
from aquin.production.ingest import ingest
from aquin.production.matching import settle
from aquin.production.records import Grade
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot, shot_grade
from aquin.simulate.film import write_movie
from photographs import photographs

CHANGE = np.log2(Balance.from_shift(0.6, 15.0, 0.0).factors)
"""(3,) log2 of the channels by which light changed."""


def strips(picture: np.ndarray, which: int) -> np.ndarray:
    """Every other one of eight upright strips, the second ones mirrored."""
    parts = np.array_split(picture, 8, axis=1)[which::2]
    return np.concatenate([p[:, ::-1] if which else p for p in parts], axis=1)


def film(path: Path, scene: np.ndarray, clip: str, begin: str) -> None:
    random = np.random.default_rng(len(clip))
    wide = cv2.resize(scene, (640, 360), interpolation=cv2.INTER_AREA)

    def frames() -> Iterator[Float32]:
        for _ in range(30):
            log = acescct.encode(np.maximum(wide, 0).astype(np.float32))
            yield np.clip(log + random.normal(0, 0.003, log.shape), 0, 1).astype(np.float32)

    write_movie(path, frames(), begin, clip, "ffv1", "yuv422p10le", rate=Fraction(24))


def made(folder: Path, photo: str, gains: np.ndarray, other: str = "") -> Production:
    """Two takes of one camera, minutes apart; the first one is the hero."""
    media = folder / "media"
    media.mkdir()
    film(media / "A001.mkv", strips(photographs()[photo], 0), "A001", "10:00:00:00")
    film(media / "A002.mkv", strips(photographs()[other or photo], 1) * np.exp2(gains), "A002", "10:20:00:00")
    production = Production.create(folder / "made.aquin")
    ingest(production, [media], ColourConfig.load())
    camera, setup = Camera("A", encoding="ACEScct", range="legal"), Setup("deck")
    production.change("one camera", camera, setup)
    shots = sorted(production.all(Shot), key=lambda s: s.name)
    production.change(
        "log", *(replace(s, camera_id=camera.id, setup_id=setup.id, kind="shot") for s in shots)
    )
    production.change("hero", replace(setup, hero_id=shots[0].id))
    return production


def trim_of(production: Production) -> tuple[np.ndarray, str]:
    """What the second shot's grade does, (3,) log2, after settling, and who said so."""
    config = config_of(production)
    settle(production, config, list(Shoot(production, config).shots))
    shoot = Shoot(production, config)
    shot = max(production.all(Shot), key=lambda s: s.name)
    trims = [g for g in production.all(Grade) if g.layer == "trim" and g.shot_id == shot.id and g.on]
    grade = shot_grade(shoot, shot)
    return np.log2(np.asarray(grade.linear(np.full((1, 3), 0.18))) / 0.18)[0], trims[
        0
    ].origin if trims else ""


@pytest.mark.parametrize("photo", ["coffee", "astronaut", "china"])
def test_light_that_changed_between_takes_is_taken_back_by_the_same_materials(
    photo: str, tmp_path: Path
) -> None:
    with closing(made(tmp_path, photo, CHANGE)) as production:
        done, said = trim_of(production)
        assert said.startswith("the same materials")
        assert np.abs(done + CHANGE).max() < 0.15 < np.abs(CHANGE).max()
        again, _ = trim_of(production)  # settling again changes nothing
        assert again == pytest.approx(done, abs=1e-6)


@pytest.mark.parametrize("photo", ["coffee", "astronaut", "china"])
def test_where_light_held_little_is_done(photo: str, tmp_path: Path) -> None:
    with closing(made(tmp_path, photo, np.zeros(3))) as production:
        done, _ = trim_of(production)
        assert np.abs(done).max() < 0.15


@pytest.mark.parametrize(("hero", "shot"), [("coffee", "rocket"), ("china", "cat"), ("astronaut", "coffee")])
def test_a_shot_of_quite_other_things_stays_as_it_is(hero: str, shot: str, tmp_path: Path) -> None:
    with closing(made(tmp_path, hero, CHANGE, other=shot)) as production:
        done, said = trim_of(production)
        assert not said and np.abs(done).max() < 1e-9
