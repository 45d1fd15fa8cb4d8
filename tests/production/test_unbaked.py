"""A viewing LUT that is baked into one take: real photographs that packages ship, recorded by one camera."""

from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from aquin.arrays import Float32
from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.config import ColourConfig
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.grade import Balance, Grade
from aquin.production import Camera, Production, Setup, Shot
from aquin.production import unbaked as unbaked_module
from aquin.production.audit import run_audit
from aquin.production.cells import State, board
from aquin.production.grading import held_grade, keep_grade, trim_of
from aquin.production.ingest import ingest
from aquin.production.matching import settle
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.production.unbaked import unbaked
from aquin.simulate.crew import bake
from aquin.simulate.film import write_movie
from photographs import photographs
from shoots import copy_of, take_measured

FRAMES = 12
SIZE = (640, 360)
TAKES = {"one": (40, 60), "two": (70, 50), "third": (55, 80), "spoilt": (90, 70)}
"""Where in the photograph each take looks, pixels."""


def views(photo: str) -> dict[str, Float32]:
    """(h, w, 3) scene-linear AP1 of each take."""
    scene = cv2.resize(photographs()[photo], (1280, 853), interpolation=cv2.INTER_AREA)
    return {
        name: cv2.getRectSubPix(scene, SIZE, (320.0 + x, 180.0 + y)).astype(np.float32)
        for name, (x, y) in TAKES.items()
    }


def film(media: Path, photo: str) -> None:
    media.mkdir()
    random = np.random.default_rng(8)
    for name, view in views(photo).items():
        log = acescct.encode(np.maximum(view, 0))

        def frames(log: Float32 = log, name: str = name) -> Iterator[Float32]:
            for _ in range(FRAMES):
                noisy = (log + random.normal(0, 0.003, log.shape)).astype(np.float32)
                yield np.clip(bake(noisy) if name == "spoilt" else noisy, 0, 1)

        start = f"10:0{list(TAKES).index(name)}:00:00"
        write_movie(media / f"{name}.mkv", frames(), start, "A001", "ffv1", "yuv444p10le", rate=Fraction(24))


@pytest.fixture(scope="module", params=["coffee", "china"])
def shoot(
    request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory
) -> Callable[[], tuple[Production, str]]:
    folder = tmp_path_factory.mktemp(request.param)
    film(folder / "media", request.param)
    production = Production.create(folder / "made.aquin")
    ingest(production, [folder / "media"], ColourConfig.load())
    camera, setup = Camera("A", encoding="ACEScct", range="legal"), Setup("table")
    production.change("one camera", camera)
    shots = {s.name: s for s in production.all(Shot)}
    production.change("a setup", replace(setup, hero_id=shots["one"].id))
    production.change(
        "log", *(replace(s, camera_id=camera.id, setup_id=setup.id, kind="shot") for s in shots.values())
    )
    run_audit(production, config_of(production))
    production.close()
    path = folder / "made.aquin"
    once = Production.open(copy_of(path))  # what settling reads of frames is known from here on
    settle(once, config_of(once), list(Shoot(once, config_of(once)).shots))
    once.close()
    take_measured(path, once.path)
    return lambda: (Production.open(copy_of(path)), request.param)


def off(photo: str, grade: Grade) -> float:
    """Median CIEDE2000 of the spoilt take under a grade from what the camera would have recorded without the LUT."""
    true = views(photo)["spoilt"]
    seen = acescct.decode(bake(acescct.encode(np.maximum(true, 0)).astype(np.float32)))
    made = np.asarray(grade.linear(seen.astype(np.float64)))
    kept = true.min(axis=-1) > 1e-3
    a, b = (lab_of_ap1(np.maximum(x[kept], 0)) for x in (true, made))
    return float(np.median(delta_e00(a, b)))


def spoilt(production: Production) -> Shot:
    return next(s for s in production.all(Shot) if s.name == "spoilt")


