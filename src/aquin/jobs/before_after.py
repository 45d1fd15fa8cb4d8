"""A shot before and after an entry of the journal, as pictures."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from aquin.colour import acescct
from aquin.production.diary import grades_around
from aquin.production.looks import screen_of
from aquin.production.shoot import Shoot
from aquin.release.shot_files import check_source, jpeg

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production import Production, Shot
    from aquin.production.diary import Line


def before_after(
    production: Production, config: ColourConfig, line: Line, shot: Shot
) -> tuple[bytes, bytes] | None:
    """JPEG of its middle frame with both grades, without a look; None where the entry did not change its grade, or it
    can't be read. Raises AquinError.
    """
    both = grades_around(production, line, shot)
    ref = Shoot(production, config).ref(shot, shot.first + shot.frames // 2)
    if both is None or ref is None or not ref.path.is_file():
        return None
    _, linear = check_source(ref, config)
    view = config.view(*screen_of(production, config))
    before, after = (
        jpeg(
            view(
                np.asarray(
                    acescct.decode(np.asarray(g.at(ref.frame).apply_linear(linear), np.float32)), np.float32
                )
            )
        )
        for g in both
    )
    return before, after
