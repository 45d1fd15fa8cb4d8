"""The Latitude page: cameras side by side over and under, advice for the crew, and the price of correcting after the
curve.
"""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from aquin.charts.latitude import Latitude, Lifted, Limits, advice, lifted, ranked
from aquin.desk.kit import monitor, theme
from aquin.desk.kit.ask import EXPORTS, PAPERS, ask_save
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.empty import Empty
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.desk.kit.plot import Line, Plot
from aquin.desk.session import OfSession
from aquin.errors import AquinError
from aquin.exchange.latitude_report import Report, row_words, write_latitude
from aquin.production import Camera
from aquin.production.charting import Read, latitude_of, read_series, series_of
from aquin.production.settings import POLICIES, Policy, policy_of
from aquin.wording import minus

if TYPE_CHECKING:
    from aquin.arrays import Float32
    from aquin.desk.kit.jobs import Jobs
    from aquin.desk.session import Session


SHOWN = (
    ("marked", 0),
    ("is", 1),
    ("neutrals", 2),
    ("tint", 3),
    ("skin", 4),
    ("noise grey", 6),
    ("dark", 7),
    ("edges", 8),
    ("verdict", 10),
)


class LatitudePage(QWidget, OfSession):
    """All cameras that have a series; the picked one's stops in the table."""

    told = Signal(str)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self._of: tuple[object, object] = (None, None)
        self.found: dict[str, Latitude] = {}
        self.reads: dict[str, list[Read]] = {}
        column = column_of((8, 0, 8, 8), self, spacing=6)
        column.addLayout(self._head())
        self.pages = QStackedWidget()
        body = QWidget()
        inner = column_of(0, body, spacing=6)
        self.empty = Empty("Latitude")
        self.pages.addWidget(body)
        self.pages.addWidget(self.empty)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.skin = Plot("skin off against normal", "stops", "dE00")
        self.noise = Plot("noise in the darkest patch", "stops", "10-bit codes")
        row.addWidget(self.skin, 1)
        row.addWidget(self.noise, 1)
        inner.addLayout(row, 3)
        low = QHBoxLayout()
        low.setSpacing(8)
        self.table = QTableWidget(0, len(SHOWN))
        self.table.setHorizontalHeaderLabels([name for name, _ in SHOWN])
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Stops of the picked camera")
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.verticalHeader().setDefaultSectionSize(21)
        low.addWidget(self.table, 3)
        side = QVBoxLayout()
        self.words = Words("")
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        side.addWidget(self.words, 1)
        self.pair = Pair()
        side.addWidget(self.pair, 2)
        low.addLayout(side, 2)
        inner.addLayout(low, 4)
        column.addWidget(self.pages, 1)

    def _head(self) -> QVBoxLayout:
        both = QVBoxLayout()
        line = QHBoxLayout()
        self.measure_button = QPushButton("Measure all series")
        self.measure_button.setProperty("main", True)
        self.measure_button.setToolTip("Read every camera's exposure series and judge each stop")
        self.measure_button.clicked.connect(self.measure)
        self.camera = QComboBox()
        self.camera.setAccessibleName("Camera")
        self.camera.setMinimumWidth(250)
        self.camera.activated.connect(lambda _: self._show())
        self.lift_button = QPushButton("Correct before or after?")
        self.lift_button.setToolTip(
            "Show the selected stop corrected in scene-linear, and lifted on the finished picture instead"
        )
        self.lift_button.clicked.connect(self.show_lift)
        self.report_button = QPushButton("Report …")
        self.report_button.setToolTip("Write all cameras side by side as PDF or HTML")
        self.report_button.clicked.connect(self.ask_report)
        for widget in (self.measure_button, self.camera, self.lift_button, self.report_button):
            line.addWidget(widget)
        line.addStretch()
        both.addLayout(line)
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        self.limits: dict[str, Number] = {}
        standard = Limits()
        for k, (key, words, unit, step, digits) in enumerate(
            (
                ("mired", "usable while neutrals stay within", "mired", 0.5, 1),
                ("duv", "tint", "thousandths of Duv", 0.5, 1),
                ("skin", "skin", "dE00", 0.5, 1),
                ("noise", "noise at grey", "times normal", 0.5, 1),
                ("resolution", "edges at least", "of normal", 0.05, 2),
            )
        ):
            label = Words(words)
            label.setFont(theme.font(theme.SMALL))
            label.set_role("dim")
            number = Number(words, unit, float(getattr(standard, key)), step, step, 100.0, digits)
            number.setFixedWidth(56)
            number.changed.connect(lambda _, dragging: None if dragging else self._limits_changed())
            number.ended.connect(self._limits_changed)
            self.limits[key] = number
            grid.addWidget(label, 0, 2 * k)
            grid.addWidget(number, 0, 2 * k + 1)
        grid.setColumnStretch(10, 1)
        both.addLayout(grid)
        return both

    def refresh(self) -> None:
        if self._of != (self.production, self.config):
            self._of = (self.production, self.config)
            self.found, self.reads = {}, {}
        chosen = self.camera.currentData()
        self.camera.clear()
        for found in ranked(list(self.found.values())):
            id = next(i for i, f in self.found.items() if f is found)
            self.camera.addItem(
                f"{found.camera}: {found.under:+z.1f} to {found.over:+z.1f} stops".replace("-", "−"), id
            )
        if (at := self.camera.findData(chosen)) >= 0:
            self.camera.setCurrentIndex(at)
        self._show()

    @property
    def can_measure(self) -> bool:
        """Whether any camera has a series."""
        return bool(self._cameras())

    def policy(self) -> Policy:
        return policy_of(self.production) if self.production is not None else "bright"

    def _cameras(self) -> list[Camera]:
        if self.production is None:
            return []
        return [c for c in self.production.all(Camera) if len(series_of(self.production, c)) >= 3]

    def _show(self) -> None:
        self.measure_button.setEnabled(self.can_measure)
        found = self.found.get(str(self.camera.currentData()))
        for widget in (self.camera, self.lift_button, self.report_button):
            widget.setEnabled(found is not None)
        self.pair.setVisible(self.pair.lifted is not None and found is not None)
        if found is None:
            count = len(self._cameras())
            if count:
                have = "One camera has" if count == 1 else f"{count} cameras have"
                words = (
                    f"{have} an exposure series. Measure to see how far each may be over and under, and what it "
                    "costs."
                )
                self.empty.say(words, "Measure all series", self.measure)
            else:
                self.empty.say(
                    "No exposure series is logged: film a chart in one-stop steps with each camera, and "
                    "give the takes their "
                    "stops in Shots."
                )
            self.pages.setCurrentIndex(1)
            self.table.setRowCount(0)
            self.skin.show_lines([])
            self.noise.show_lines([])
            return
        self.pages.setCurrentIndex(0)
        self.table.setRowCount(len(found.rows))
        for r, row in enumerate(found.rows):
            texts = [minus(w) for w in row_words(row)]
            for c, (_, k) in enumerate(SHOWN):
                item = QTableWidgetItem(texts[k])
                if k != 10:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                item.setForeground(theme.TEXT if row.usable else theme.FAINT)
                if row is found.normal:
                    item.setBackground(theme.grey(44))
                item.setToolTip(texts[k])
                self.table.setItem(r, c, item)
        self.words.setText(
            minus("\n".join([f"Policy: {POLICIES[self.policy()]}.", *advice(found, self.policy())]))
        )
        self._draw(found)

    def _draw(self, chosen: Latitude) -> None:
        shades = (theme.grey(226), theme.grey(150), theme.grey(110), theme.grey(84))
        styles = ("solid", "solid", "dash", "dash")
        skin, noise = [], []
        order = [chosen, *(x for x in ranked(list(self.found.values())) if x is not chosen)]
        for k, one in enumerate(order[:4]):
            at = np.array([r.stops for r in one.rows])
            shade, style = shades[k], styles[k]
            skin.append(Line(at, np.array([r.skin for r in one.rows]), shade, style, one.camera))
            noise.append(Line(at, np.array([r.shadow_noise for r in one.rows]), shade, style, one.camera))
        usable = (chosen.under, chosen.over)
        self.skin.show_lines(skin, (0.0, 12.0), None, usable)
        top = max(float(np.nanmax([r.shadow_noise for r in chosen.rows])) * 1.1, 10.0)
        self.noise.show_lines(noise, (0.0, top), None, usable)

    def _now(self) -> Limits:
        n = {k: number.value for k, number in self.limits.items()}
        return Limits(n["mired"], n["duv"], n["skin"], n["noise"], n["resolution"])

    def _limits_changed(self) -> None:
        from aquin.charts.latitude import judged_anew

        self.found = {i: judged_anew(f, self._now()) for i, f in self.found.items()}
        self.refresh()

    def measure(self) -> None:
        """Read all series in the background."""
        production, config, limits, cameras = self.production, self.config, self._now(), self._cameras()
        if production is None or not cameras:
            return
        from aquin.workers import part

        def work(tell: Any) -> tuple[dict[str, Latitude], dict[str, list[Read]], list[str]]:
            found: dict[str, Latitude] = {}
            reads: dict[str, list[Read]] = {}
            troubles = []
            for k, camera in enumerate(cameras):
                try:
                    reads[camera.id] = read_series(
                        production, config, camera, None, part(tell, k / len(cameras), (k + 1) / len(cameras))
                    )
                    found[camera.id] = latitude_of(
                        production, config, camera, reads[camera.id], limits=limits
                    )[0]
                except AquinError as error:
                    troubles.append(f"{camera.name}: {error.line()}")
            return found, reads, troubles

        def done(result: tuple[dict[str, Latitude], dict[str, list[Read]], list[str]]) -> None:
            self.found, self.reads, troubles = result
            if troubles:
                self.told.emit(troubles[0])
            self.refresh()

        self.jobs.start_long("latitude", "measuring latitude", work, done, self.told.emit)

    def show_lift(self) -> None:
        """The selected stop, corrected before and after the curve."""
        id = str(self.camera.currentData())
        found, reads = self.found.get(id), self.reads.get(id, [])
        if found is None or self.production is None:
            return
        rows = self.table.selectionModel().selectedRows()
        row = found.rows[rows[0].row()] if rows else min(found.rows, key=lambda r: abs(r.stops + 3))
        normal = found.normal

        def read_at(marked: float) -> Read | None:
            return next((r for r in reads if r.shot.series_stops == marked and r.reading is not None), None)

        one, zero = read_at(row.marked), read_at(normal.marked)
        if one is None or zero is None or one is zero:
            self.told.emit("Select a stop other than the normal exposure.")
            return
        config, seen_on = self.config, self.session.screen

        def work() -> Lifted:
            from aquin.charts.take import to_linear_of
            from aquin.frames import open_source

            matrix: Any = one.take.matrix or None
            signal: Any = one.take.range or None
            source = open_source(one.take.path, matrix, signal)
            assert one.sweep is not None and one.sweep.best is not None
            rgb = source.read(one.sweep.best.number).rgb[::2, ::2]
            source.close()
            first, second = one.reading, zero.reading
            assert first is not None and second is not None
            return lifted(rgb, first, second, to_linear_of(one.take), config.view(*seen_on), row.stops)

        def done(made: Lifted) -> None:
            self.pair.show_pair(made, row.stops)
            self._show()

        self.jobs.start("lift", "correcting twice", work, done, self.told.emit)

    def ask_report(self) -> None:
        name = self.production.name if self.production is not None else "latitude"
        path, _ = ask_save(self, "Write the latitude report", EXPORTS, f"{name} latitude.pdf", PAPERS)
        if path:
            self.write_report(path)

    def write_report(self, path: Path) -> None:
        production = self.production
        if production is None or not self.found:
            return
        found, policy, config = tuple(self.found.values()), self.policy(), self.config

        def work() -> None:
            from aquin.jobs.series_frames import series_frames

            frames = series_frames(production, config)
            write_latitude(
                path, Report(production.name, date.today().isoformat(), policy, found, frames), True
            )

        self.jobs.start(
            "latitude report",
            "writing the report",
            work,
            lambda _: self.told.emit(f"Wrote {path.name}."),
            self.told.emit,
        )


