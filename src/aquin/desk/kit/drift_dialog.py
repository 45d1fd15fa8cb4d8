"""Drift: how light changed in a setup over the time of day, and the trims that follow from it, to be accepted one by
one or together.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from aquin.colour.white import STOPS_A_MIRED
from aquin.desk.kit import theme
from aquin.desk.kit.labels import Words
from aquin.desk.kit.listing import listing
from aquin.desk.kit.plot import Line, Plot
from aquin.production.setups import seconds_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.desk.kit.jobs import Jobs
    from aquin.jobs.light import Light
    from aquin.production import Production, Setup
    from aquin.production.trims import Trim


HOUR = 3600.0


def clock(seconds: float) -> str:
    whole = round(seconds)
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}"


class DriftPlots(QWidget):
    """Exposure, warmth and green of a setup's light over the time of day."""

    def __init__(self) -> None:
        super().__init__()
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        self.plots = tuple(
            Plot(name, "time of day", unit)
            for name, unit in (("exposure", "st"), ("warmth", "mired"), ("green", "st"))
        )
        for plot in self.plots:
            plot.setMinimumHeight(200)
            plot.x_words = lambda hours: clock(hours * HOUR)[:5]
            plot.x_ticks = 4
            line.addWidget(plot, 1)

    def show_light(self, found: Light, setup: str) -> str:
        """Draw it; what it means, in words."""
        self._draw(found)
        count = len(found.drift.seen)
        if count < 2:
            return (
                f"No drift is known in {setup}: settle it first, so that the hero's camera's shots are compared with "
                "the hero; without timecode, or where nothing in the picture stays, none can be told."
            )
        return (
            f"By {count} shots of the hero's camera, against the hero at its own time. The band is the uncertainty "
            "(two standard errors). Dots are shots that were compared; rings are trims that follow from the light, "
            "turned over: how far each shot is off."
        )

    def _draw(self, found: Light) -> None:
        from aquin.match.drift import to_parts

        drift, trims = found.drift, found.trims
        timed = [(s[0], t) for t in trims if (s := seconds_of(t.shot)) is not None]
        times = [s.at for s in drift.seen] + [at for at, _ in timed]
        if len(drift.seen) < 2:
            for plot in self.plots:
                plot.show_lines([])
            return
        low, high = min(times), max(times)
        pad = max(0.04 * (high - low), 30.0)
        at = np.linspace(low - pad, high + pad, 160)
        values, errors = drift.curve(at)
        parts = to_parts(values)
        seen = to_parts(np.array([s.change for s in drift.seen]))
        for k, plot in enumerate(self.plots):
            unit = 1 / STOPS_A_MIRED if k == 1 else 1.0
            lines = [
                Line(
                    at / HOUR,
                    unit * (parts[:, k] - 2 * errors),
                    theme.grey(62),
                    "band",
                    y2=unit * (parts[:, k] + 2 * errors),
                ),
                Line(at / HOUR, unit * parts[:, k], theme.grey(220), name="drift"),
            ]
            own = [(t, to_parts(np.array(trim.moved)[None])[0]) for t, trim in timed]
            if own:
                x = np.array([t for t, _ in own]) / HOUR
                lines.append(
                    Line(x, unit * np.array([p[k] for _, p in own]), theme.grey(150), "rings", name="shots")
                )
            lines.append(
                Line(np.array([s.at for s in drift.seen]) / HOUR, unit * seen[:, k], theme.grey(250), "dots")
            )
            plot.show_lines(lines)


class DriftDialog(QDialog):
    """Shows what was found; after trims were accepted it is found again, beside this thread."""

    told = Signal(str)

    def __init__(
        self,
        production: Production,
        config: ColourConfig,
        setup: Setup,
        found: Light,
        jobs: Jobs,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.production, self.config, self.setup, self.found, self.jobs = (
            production,
            config,
            setup,
            found,
            jobs,
        )
        self.setWindowTitle(f"Light over the day: {setup.name}")
        self.resize(940, 620)
        column = QVBoxLayout(self)
        self.words = Words("")
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.drift_plots = DriftPlots()
        self.plots = self.drift_plots.plots
        column.addWidget(self.drift_plots)
        headings = ("shot", "camera", "time", "exposure st", "warmth mired", "±st", "by")
        self.table = listing("Trims that follow from the light", headings, wide=6)
        column.addWidget(self.table, 1)
        buttons = QHBoxLayout()
        self.one_button, self.all_button, close = (
            QPushButton("Accept the selected"),
            QPushButton("Accept all"),
            QPushButton("Close"),
        )
        self.all_button.setProperty("main", True)
        self.one_button.setToolTip("The selected shots get these trims; undone with Ctrl+Z on the Board")
        self.all_button.setToolTip("All shots of the table that do not hold their trim yet")
        self.one_button.clicked.connect(self.accept_chosen)
        self.all_button.clicked.connect(self.accept_all)
        close.clicked.connect(self.accept)
        buttons.addWidget(self.one_button)
        buttons.addWidget(self.all_button)
        buttons.addStretch()
        buttons.addWidget(close)
        column.addLayout(buttons)
        self.table.itemSelectionChanged.connect(self._buttons)
        self._show()

    def _show(self) -> None:
        trims = self.found.trims
        self.words.setText(self.drift_plots.show_light(self.found, self.setup.name))
        self.table.setRowCount(len(trims))
        for row, trim in enumerate(trims):
            level, warm, _ = trim.parts
            at = seconds_of(trim.shot)
            texts = (
                trim.shot.name,
                self.found.cameras.get(trim.shot.camera_id, ""),
                clock(at[0]) if at is not None else "",
                f"{level:+z.2f}".replace("-", "−"),
                f"{warm:+z.0f}".replace("-", "−"),
                f"{trim.error:.2f}",
                trim.by + (", held" if trim.held else ""),
            )
            for k, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if 3 <= k <= 5:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if trim.held:
                    item.setForeground(theme.DIM)
                self.table.setItem(row, k, item)
        self._buttons()

    def _buttons(self) -> None:
        writable = not self.production.read_only
        self.one_button.setEnabled(writable and any(not t.held for t in self._chosen()))
        self.all_button.setEnabled(writable and any(not t.held for t in self.found.trims))

    def _chosen(self) -> list[Trim]:
        return [self.found.trims[i.row()] for i in self.table.selectionModel().selectedRows()]

    def accept_chosen(self) -> None:
        self._keep([t for t in self._chosen() if not t.held])

    def accept_all(self) -> None:
        self._keep([t for t in self.found.trims if not t.held])

    def _keep(self, trims: list[Trim]) -> None:
        if not trims:
            return
        production, config, setup = self.production, self.config, self.setup
        for button in (self.one_button, self.all_button):
            button.setEnabled(False)

        def work() -> Light:
            from aquin.jobs.light import look_at_light
            from aquin.production.trims import accept

            accept(production, config, trims)
            return look_at_light(production, config, setup)

        def done(found: Light) -> None:
            self.found = found
            self._show()
            self.told.emit(
                f"{len(trims)} trims are accepted."
                if len(trims) > 1
                else f"{trims[0].shot.name} has its trim."
            )

        self.jobs.start("drift", "keeping trims", work, done, self.words.setText)
