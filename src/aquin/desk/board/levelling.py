"""Levelling heroes from the Board: each to the production's targets, with all that is matched to it going along."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from aquin.production.heroes import hero_of
from aquin.production.records import Setup

if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs, Tell
    from aquin.desk.session import Session
    from aquin.production.cells import Cell


class Levelling(QObject):
    told = Signal(str)

    def __init__(self, session: Session, jobs: Jobs, owner: QWidget) -> None:
        super().__init__(owner)
        self.session, self.jobs = session, jobs

    def start(self, cells: Sequence[Cell]) -> None:
        """Level the heroes of these cells' setups; of all setups where none is selected."""
        production, config = self.session.production, self.session.config
        if production is None or production.read_only:
            return
        setups = list({c.setup.id: c.setup for c in cells}.values()) or list(production.all(Setup))
        heroes = [h for s in setups if (h := hero_of(production, s)) is not None]
        if not heroes:
            self.told.emit("These setups have no hero yet: choose one (H), or let heroes be proposed.")
            return
        screen = self.session.screen

        def work(tell: Tell) -> Any:
            from aquin.jobs.level_shot import level_heroes

            return level_heroes(production, config, heroes, screen, tell)

        def done(lines: list[str]) -> None:
            self.told.emit("; ".join(lines[:3]) + (f"; and {len(lines) - 3} more" if len(lines) > 3 else ""))

        self.jobs.start_long("level", "levelling heroes", work, done, self.told.emit)
