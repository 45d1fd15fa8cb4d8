"""Shots that are far off their camera's balance are looked at once more from near by."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from aquin.production import corrected as module
from aquin.production.beside import Verdict
from aquin.production.corrected import _surer, corrected
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.production.store import Production


def verdict(stops: float, error: float) -> Verdict:
    return Verdict(np.full(3, stops), np.full(3, error), "the same materials", np.full(3, error))


@pytest.mark.parametrize(
    ("far", "near", "believed"),
    [
        ((2.45, 0.04), (2.93, 0.05), 2.93),  # both are sure and can't both be right
        ((3.66, 0.27), (3.87, 0.63), 3.66),  # the same, less surely
        ((3.17, 0.05), (3.20, 0.04), 3.20),
    ],
)
def test_the_surer_is_believed_and_the_near_one_where_they_disagree(
    far: tuple[float, float], near: tuple[float, float], believed: float
) -> None:
    assert _surer(verdict(*far), verdict(*near)).off[0] == believed


def test_what_is_seen_from_near_by_stands_in_for_what_was_seen_from_afar(
    settled: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    production = Production.open(settled, read_only=True)
    shoot = Shoot(production, config_of(production))
    heroes = {s.hero_id for s in production.all(module.Setup)}
    places = [
        p
        for p, shots in shoot.shots.items()
        if sum(s.kind == "shot" for s in shots) > 1 and not heroes & {s.id for s in shots}
    ]
    for place in places:
        shoot.decided[place] = shoot.grade_at(place)
    ids = [s.id for p in places for s in shoot.shots[p] if s.kind == "shot"]
    odd, asked = ids[0], list[tuple[int, dict[str, float]]]()
    monkeypatch.setattr(module, "look_about_cards", lambda *_: None)
    monkeypatch.setattr(module, "exposed_apart", lambda *_: {})

    def seen(of_odd: Callable[[float], float]) -> dict[str, Verdict]:
        def verdicts(
            shoot: Shoot, there: list, graded: object, jobs: object, tell: object, known: dict, *_: object
        ):
            asked.append((len(there), dict(known)))
            held = {s.id for p in there for s in shoot.shots[p]}
            return {
                id: verdict(of_odd(known.get(id, 0.0)) if id == odd else 0.02, 0.04)
                for id in ids
                if id in held
            }

        monkeypatch.setattr(module, "verdicts", verdicts)
        return corrected(shoot, places, (), {}, 1, None)

    found = seen(lambda taken_off: 2.9 if taken_off else 2.4)
    assert [known for _, known in asked] == [{}, {odd: pytest.approx(2.4)}]
    assert len(places) > 1 and asked[1][0] == 1  # no more than its own cell
    asked.clear()
    right = seen(lambda taken_off: 2.9)
    assert np.allclose(found[odd].off, right[odd].off) and found[odd].off[0] > 2
    asked.clear()
    seen(lambda taken_off: 0.5)
    assert len(asked) == 1
    production.close()
