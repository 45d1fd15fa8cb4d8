"""Match by chart: two readings of the same chart in the same light."""

from dataclasses import dataclass

import numpy as np

from aquin.charts.read import Reading
from aquin.errors import AquinError
from aquin.match.solve import Solution, best_of, solve_all
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
            return best_of([s for s in self.solutions if s.model != "matrix"])
        return next(s for s in self.solutions if s.model == model)

    def confidence(self, solution: Solution) -> float:
        """0 to 1: how clear both charts are and how many patches can be used, less what leave-one-out leaves (half at 6 dE00)."""
        return float(self.sureness / (1 + (solution.loo / 6) ** 2))


def pair(hero: Reading, shot: Reading) -> tuple[Evidence, tuple[str, ...]]:
    """The patches that both readings can be trusted on. Raises AquinError when the layouts differ."""
    if hero.layout.name != shot.layout.name:
        raise AquinError("hero and shot were read with different chart layouts", None, "Use the same chart for both")
    keep = hero.usable & shot.usable
    warnings = [f"hero: {w}" for w in hero.warnings] + [f"shot: {w}" for w in shot.warnings]
    return Evidence(hero.linear[keep], shot.linear[keep], hero.layout.neutral[keep]), tuple(warnings)


def against_reference(reading: Reading) -> Evidence:
    """The published colours as hero."""
    keep = reading.usable
    return Evidence(reading.layout.ap1[keep], reading.linear[keep], reading.layout.neutral[keep])


def match_charts(hero: Reading, shot: Reading) -> ChartMatch:
    """Solve the shot's reading towards the hero's, with every model. Raises AquinError when too few patches are usable."""
    evidence, warnings = pair(hero, shot)
    solutions = tuple(solve_all(evidence))
    share = len(evidence.hero) / len(hero.layout.patches)
    sureness = float(np.clip(min(hero.score, shot.score), 0, 1) * share)
    left = next(s for s in solutions if s.model == "cdl")
    if left.mean > 4:
        warnings += (f"the match stays {left.mean:.1f} dE00 off on the chart: the light on the two charts may differ",)
    if left.loo > 1.6 * left.mean + 0.5:
        warnings += ("single patches decide much of this match (leave-one-out is far above the residual)",)
    return ChartMatch(evidence, solutions, warnings, sureness)