def test_a_baked_take_is_brought_to_its_cameras_others_and_stays_flagged(
    shoot: Callable[[], tuple[Production, str]],
) -> None:
    production, photo = shoot()
    config, shot = config_of(production), spoilt(production)
    flagged = {i for f in run_audit(production, config) if f.kind == "baked picture" for i in f.shots}
    assert flagged == {shot.id}
    before = off(photo, Grade())
    settle(production, config, list(Shoot(production, config).shots))
    grade, own = held_grade(production, shot), trim_of(production, shot)
    assert grade is not None and own is not None and own.values["unbaked"]
    after = off(photo, grade)
    assert before > 12 and after < 0.35 * before, (before, after)
    states = {s.shot.id: s.state for c in board(production, config).values() for s in c.shots}
    assert states[shot.id] is State.FINDING  # better, and never called within
    # deciding it anew changes nothing
    assert production.undo()
    settle(production, config, list(Shoot(production, config).shots))
    again = held_grade(production, shot)
    assert again is not None and off(photo, again) == pytest.approx(after, abs=0.05)
    settle(production, config, list(Shoot(production, config).shots))
    assert held_grade(production, shot) == again
    production.close()


def test_a_persons_trim_stays_and_without_the_finding_it_goes(
    shoot: Callable[[], tuple[Production, str]],
) -> None:
    production, _ = shoot()
    config, shot = config_of(production), spoilt(production)
    mine = Grade(trim=Cdl(saturation=0.5))
    keep_grade(production, config, shot, mine, "by hand")
    settle(production, config, list(Shoot(production, config).shots))
    assert held_grade(production, shot) == mine
    while trim_of(production, shot) is not None:
        production.undo()
    settle(production, config, list(Shoot(production, config).shots))
    assert (own := trim_of(production, shot)) is not None and own.on
    production.keep_findings({})  # the audit sees no baked picture any more
    settle(production, config, list(Shoot(production, config).shots))
    own = trim_of(production, shot)
    assert own is not None and not own.on
    production.close()


def test_where_nothing_is_shared_nothing_is_made_up(tmp_path: Path) -> None:
    """A spoilt take of another place: no points, no correction."""
    film(tmp_path / "media", "coffee")
    scene = cv2.resize(photographs()["rocket"], SIZE, interpolation=cv2.INTER_AREA)
    log = acescct.encode(np.maximum(scene, 0)).astype(np.float32)
    (tmp_path / "media" / "spoilt.mkv").unlink()
    frames = [bake(log)] * FRAMES
    write_movie(
        tmp_path / "media" / "spoilt.mkv",
        frames,
        "10:09:00:00",
        "A001",
        "ffv1",
        "yuv444p10le",
        rate=Fraction(24),
    )
    production = Production.create(tmp_path / "made.aquin")
    ingest(production, [tmp_path / "media"], ColourConfig.load())
    camera, setup = Camera("A", encoding="ACEScct", range="legal"), Setup("table")
    shots = {s.name: s for s in production.all(Shot)}
    production.change("one camera", camera, replace(setup, hero_id=shots["one"].id))
    production.change(
        "log", *(replace(s, camera_id=camera.id, setup_id=setup.id, kind="shot") for s in shots.values())
    )
    config, shot = config_of(production), shots["spoilt"]
    said = {"kind": "baked picture", "shots": [shot.id], "severity": "warning"}
    production.keep_findings({"x": said})
    settle(production, config, list(Shoot(production, config).shots))
    own = trim_of(production, shot)
    assert own is None or not own.on
    # a balance that was made for its camera's log codes is kept away from it
    desk, place = Shoot(production, config), (setup.id, camera.id)
    desk.decided[place] = Grade(Balance.from_factors(np.array([1.5, 1.0, 0.7])), Cdl(power=(1.3, 1.3, 1.3)))
    (trim,) = unbaked(desk, [place], {})
    assert trim.shot.id == shot.id and trim.record.on and "as filmed" in trim.record.origin
    assert Grade.of(trim.record.values) == Grade()
    production.close()


def test_points_that_are_not_sure_do_where_they_bring_it_far_nearer(
    shoot: Callable[[], tuple[Production, str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    production, _ = shoot()
    config = config_of(production)
    desk = Shoot(production, config)
    place = next(iter(desk.shots))
    (sure,) = unbaked(desk, [place], {})
    monkeypatch.setattr(
        unbaked_module, "SURE", 1.1
    )  # the surest of the others stands in for the nearest in time
    (likely,) = unbaked(Shoot(production, config), [place], {})
    own = np.full((1, 3), 0.3)
    assert likely.record.on and likely.record.values["unbaked"] in {s.id for s in production.all(Shot)}
    ways = [np.log2(Grade.of(t.record.values).linear(own)) for t in (sure, likely)]
    assert ways[0] == pytest.approx(ways[1], abs=0.25)
    monkeypatch.setattr(unbaked_module, "FAR_BETTER", 0.0)
    assert not unbaked(Shoot(production, config), [place], {})  # its cell has no balance that would spoil it
    production.close()
