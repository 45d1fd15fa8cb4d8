"""The Profile page: a camera's curve and matrix from its exposure series, compared, exported, and put to use."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from aquin.charts.families import GREY_U
from aquin.charts.profile import Comparison, Profile, compare, nearest
from aquin.desk.kit import theme
from aquin.desk.kit.ask import EXPORTS, ask_save
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.empty import Empty
from aquin.desk.kit.labels import Words
from aquin.desk.kit.plot import Line, Plot
from aquin.desk.session import OfSession
from aquin.errors import AquinError
from aquin.exchange.profile_file import write_profile
from aquin.production import Camera
from aquin.production.charting import Read, keep_profile, profile_of, read_series, series_of
from aquin.wording import minus

if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs
    from aquin.desk.session import Session
    from aquin.production import Production


class ProfilePage(QWidget, OfSession):
    """One camera at a time; what was measured stays until the series changes."""

    told = Signal(str)
    config_changed = Signal()

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self._of: Production | None = None
        self.made: dict[str, tuple[Profile, list[Comparison]]] = {}
        self.reads: dict[str, list[Read]] = {}
        column = column_of((8, 0, 8, 8), self, spacing=6)
        line = QHBoxLayout()
        self.camera = QComboBox()
        self.camera.setAccessibleName("Camera")
        self.camera.setMinimumWidth(140)
        self.camera.activated.connect(lambda _: self._show())
        self.measure_button = QPushButton("Measure the series")
        self.measure_button.setProperty("main", True)
        self.measure_button.setToolTip("Find the chart in each exposure and recover curve, steps and matrix")
        self.measure_button.clicked.connect(self.measure)
        self.summary = Words("")
        self.summary.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        line.addWidget(self.camera)
        line.addWidget(self.measure_button)
        line.addWidget(self.summary, 1)
        column.addLayout(line)
        self.pages = QStackedWidget()
        self.empty = Empty("Profile")
        self.pages.addWidget(self._plots())
        self.pages.addWidget(self.empty)
        column.addWidget(self.pages, 1)
        column.addLayout(self._use())

    def _plots(self) -> QWidget:
        """Curve, what it leaves, and what it is compared with."""
        body = QWidget()
        plots = line_of(0, body, spacing=6)
        self.curve = Plot("curve", "stops from grey", "% of signal")
        self.residual = Plot("what the curve leaves, and its doubt (band)", "stops from grey", "stops")
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(self.curve, 3)
        left.addWidget(self.residual, 2)
        plots.addLayout(left, 3)
        self.against = QComboBox()
        self.against.setAccessibleName("Compare with")
        self.against.setToolTip("Any known encoding, to compare the measured curve with")
        self.against.activated.connect(lambda _: self._show())
        self.words = Words("")
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        right = QVBoxLayout()
        right.addWidget(self.against)
        right.addWidget(self.words, 1)
        plots.addLayout(right, 2)
        return body

    def _use(self) -> QHBoxLayout:
        """What becomes of the measured encoding."""
        end = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the measured encoding")
        self.name.setToolTip("Under this name it stands in the configuration")
        self.use_button = QPushButton("Use for this camera")
        self.use_button.setToolTip(
            "Add it to a configuration beside the production, and read this camera's shots with it"
        )
        self.use_button.clicked.connect(self.use)
        self.export_button = QPushButton("Export …")
        self.export_button.setToolTip("Write it as .clf, .cube or .json, and prove the file")
        self.export_button.clicked.connect(self.ask_export)
        end.addWidget(Words("as"))
        end.addWidget(self.name, 1)
        end.addWidget(self.use_button)
        end.addWidget(self.export_button)
        return end

    def refresh(self) -> None:
        if self.production is not self._of:
            self._of = self.production
            self.made, self.reads = {}, {}
        cameras = self.production.all(Camera) if self.production is not None else []
        chosen = self.camera.currentData()
        self.camera.clear()
        for camera in cameras:
            self.camera.addItem(camera.name, camera.id)
        if (at := self.camera.findData(chosen)) >= 0:
            self.camera.setCurrentIndex(at)
        against = self.against.currentData()
        self.against.clear()
        self.against.addItem("compared with the nearest encoding", "")
        for encoding in self.config.encodings():
            if encoding.kind not in ("scene-linear", "data"):
                self.against.addItem(f"compared with {encoding.name}", encoding.name)
        if against and (at := self.against.findData(against)) >= 0:
            self.against.setCurrentIndex(at)
        self._show()

    @property
    def can_measure(self) -> bool:
        """Whether the chosen camera has a series."""
        camera = self.current()
        return (
            self.production is not None
            and camera is not None
            and len(series_of(self.production, camera)) >= 3
        )

    def current(self) -> Camera | None:
        id = self.camera.currentData()
        return self.production.find(Camera, str(id)) if self.production is not None and id else None

    def _show(self) -> None:
        camera = self.current()
        series = (
            series_of(self.production, camera) if self.production is not None and camera is not None else []
        )
        self.measure_button.setEnabled(self.can_measure)
        made = self.made.get(camera.id) if camera is not None else None
        for widget in (self.use_button, self.export_button, self.name, self.against):
            widget.setEnabled(made is not None)
        self.pages.setCurrentIndex(0 if made is not None else 1)
        if camera is None:
            self.empty.say("Open a production with exposure series.")
        elif made is None and series:
            low, high = (f"{s.series_stops:+g}".replace("-", "−") for s in (series[0], series[-1]))
            words = f"{len(series)} exposures of {camera.name}, from {low} to {high} stops, are logged."
            self.empty.say(words, "Measure the series", self.measure)
        elif made is None:
            self.empty.say(
                f"No exposure series of {camera.name} is logged: film a chart in one-stop steps, and give "
                "its takes their "
                "stops in Shots."
            )
        if made is None:
            self.summary.setText("")
        if made is None or camera is None:
            self.curve.show_lines([])
            self.residual.show_lines([])
            self.words.setText("")
            return
        if not self.name.text() or self.name.property("for") != camera.id:
            self.name.setText(f"{camera.name} measured")
            self.name.setProperty("for", camera.id)
        profile, known = made
        chosen = str(self.against.currentData() or "")
        if chosen:
            try:
                known = [compare(profile, self.config, chosen)]
            except AquinError as error:
                self.told.emit(error.line())
        self._draw(profile, known)

    def _draw(self, made: Profile, known: list[Comparison]) -> None:
        curve = made.curve
        x = curve.u - GREY_U
        rows = curve.rows
        lines = [Line(x, 100 * curve.y, theme.TEXT, "solid", "measured")]
        if known:
            signal = np.clip(curve.y, 0, 1)
            known_light = self.config.to_linear(known[0].encoding)(
                np.repeat(signal[:, None], 3, axis=1).astype(np.float32)
            )
            at = np.log2(np.maximum(known_light[:, 1].astype(np.float64), 1e-6))
            inside = (x >= made.under) & (x <= made.over)
            shift = float(np.median((at - curve.u)[inside])) if inside.any() else 0.0
            lines.append(Line(at - shift - GREY_U, 100 * signal, theme.FAINT, "dash", known[0].encoding))
        lines.append(Line(rows[:, 1] - GREY_U, 100 * rows[:, 2], theme.grey(150), "dots"))
        supported = (made.under, made.over)
        span = (float(x[0]), float(x[-1]))
        self.curve.show_lines(lines, None, span, supported)
        doubt = np.minimum(curve.doubt, 1)
        self.residual.show_lines(
            [
                Line(x, -doubt, theme.grey(62), "band", "", doubt),
                Line(rows[:, 1] - GREY_U, rows[:, 3], theme.grey(190), "dots"),
            ],
            (-0.2, 0.2),
            span,
            supported,
        )
        words = {"log": "a log curve", "power": "a power law", "spline": "no simple family; a smooth curve"}[
            curve.family
        ]
        self.summary.setText(
            minus(
                f"{words}, {curve.rms_stops:.3f} stop rms, supported {made.under:+z.1f} to {made.over:+z.1f} stops"
            )
        )
        text = [
            f"colours after the matrix: dE00 {made.delta_e00_mean:.2f}, 95 % {made.delta_e00_p95:.2f}",
            "",
        ]
        text += ["matrix to AP1"] + ["   ".join(f"{v:+z.3f}" for v in row) for row in made.matrix] + [""]
        sure = bool(known) and known[0].rms < 0.05
        text += [k.line() for k in known[: 1 if sure else 3]] + [""]
        marked = sorted(
            s.shot.series_stops or 0.0
            for s in self.reads.get(str(self.camera.currentData()), [])
            if s.reading is not None
        )
        if len(marked) == len(curve.stops):
            text += ["marked, and what it really was"]
            text += [
                "   ".join(
                    f"{m:+g}: {s:+z.2f}" for m, s in list(zip(marked, curve.stops, strict=True))[k : k + 4]
                )
                for k in range(0, len(marked), 4)
            ]
            text += [""]
        text += [f"Note: {w}." for w in made.warnings]
        self.words.setText(minus("\n".join(text)))

    def measure(self) -> None:
        """Read the series and recover the curve, in the background."""
        camera, production, config = self.current(), self.production, self.config
        if camera is None or production is None:
            return

        def work(tell: Any) -> tuple[list[Read], Profile, list[Comparison]]:
            reads = read_series(production, config, camera, None, tell)
            made = profile_of(reads)
            return reads, made, nearest(made, config)

        def done(found: tuple[list[Read], Profile, list[Comparison]]) -> None:
            self.reads[camera.id] = found[0]
            self.made[camera.id] = (found[1], found[2])
            self._show()

        self.jobs.start_long("profile", f"measuring {camera.name}'s series", work, done, self.told.emit)

    def use(self) -> None:
        """Put the measured encoding to use."""
        camera, production = self.current(), self.production
        if camera is None or production is None or camera.id not in self.made:
            return
        try:
            keep_profile(production, self.config, camera, self.made[camera.id][0], self.name.text())
        except AquinError as error:
            self.told.emit(error.line())
            return
        self.config_changed.emit()
        self.told.emit(f"{camera.name} is read as {self.name.text()} now; undo brings the old encoding back.")

    def ask_export(self) -> None:
        camera = self.current()
        if camera is None:
            return
        kinds = "CLF (*.clf);;LUT (*.cube);;JSON (*.json)"
        path, _ = ask_save(self, "Write the measured transform", EXPORTS, f"{self.name.text()}.clf", kinds)
        if path:
            self.export(path)

    def export(self, path: Path) -> None:
        """Write it in the background and say what the proof found."""
        camera = self.current()
        if camera is None or camera.id not in self.made:
            return
        made, name = self.made[camera.id][0], self.name.text()

        def done(proof: Any) -> None:
            self.told.emit(f"Wrote {path.name}" + (f": {proof.line()}." if proof is not None else "."))

        self.jobs.start(
            "export profile",
            "writing the transform",
            lambda: write_profile(path, made.encoding(name), True),
            done,
            self.told.emit,
        )
