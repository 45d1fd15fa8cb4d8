"""Where a chart was held in another light, the grey card that all cameras filmed right after it says how bright and how
white they are beside each other.
"""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from aquin.colour.config import ColourConfig
from aquin.colour.primaries import AP1_LUMA
from aquin.production import Production
from aquin.production.audit import apply_fixes, run_audit, sure_fixes
from aquin.production.grey_cards import cards_of, linear_of, one_card
from aquin.production.heroes import take_proposed
from aquin.production.matching import settle
from aquin.production.measuring import _card
from aquin.production.records import Camera, Grade, Setup
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.simulate.logbook import log_demo
from shoots import copy_of, film_short
from yardstick import judged

SEED = 28
"""In it the main camera's chart on the upper deck stands in another light, and the grey card does not."""


@pytest.mark.parametrize("light", [(0.18, 0.18, 0.18), (0.3, 0.2, 0.11), (0.04, 0.05, 0.09)])
def test_what_is_measured_of_a_card_is_its_light(
    light: tuple[float, float, float], builtin: ColourConfig
) -> None:
    name = next(e.name for e in builtin.encodings() if e.kind == "log")
    signal = builtin.from_linear(name)(np.full((90, 160, 3), light, np.float32))
    corners = np.array([[40.0, 20], [120, 20], [120, 70], [40, 70]])
    card = _card(signal, corners, builtin.to_linear(name), None)
    assert card is not None
    assert linear_of(card) == pytest.approx(light, rel=2e-3)
    assert card["level"] == pytest.approx(np.log2(np.array(light) @ AP1_LUMA / 0.18), abs=2e-3)


@pytest.fixture(scope="module")
def deck(once: Callable[[str, Callable[[Path], None]], Path]) -> Path:
    """Two setups of the main and the flying camera, logged and audited, nothing settled."""

    def film(folder: Path) -> None:
        film_short(
            folder / "ferry",
            SEED,
            folder / "truth",
            keep=lambda t: (
                t.role in ("main", "flying")
                and (t.setup == "upper-deck" or (t.setup == "car-deck" and t.kind == "chart"))
            ),
        )
        log_demo(folder / "ferry")
        production = Production.open(folder / "ferry" / "ferry.aquin")
        run_audit(production, config_of(production))
        take_proposed(production)
        production.close()

    return once("deck", film) / "ferry" / "ferry.aquin"


def settled(deck: Path) -> tuple[str, list[float], list[float]]:
    """What is said of the flying camera's balance, and by how many mired and stops its shots are off."""
    production = Production.open(copy_of(deck))
    apply_fixes(production, sure_fixes(production))
    config = config_of(production)
    settle(production, config, list(Shoot(production, config).shots))
    rows = [o for o in judged(production, Shoot(production, config), deck.parents[1] / "truth") if not o.hero]
    camera = next(c for c in production.all(Camera) if c.name == rows[0].camera)
    setup = next(s for s in production.all(Setup) if s.name == "upper-deck")
    said = next(
        g.origin
        for g in production.all(Grade)
        if (g.layer, g.setup_id, g.camera_id) == ("balance", setup.id, camera.id)
    )
    production.close()
    return said, [o.white[0] for o in rows], [o.stops for o in rows]


def test_it_takes_the_place_of_a_chart_in_another_light(deck: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The matched shots are judged against what the hero's camera would have recorded from there."""
    said, warm, stops = settled(deck)
    assert "brightness by one card before both cameras" in said and "white by one card" in said
    assert "gains alone" not in said  # what white was set to in the setup that stands in is no other light
    assert len(warm) == 4
    assert np.abs(warm).max() < 10 and abs(np.mean(stops)) < 0.1
    monkeypatch.setattr("aquin.production.weighing.one_card", lambda *_: None)
    said, untold, _ = settled(deck)
    assert "one card" not in said
    assert np.abs(untold).mean() > np.abs(warm).mean() + 8


def test_cards_that_were_not_filmed_at_once_say_nothing(deck: Path) -> None:
    production = Production.open(copy_of(deck))
    shoot = Shoot(production, config_of(production))
    takes = [s for shots in shoot.shots.values() for s in shots if s.kind == "grey card"]
    assert set(cards_of(shoot)) == {s.id for s in takes}
    hero = takes[0]
    other = next(s for s in takes if s.camera_id != hero.camera_id)
    places = (hero.setup_id, hero.camera_id), (other.setup_id, other.camera_id)
    both = one_card(shoot, *places)
    assert both is not None and {c.shot.id for c in both} == {hero.id, other.id}
    production.change("later", replace(other, start="23:00:00:00"))
    assert one_card(Shoot(production, config_of(production)), *places) is None
    production.close()
