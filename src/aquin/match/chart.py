"""Match by chart: two readings of the same chart in the same light."""

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.charts.read import Reading
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence


def pair(hero: Reading, shot: Reading) -> tuple[Evidence, tuple[str, ...]]:
    """The patches that both readings can be trusted on. Raises AquinError when the layouts differ."""
    if hero.layout.name != shot.layout.name:
        raise AquinError(
            "hero and shot were read with different chart layouts", None, "Use the same chart for both"
        )
    keep = hero.usable & shot.usable
    warnings = [f"hero: {w}" for w in hero.warnings] + [f"shot: {w}" for w in shot.warnings]
    known = hero.layout.reflectances
    pairs = Evidence(
        hero.linear[keep],
        shot.linear[keep],
        hero.layout.neutral[keep],
        None,
        None if known is None else known[keep],
    )
    return pairs, tuple(warnings)


def scene_colours(linear: Floats, many: int = 200) -> Float64:
    """(m, 3) colours that stand for a frame, (h, w, 3) scene-linear AP1: means of an even grid of small blocks.

    Blocks that are nearly black or not positive are left out; at most `many` are returned.
    """
    h, w = linear.shape[:2]
    size = max(int(np.sqrt(h * w / (4 * many))), 1)
    kept = np.asarray(linear[: h // size * size, : w // size * size], np.float64)
    blocks = kept.reshape(h // size, size, w // size, size, 3).mean(axis=(1, 3)).reshape(-1, 3)
    blocks = blocks[(blocks > 2e-4).all(axis=1) & (blocks.max(axis=1) > 0.004)]
    return np.asarray(
        blocks[np.linspace(0, len(blocks) - 1, min(many, len(blocks))).astype(int)]
        if len(blocks)
        else blocks,
        np.float64,
    )
