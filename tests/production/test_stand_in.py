"""A camera without an encoding is not left behind; and what is wrong with recordings is mended before they are
matched.
"""

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from aquin.colour.config import ColourConfig
from aquin.colour.primaries import AP1_LUMA
from aquin.jobs.settle_cells import prepare, settle_cells
from aquin.production import Production
from aquin.production.audit import apply_fixes, dismiss, sure_fixes
from aquin.production.cells import State, board
from aquin.production.heroes import take_proposed
from aquin.production.records import Camera, Shot
from aquin.production.settings import config_of
from aquin.production.shoot import CellKey, Shoot
from aquin.production.stand_in import By, _unlike, encode, stand_in_of
from aquin.simulate.cameras import CAMERAS
from shoots import copy_of, film_with_phone


@pytest.fixture(scope="module")
def with_phone(once: Callable[[str, Callable[[Path], None]], Path]) -> Path:
    """One setup by the main camera and the telephone, with the telephone's exposure series."""
    return once("with phone", film_with_phone) / "ferry" / "ferry.aquin"


@pytest.fixture
def phone(with_phone: Path) -> Iterator[Production]:
    made = Production.open(copy_of(with_phone))
    take_proposed(made)
    yield made
    made.close()


def camera_of(production: Production) -> Camera:
    return next(c for c in production.all(Camera) if not c.encoding or stand_in_of(production, c))


def without(production: Production, *kinds: str) -> None:
    """As though those takes of the telephone had not been filmed."""
    camera = camera_of(production)
    drop = [s for s in production.all(Shot) if s.camera_id == camera.id and s.kind in kinds]
    production.change("without", drop=drop)


def tones(config: ColourConfig, name: str) -> np.ndarray:
    """(4,) stops between neighbouring signals of the middle."""
    greys = np.repeat(np.linspace(0.3, 0.7, 5)[:, None], 3, 1).astype(np.float32)
    return np.diff(np.log2(np.asarray(config.to_linear(name)(greys)) @ AP1_LUMA))


def places(production: Production) -> list[CellKey]:
    shots = Shoot(production, config_of(production)).shots
    return [p for p, own in shots.items() if any(s.kind != "series" for s in own)]


def test_the_series_is_measured_and_it_is_said(phone: Production) -> None:
    summary = settle_cells(phone, config_of(phone), places(phone))
    assert all(c.done for c in summary.cells), summary.line
    (found,) = summary.encoded
    assert found.by is By.SERIES and not found.doubtful and "exposure series" in summary.line
    camera = camera_of(phone)
    assert camera.encoding == found.encoding and stand_in_of(phone, camera) == found
    cells = board(phone, config_of(phone)).values()
    own = next(c for c in cells if c.camera.id == camera.id)
    assert own.state is not State.NO_ENCODING and own.stand_in == found
    # what was measured is the telephone's own curve, which its simulation is made of
    made = config_of(phone)
    curve = CAMERAS["Petrel"].baked
    assert curve is not None
    greys = np.linspace(0.3, 0.7, 5)
    true = np.diff(np.log2(np.asarray(curve.decode(greys), np.float64)))
    assert tones(made, found.encoding) == pytest.approx(true, abs=0.08)


def test_charts_speak_where_there_is_no_series(phone: Production) -> None:
    without(phone, "series")
    (found,) = encode(phone, [camera_of(phone)])
    assert found.by is By.CHARTS and "grey steps" in found.why
    assert found.encoding in {e.name for e in config_of(phone).encodings()}


def test_files_speak_where_there_is_no_chart_either_and_it_stays_in_doubt(phone: Production) -> None:
    without(phone, "series", "chart")
    config = config_of(phone)
    summary = settle_cells(phone, config, places(phone))
    (found,) = summary.encoded
    assert found.by is By.LOOK and found.doubtful and "in doubt" in summary.line
    kinds = {e.name: e.kind for e in config.encodings()}
    assert kinds[found.encoding] == "sdr-video"
    own = next(c for c in board(phone, config).values() if c.camera.id == camera_of(phone).id)
    assert own.state not in (State.NO_ENCODING, State.WITHIN, State.NOT_STARTED)


def test_what_a_person_chooses_is_no_stand_in(phone: Production) -> None:
    without(phone, "series")
    (found,) = encode(phone, [camera_of(phone)])
    camera = camera_of(phone)
    phone.change("choose", replace(camera, encoding="ACEScct"))
    assert stand_in_of(phone, phone.get(Camera, camera.id)) is None
    phone.undo()
    assert stand_in_of(phone, phone.get(Camera, camera.id)) == found
    phone.undo()
    assert not phone.get(Camera, camera.id).encoding


def test_tones_tell_a_known_curve(builtin: ColourConfig, random: np.random.Generator) -> None:
    """The yardstick of the guess: signals made by one encoding are least unlike under it, and not unlike at all; at
    any exposure.
    """
    stops = np.sort(random.uniform(-4, 2, (6, 5)), axis=1)
    names = [e.name for e in builtin.encodings() if e.kind == "sdr-video"]
    for name in names[::4]:
        light = 0.18 * 2.0 ** (stops - 0.7)
        luma = [np.asarray(builtin.from_linear(name)(np.repeat(row[:, None], 3, 1)))[:, 1] for row in light]
        pairs = list(zip(luma, stops, strict=True))
        costs = {n: _unlike(builtin, n, pairs) for n in names}
        assert costs[name] < 0.02
        assert costs[name] <= min(costs.values()) + 0.02
        assert max(costs.values()) > 0.1  # other curves are told from it


def test_sure_fixes_come_first_as_one_step(shoot_copy: Path) -> None:
    production = Production.open(shoot_copy)
    take_proposed(production)
    config = config_of(production)
    pier = places(production)
    shots = [s for s in production.all(Shot) if s.kind == "shot" and not s.floating and s.codec]
    one = next(s for s in shots if s.encoding == "")
    other = next(s for s in shots if s.camera_id != one.camera_id and s.file_range == "legal")
    wrong = next(c.encoding for c in production.all(Camera) if c.id != one.camera_id and "Log" in c.encoding)
    production.change("spoil", replace(one, encoding=wrong), replace(other, range="full"))
    ready = prepare(production, config, pier)
    assert not ready.encoded and ready.config is config
    about = {id for f in ready.fixes for id in f.shots}
    assert one.id in about, [f.what for f in ready.fixes]
    before = production.can_undo
    apply_fixes(production, ready.fixes)
    assert production.get(Shot, one.id).encoding == ""
    prepare(production, config, pier)
    assert one.id not in {id for f in sure_fixes(production) for id in f.shots}
    production.undo()
    assert production.get(Shot, one.id).encoding == wrong and production.can_undo == before
    # what a person has set aside is not offered again
    prepare(production, config, pier)
    for finding in sure_fixes(production):
        dismiss(production, finding, "the tag is right")
    assert not sure_fixes(production)
    production.close()
