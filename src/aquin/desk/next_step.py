"""The most useful next step: in words, and the command that does it. No Qt."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from aquin.production import Shot

if TYPE_CHECKING:
    from aquin.production import Production


Step = tuple[str, str]


@dataclass(frozen=True)
class Open:
    """What is open in each view."""

    links: int = 0
    charts: int = 0
    solution: bool = False
    """Whether a solution is picked for the chart that is shown."""
    board: int = 0
    """Cells that the Board shows; none while it is still read."""
    heroless: int = 0
    cells: int = 0
    unsure: int = 0
    """Cells that are settled as well as can be, and are off, not known well enough, or have findings."""
    audited: bool = False
    findings: int = 0


def next_step(shown: str, production: Production | None, bench: Step, left: Open) -> Step:
    """Of the view that is shown; where nothing is left in it, of the production."""
    if shown == "bench":
        return bench
    if production is None:
        return "Open a production, or the demo", "file.open"
    if not production.all(Shot):
        return "Log the media of the shoot", "shots.log"
    own = {"plan": _plan, "charts": _charts, "board": _board}.get(shown)
    step = own(left) if own is not None else None
    if step is not None:
        return step
    if not left.audited:
        return "Audit the shots", "shots.audit"
    if left.findings:
        return f"{left.findings} findings are open", "shots.finding"
    return "Choose a shot and look at it on the Bench", "app.shots"


def _plan(left: Open) -> Step | None:
    return (f"{left.links} links of the chain are not right yet", "app.plan") if left.links else None


def _charts(left: Open) -> Step | None:
    if not left.charts:
        return None
    if left.solution:
        return "Keep the solution as the camera's balance in this setup", "charts.keep"
    return f"{left.charts} cameras in setups have a chart but no balance", "charts.balance_all"


def _board(left: Open) -> Step | None:
    if left.heroless:
        return f"{left.heroless} setups have no hero: let heroes be proposed", "board.propose"
    if left.cells:
        return f"{left.cells} cells are not settled: settle all", "board.settle_all"
    if left.unsure:
        return f"{left.unsure} cells are off or not sure: choose a shot and look at it", "board.look"
    if not left.board:
        return None
    return "All cells are settled: look at a shot on the Bench", "board.bench"
