"""Match by chart: two readings of the same chart in the same light."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.charts.read import Reading
from aquin.charts.solve import BASES, Solution, best_of, solve_all
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence


@dataclass(frozen=True)
class ChartMatch:
    """Evidence from two readings, every model's solution, and how sure the match is (0 to 1)."""

    evidence: Evidence
    solutions: tuple[Solution, ...]
    warnings: tuple[str, ...]
    sureness: float

    def solution(self, model: str | None = None) -> Solution:
        """The named model's, or the best of those that fit into a CDL."""
        if model is None:
            return best_of([s for s in self.solutions if not s.grade.beyond_cdl])
        return next(s for s in self.solutions if s.model == model)

    def confidence(self, solution: Solution) -> float:
        """0 to 1: how clear both charts are and how many patches can be used, less what leave-one-out leaves (half at
        6 dE00).
        """
        return float(self.sureness / (1 + (solution.loo / 6) ** 2))


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


def match_charts(
    hero: Reading,
    shot: Reading,
    scene: Float64 | None = None,
    progress: Callable[[float], None] | None = None,
    models: Sequence[str] = BASES,
) -> ChartMatch:
    """Solve the shot's reading towards the hero's, with every model. Raises AquinError when too few patches are
    usable. `scene`: (n, 3) scene-linear AP1 of the shot.

    `scene`: the shot's colours (see `scene_colours`), which a CDL is to serve as well.
    """
    evidence, warnings = pair(hero, shot)
    solutions = tuple(solve_all(evidence, progress, scene, models))
    share = len(evidence.hero) / len(hero.layout.patches)
    sureness = float(np.clip(min(hero.score, shot.score), 0, 1) * share)
    left = next((s for s in solutions if s.model == "cdl"), solutions[0])
    if left.mean > 4:
        warnings += (
            f"the match stays {left.mean:.1f} dE00 off on the chart: the light on the two charts may differ",
        )
    if left.loo > 1.6 * left.mean + 0.5:
        warnings += ("single patches decide much of this match (leave-one-out is far above the residual)",)
    return ChartMatch(evidence, solutions, warnings, sureness)
