"""Settle cells of the board: measure what is not measured yet, then match them to their heroes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from aquin.production import Shot
from aquin.production.matching import Summary, Wish, settle
from aquin.production.measuring import measure_shots
from aquin.workers import Tell, part

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production import Production
    from aquin.production.shoot import CellKey


def settle_cells(
    production: Production,
    config: ColourConfig,
    places: Sequence[CellKey],
    wish: Wish | None = None,
    screen: tuple[str, str] | None = None,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> Summary:
    """Match cells to their setups' heroes as one step that can be undone. `screen`: display and view that ledgers are
    measured on.

    Slow, for a worker. Raises AquinError.
    """
    wanted = {p[0] for p in places}
    shots = [
        s for s in production.all(Shot) if s.setup_id in wanted and s.kind not in ("series", "reference")
    ]
    measure_shots(production, config, shots, jobs, part(tell, 0.0, 0.3))
    return settle(production, config, places, wish, screen, jobs, part(tell, 0.3, 1.0))
