"""Grey cards: one that several cameras filmed at once says how bright and how white they are beside each other,
whatever light their charts were in.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float64
from aquin.colour.primaries import AP1_LUMA
from aquin.production.grading import CARDS
from aquin.production.measuring import measure_shots
from aquin.production.setups import at_once

if TYPE_CHECKING:
    from aquin.production.records import Shot
    from aquin.production.shoot import CellKey, Shoot


def cards_of(shoot: Shoot) -> Mapping[str, Mapping[str, Any]]:
    """By the shot's id, what was measured of each grey card; looked up once."""
    if shoot.cards is None:
        takes = [s for shots in shoot.shots.values() for s in shots if s.kind in CARDS]
        known = measure_shots(shoot.production, shoot.config, takes, only_known=True)
        shoot.cards = {id: values["card"] for id, values in known.items() if values.get("card")}
    return shoot.cards


def linear_of(card: Mapping[str, Any]) -> Float64:
    """(3,) scene-linear AP1 of a grey card."""
    warm, green = float(card["warm"]), float(card["green"])
    apart = np.array([warm / 2, green, -warm / 2])
    level = float(card["level"]) - np.log2(np.exp2(apart) @ AP1_LUMA / 0.18)
    return np.asarray(np.exp2(apart + level))


@dataclass(frozen=True)
class Card:
    """A grey card: (3,) scene-linear AP1, as recorded."""

    shot: Shot
    linear: Float64


def one_card(shoot: Shoot, hero: CellKey, place: CellKey) -> tuple[Card, Card] | None:
    """The hero's and the cell's grey card where they were filmed at once; None where there are no such two."""
    cards = cards_of(shoot)
    for a in _takes(shoot, hero):
        for b in _takes(shoot, place):
            if a.id in cards and b.id in cards and at_once(a, b):
                return Card(a, linear_of(cards[a.id])), Card(b, linear_of(cards[b.id]))
    return None


def _takes(shoot: Shoot, place: CellKey) -> list[Shot]:
    return [s for s in shoot.shots.get(place, ()) if s.kind == "grey card" and not s.trouble]
