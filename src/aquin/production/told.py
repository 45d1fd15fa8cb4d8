"""What settling found that a shot's witnesses have wrong, kept with its camera's balance."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from aquin.arrays import Float64

if TYPE_CHECKING:
    from aquin.production.records import Shot
    from aquin.production.shoot import Shoot

TOLD = "told"
"""Of a balance's values: by the shot's id."""


def told(hero: Shot, wrong: Float64, sure: Float64) -> dict[str, object]:
    """As plain values: (3,) log2 of the channels, and (3,) standard errors of exposure, log2 R/B and green since."""
    return {
        "hero": hero.id,
        "wrong": [round(float(v), 4) for v in wrong],
        "sure": [round(max(float(v), 1e-4), 4) for v in sure],
    }


def told_of(shoot: Shoot, shot: Shot, hero: Shot) -> tuple[Float64, Float64] | None:
    """The two of a shot beside its hero, (3,) each; None where it has not been settled so."""
    balance = shoot.balances.get((shot.setup_id, shot.camera_id))
    kept = balance.values.get(TOLD) if balance is not None and balance.on else None
    said = kept.get(shot.id) if isinstance(kept, Mapping) else None
    if not isinstance(said, Mapping) or said.get("hero") != hero.id:
        return None
    try:
        wrong, sure = (np.array(said.get(k), np.float64) for k in ("wrong", "sure"))
    except (TypeError, ValueError):
        return None
    sound = wrong.shape == sure.shape == (3,) and np.isfinite(wrong).all() and (sure > 0).all()
    return (wrong, sure) if sound else None
