"""The views of a production, each made when it is first needed: the window's start waits for none of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any, cast

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QSplitter, QWidget

from aquin.desk.kit.timers import later
from aquin.desk.next_step import Open

if TYPE_CHECKING:
    from aquin.desk.board.view import BoardView
    from aquin.desk.charts.view import ChartsView
    from aquin.desk.continuity.view import ContinuityView
    from aquin.desk.journal.view import JournalView
    from aquin.desk.kit.jobs import Jobs
    from aquin.desk.look.view import LookView
    from aquin.desk.plan.view import PlanView
    from aquin.desk.release.view import ReleaseView
    from aquin.desk.screens.view import ScreensView
    from aquin.desk.session import Session
    from aquin.desk.shots.view import ShotsView

NAMES = ("shots", "board", "charts", "plan", "continuity", "look", "screens", "release", "journal")
"""In the order in which they are most likely needed."""
FURNISH_MS = 20


class Views(QObject):
    """`made` carries the name of a view that is new."""

    made = Signal(str)

    def __init__(self, owner: QObject, session: Session, jobs: Jobs) -> None:
        super().__init__(owner)
        self.session, self.jobs = session, jobs
        self.there: dict[str, QWidget] = {}
        self._furnishing = later(self, self.furnish)

    @property
    def shots(self) -> ShotsView:
        return cast("ShotsView", self["shots"])

    @property
    def board(self) -> BoardView:
        return cast("BoardView", self["board"])

    @property
    def charts(self) -> ChartsView:
        return cast("ChartsView", self["charts"])

    @property
    def plan(self) -> PlanView:
        return cast("PlanView", self["plan"])

    @property
    def look(self) -> LookView:
        return cast("LookView", self["look"])

    @property
    def continuity(self) -> ContinuityView:
        return cast("ContinuityView", self["continuity"])

    @property
    def screens(self) -> ScreensView:
        return cast("ScreensView", self["screens"])

    @property
    def release(self) -> ReleaseView:
        return cast("ReleaseView", self["release"])

    @property
    def journal(self) -> JournalView:
        return cast("JournalView", self["journal"])

    def __getitem__(self, name: str) -> QWidget:
        if name not in self.there:
            view = self._make(name)
            self.there[name] = view
            self.made.emit(name)
            if self.session.production is not None:
                view.opened()
        return self.there[name]

    def furnish(self) -> None:
        """Make those that are missing, one after the other, while the window waits for the person."""
        missing = next((name for name in NAMES if name not in self.there), None)
        if missing is not None:
            self[missing]
            self._furnishing.start(FURNISH_MS)

    def left(self) -> Open:
        """What is open, as far as the views know it; one that was not made yet counts nothing."""
        left = Open()
        if "plan" in self.there:
            left = replace(left, links=self.plan.open_count)
        if "charts" in self.there:
            desk, shot = self.charts.desk, self.charts.shot
            chosen = shot is not None and desk.chosen(shot) is not None
            left = replace(left, charts=desk.open_count, solution=chosen)
        if "board" in self.there:
            left = replace(
                left,
                board=len(self.board.cells),
                heroless=len(self.board.heroless),
                cells=self.board.open_count,
                unsure=self.board.look_count,
            )
        if "shots" in self.there and (log := self.shots.log) is not None:
            left = replace(left, audited=bool(log.findings), findings=log.open_count)
        return left

    def finish(self) -> None:
        self._furnishing.stop()
        if "shots" in self.there:
            self.shots.finish()
        if "board" in self.there:
            self.board.finish()
        for name in ("look", "continuity", "screens", "release", "journal"):
            if name in self.there:
                view: Any = self.there[name]
                view.finish()

    @staticmethod
    def splitters(views: Mapping[str, QWidget]) -> dict[str, QSplitter]:
        """What a person can divide differently, by view."""
        found = {name: getattr(view, "columns", None) for name, view in views.items()}
        return {name: columns for name, columns in found.items() if isinstance(columns, QSplitter)}

    def _make(self, name: str) -> Any:
        if name == "shots":
            from aquin.desk.shots.view import ShotsView

            return ShotsView(self.session, self.jobs)
        if name == "board":
            from aquin.desk.board.view import BoardView

            return BoardView(self.session, self.jobs)
        if name == "charts":
            from aquin.desk.charts.view import ChartsView

            return ChartsView(self.session, self.jobs)
        if name == "look":
            from aquin.desk.look.view import LookView

            return LookView(self.session, self.jobs)
        if name == "continuity":
            from aquin.desk.continuity.view import ContinuityView

            return ContinuityView(self.session, self.jobs)
        if name == "screens":
            from aquin.desk.screens.view import ScreensView

            return ScreensView(self.session, self.jobs)
        if name == "release":
            from aquin.desk.release.view import ReleaseView

            return ReleaseView(self.session, self.jobs)
        if name == "journal":
            from aquin.desk.journal.view import JournalView

            return JournalView(self.session, self.jobs)
        from aquin.desk.plan.view import PlanView

        return PlanView(self.session, self.jobs)