class Pair(QWidget):
    """The same frame corrected before and after the curve, with what each leaves."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(120)
        self.lifted: Lifted | None = None
        self.stops = 0.0
        self._images: tuple[QImage, QImage] | None = None

    def show_pair(self, made: Lifted, stops: float) -> None:
        self.lifted, self.stops = made, stops
        self._images = (_image(made.before_curve), _image(made.after_curve))
        self.setAccessibleName("; ".join(self._words(k).replace("\n", ": ") for k in (0, 1)))
        self.update()

    def _words(self, k: int) -> str:
        made = self.lifted
        assert made is not None
        title = "in scene-linear" if k == 0 else "lifted after the view"
        return f"{title}\nblack {made.black[k]:.1f} %, contrast {made.contrast[k]:.2f}, dE00 {made.delta_e00[k]:.1f}"

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.SURROUND)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if self._images is None:
            return
        p.setFont(theme.font(theme.SMALL))
        wide = (self.width() - 6) / 2
        for k, image in enumerate(self._images):
            scale = min(wide / image.width(), (self.height() - 36) / image.height())
            w, h = image.width() * scale, image.height() * scale
            x = k * (wide + 6)
            p.drawImage(QRectF(x + (wide - w) / 2, 0, w, h), image)
            p.setPen(theme.TEXT)
            p.drawText(QRectF(x, h + 3, wide, 32), Qt.AlignmentFlag.AlignCenter, self._words(k))


def _image(display: Float32) -> QImage:
    h, w = display.shape[:2]
    pixels: np.ndarray = np.zeros((h, w, 4), np.uint8)
    pixels[..., :3] = (np.clip(display, 0, 1)[..., ::-1] * 255 + 0.5).astype(np.uint8)
    pixels = monitor.out(pixels)
    return QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGB32).copy()
