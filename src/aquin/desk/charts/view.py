"""The Charts view: read a camera's chart, see why this frame, solve it, and keep it as the balance; profile and
latitude beside it.
"""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QColor, QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from aquin.arrays import Float64
from aquin.charts.fits import METRICS
from aquin.charts.layout import layout, names
from aquin.desk.charts.drawings import Plane, StepLines, Swatches, SweepStrip
from aquin.desk.charts.frame import ChartFrame
from aquin.desk.charts.latitude import LatitudePage
from aquin.desk.charts.profile import ProfilePage
from aquin.desk.charts.state import ChartDesk, ShownFrame, Solved, frame_of, with_mark
from aquin.desk.commands import tip
from aquin.desk.kit import theme
from aquin.desk.kit.columns import COLUMNS, Columns
from aquin.desk.kit.jobs import Jobs
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.desk.session import Session
from aquin.errors import AquinError
from aquin.jobs.balance_charts import Balanced, Wish, balance_charts
from aquin.production import Shot
from aquin.production.charting import identify_take, keep_balance, keep_mark, let_follow, mark_of

PAGES = (
    ("reading", "Reading", "Charts and cards, camera by camera"),
    ("profile", "Profile", "A camera's curve and matrix from an exposure series"),
    ("latitude", "Latitude", "How far over and under each camera may be"),
)


class ChartsView(QWidget):
    """Widgets and jobs; what is shown comes from `ChartDesk`."""

    told = Signal(str)
    stated = Signal()
    config_changed = Signal()

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self.desk = ChartDesk(None, session.config)
        self._frame_shown: tuple[object, ...] | None = None
        self.shot: Shot | None = None
        self.number: int | None = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._refresh)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(self._tabs())
        self.profile = ProfilePage(session, jobs)
        self.latitude = LatitudePage(session, jobs)
        for page in (self.profile, self.latitude):
            page.told.connect(self.told)
        self.profile.config_changed.connect(self.config_changed)
        self.stack = QStackedWidget()
        self.reading = self._reading()
        for widget in (self.reading, self.profile, self.latitude):
            self.stack.addWidget(widget)
        column.addWidget(self.stack, 1)
        self.show_page("reading")
        self._show_shot()
        session.opened.connect(self._opened)
        session.changed.connect(self.refresh)
        session.screened.connect(self._screened)

    # building

    def _tabs(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setContentsMargins(8, 6, 8, 6)
        line.setSpacing(4)
        self.tabs = QButtonGroup(self)
        for k, (name, title, says) in enumerate(PAGES):
            button = QPushButton(title)
            button.setCheckable(True)
            button.setProperty("quiet", True)
            button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            button.setToolTip(says)
            button.clicked.connect(lambda _=False, n=name: self.show_page(n))
            self.tabs.addButton(button, k)
            line.addWidget(button)
        self.why = Words("")
        self.why.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.why.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.why.set_role("soft")
        line.addWidget(self.why, 1)
        line.addStretch(0)
        return line

    def _reading(self) -> QSplitter:
        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self.columns.addWidget(self._list())
        self.columns.addWidget(self._middle())
        self.columns.addWidget(self._side())
        self.columns.setSizes([204, 594, 384])
        self.columns.setStretchFactor(1, 1)
        return self.columns

    def _list(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(8, 0, 0, 8)
        self.list = QListWidget()
        self.list.setItemDelegate(Columns(self.list))
        self.list.setAccessibleName("Chart takes")
        self.list.setToolTip("A filled mark: this take is the balance of its camera in the setup")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.currentItemChanged.connect(lambda item, _: self._picked(item))
        column.addWidget(self.list, 1)
        self.read_all = QPushButton("Read all takes")
        self.read_all.setToolTip(
            "Sweep every chart take that was not read yet (R reads the selected ones again)"
        )
        self.read_all.clicked.connect(self.read_missing)
        column.addWidget(self.read_all)
        self.balance_button = QPushButton("Balance all")
        self.balance_button.setToolTip(
            tip("charts.balance_all", "The model that is picked here, else grey gains")
        )
        self.balance_button.clicked.connect(self.balance_all)
        column.addWidget(self.balance_button)
        return panel

    def _middle(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(8, 0, 8, 8)
        column.setSpacing(6)
        self.frame = ChartFrame()
        self.frame.moved.connect(self._corners_moved)
        column.addWidget(self.frame, 3)
        self.strip = SweepStrip()
        self.strip.asked.connect(self._frame_asked)
        column.addWidget(self.strip)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.layout_box = QComboBox()
        self.layout_box.setAccessibleName("Chart layout")
        self.layout_box.setToolTip("Which chart is in the take")
        self.layout_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.layout_box.setMinimumContentsLength(14)
        for name in names():
            self.layout_box.addItem(layout(name).title, name)
        self.layout_box.activated.connect(self._layout_chosen)
        self.mark_button = QPushButton("Mark corners")
        self.mark_button.setToolTip(
            "Lay the grid yourself in this frame: drag its corners; the square one belongs at the first patch (K)"
        )
        self.mark_button.clicked.connect(self.mark)
        self.auto_button = QPushButton("Find again")
        self.auto_button.setToolTip(
            "Forget marked corners and left-out patches of this take and sweep it anew (R)"
        )
        self.auto_button.clicked.connect(self.find_again)
        self.what_button = QPushButton("Which encoding?")
        self.what_button.setToolTip("Rank the configuration's encodings by how well each explains this chart")
        self.what_button.clicked.connect(self.identify)
        for widget in (self.layout_box, self.mark_button, self.auto_button, self.what_button):
            line.addWidget(widget)
        line.addStretch()
        column.addLayout(line)
        low = QHBoxLayout()
        low.setSpacing(6)
        self.lines, self.plane = StepLines(), Plane()
        low.addWidget(self.lines, 1)
        low.addWidget(self.plane, 1)
        column.addLayout(low, 2)
        return panel

    def _side(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(0, 0, 8, 8)
        column.setSpacing(6)
        self.head = _dim("")
        self.head.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        column.addWidget(self.head)
        self.swatches = Swatches()
        self.swatches.toggled.connect(self._patch_toggled)
        self.swatches.setMaximumHeight(270)
        column.addWidget(self.swatches, 2)
        self.notes = _dim("")
        self.notes.setWordWrap(True)
        column.addWidget(self.notes)
        column.addLayout(self._choices())
        self.solver_head = _dim("what is left: mean, and leave-one-out")
        column.addWidget(self.solver_head)
        self.solutions = QListWidget()
        self.solutions.setItemDelegate(Columns(self.solutions))
        self.solutions.setAccessibleName("Solutions")
        self.solutions.setToolTip(
            "Arrow keys or a click show a solution; leave-one-out tells whether it overfits"
        )
        self.solutions.currentItemChanged.connect(lambda item, _: self._solution_picked(item))
        column.addWidget(self.solutions, 1)
        self.keep_button = QPushButton("Keep as balance")
        self.keep_button.setProperty("main", True)
        self.keep_button.setToolTip(
            "This solution becomes the balance of the camera in this setup (Ctrl+Enter)"
        )
        self.keep_button.clicked.connect(self.keep)
        column.addWidget(self.keep_button)
        self.offer = _dim("")
        self.offer.setWordWrap(True)
        column.addWidget(self.offer)
        self.follow_button = QPushButton("")
        self.follow_button.clicked.connect(self._let_follow)
        column.addWidget(self.follow_button)
        return panel

    def _choices(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        self.reference = QComboBox()
        self.reference.setAccessibleName("Reference")
        self.reference.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.reference.setMinimumContentsLength(17)
        self.reference.addItem("to the published colours", False)
        self.reference.addItem("to the hero's chart", True)
        self.metric_box = QComboBox()
        self.metric_box.setAccessibleName("Colour difference")
        for name in METRICS:
            self.metric_box.addItem(f"by {name}", name)
        for box in (self.reference, self.metric_box):
            box.activated.connect(self._choice_changed)
        self.warp = QCheckBox("with hue warp")
        self.warp.setToolTip("Also solve each model with a hue warp on top")
        self.warp.toggled.connect(self._choice_changed)
        grid.addWidget(self.reference, 0, 0, 1, 2)
        grid.addWidget(self.metric_box, 0, 2)
        grid.addWidget(self.warp, 0, 3)
        self.weights: dict[str, Number] = {}
        for k, (key, words) in enumerate((("neutral", "neutrals weigh"), ("skin", "skin weighs"))):
            number = Number(f"{words}", "times a patch", 1.0, 0.5, 0.0, 100.0, 1)
            number.changed.connect(lambda _, dragging: None if dragging else self._choice_changed())
            number.ended.connect(self._choice_changed)
            self.weights[key] = number
            grid.addWidget(_dim(words), 1, 2 * k)
            grid.addWidget(number, 1, 2 * k + 1)
        return grid

    # what is shown

    def show_page(self, name: str) -> None:
        index = [n for n, _, _ in PAGES].index(name)
        self.stack.setCurrentIndex(index)
        button = self.tabs.button(index)
        button.setChecked(True)
        self.why.setVisible(name == "reading")

    def _opened(self) -> None:
        self.desk.show(self.session.production, self.session.config)
        self.shot = None
        self.refresh()

    def _screened(self) -> None:
        """The frame and the swatches through another screen."""
        self._frame_shown = None
        self._show_shot()

    def refresh(self) -> None:
        """Draw anew after a change, as soon as whoever asked for it has finished."""
        self._later.start(0 if self.isVisible() else 250)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._later.start(0)

    def _refresh(self) -> None:
        production = self.desk.production
        takes = self.desk.takes()
        if self.shot is not None:
            self.shot = next((s for s in takes if s.id == self.shot.id), None)
        if self.shot is None and takes:
            self.shot = takes[0]
        self.list.blockSignals(True)
        self.list.clear()
        setup = ""
        for shot in takes:
            camera, place = self.desk.names(shot)
            if place != setup:
                setup = place
                head = QListWidgetItem(place)
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                head.setData(COLUMNS, ("", place, ""))
                self.list.addItem(head)
            state = self.desk.state(shot)
            item = QListWidgetItem(f"{camera} {shot.target or shot.kind} {shot.name}, {state}")
            item.setToolTip(f"{shot.name}: {shot.target or shot.kind} by {camera} in {place}, {state}")
            short = "" if (shot.target or "24-patch") == "24-patch" else f", {shot.target}"
            shown = "" if state in ("not read", "balance") else state
            item.setData(COLUMNS, ("●" if state == "balance" else "", f"{camera}  {shot.name}{short}", shown))
            item.setData(Qt.ItemDataRole.UserRole, shot.id)
            self.list.addItem(item)
            if self.shot is not None and shot.id == self.shot.id:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        self.read_all.setEnabled(any(self.desk.outdated(s) for s in takes))
        self.balance_button.setEnabled(self.session.writable and any(s.kind == "chart" for s in takes))
        self.setEnabled(production is None or not production.read_only)
        self.profile.refresh()
        self.latitude.refresh()
        self._show_shot()
        if (
            self.shot is not None
            and self.isVisible()
            and self.stack.currentIndex() == 0
            and self.desk.outdated(self.shot)
        ):
            self.read([self.shot])
        self.stated.emit()

    def _picked(self, item: QListWidgetItem | None) -> None:
        id = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        found = next((s for s in self.desk.takes() if s.id == id), None)
        if found is None:
            return
        self.shot, self.number = found, None
        self._show_shot()
        if self.desk.outdated(found):
            self.read([found])
        elif found.id not in self.desk.solved:
            self._solve()

    def _show_shot(self) -> None:
        shot = self.shot
        for widget in (self.mark_button, self.auto_button, self.what_button, self.layout_box):
            widget.setEnabled(shot is not None)
        if shot is None:
            self.frame.message = (
                "No chart takes are logged.\n\nLog the shoot in Shots; takes of charts and cards appear here."
                if self.desk.production is not None
                else "No production is open.\n\nOpen one with Ctrl+Shift+P, or look at the demo."
            )
            self.frame.show_frame(None)
            self.strip.show_sweep(None, None)
            self.why.setText("")
        else:
            read = self.desk.reads.get(shot.id)
            seen = read.sweep if read is not None else None
            best = seen.best.number if seen is not None and seen.best is not None else None
            if self.number is None:
                self.number = best
            self.strip.show_sweep(seen, self.number)
            self.why.setText(seen.why if seen is not None else (read.trouble if read is not None else ""))
            self._show_grid()
            self._ask_frame()
            name = read.take.layout if read is not None else ""
            if name in names():
                self.layout_box.setCurrentIndex(self.layout_box.findData(name))
        self._show_solved()

    def _show_grid(self) -> None:
        read = self.desk.reads.get(self.shot.id) if self.shot is not None else None
        seen = read.sweep if read is not None else None
        look = next((k for k in seen.looks if k.number == self.number), None) if seen is not None else None
        reading = look.reading if look is not None else None
        if reading is None:
            chosen = layout(read.take.layout) if read is not None else None
            self.frame.show_grid(None, chosen, ())
        else:
            whole = read.reading if read is not None else None
            dropped = whole.dropped if whole is not None else reading.dropped
            self.frame.show_grid(reading.corners.copy(), reading.layout, dropped)

    def _ask_frame(self) -> None:
        shot, production, config, seen_on = (
            self.shot,
            self.desk.production,
            self.desk.config,
            self.session.screen,
        )
        if shot is None or production is None:
            return
        number = self.number if self.number is not None else shot.first
        key = (shot.id, number, shot.content, seen_on)
        if self._frame_shown == key:
            return

        def done(shown: ShownFrame) -> None:
            if self.shot is not None and self.shot.id == shot.id:
                self._frame_shown = key
                self.frame.show_frame(shown)

        def failed(words: str) -> None:
            self.frame.message = words
            self.frame.show_frame(None)

        self.jobs.start(
            "chart frame",
            "reading the frame",
            lambda: frame_of(production, config, shot, number, seen_on),
            done,
            failed,
        )

    def _show_solved(self) -> None:
        shot = self.shot
        rows = self.desk.patches(shot) if shot is not None else []
        read = self.desk.reads.get(shot.id) if shot is not None else None
        reading = read.reading if read is not None else None
        self.swatches.show_patches(
            rows, reading.layout.aspect if reading is not None else 1.5, self._colour()
        )
        self.plane.show_points(self.desk.arrows(rows))
        self.lines.show_lines(self.desk.lines(rows))
        self.notes.setText("\n".join(reading.warnings) if reading is not None else "")
        self.notes.setVisible(bool(self.notes.text()))
        self.head.setText(
            f"{shot.name}: left measured, right reference, {self.desk.choice.metric}" if rows and shot else ""
        )
        self._show_list()
        self._show_offer()

    def _show_list(self) -> None:
        self.solutions.blockSignals(True)
        self.solutions.clear()
        shot = self.shot
        solved = self.desk.solved.get(shot.id) if shot is not None else None
        if solved is not None and shot is not None:
            current = self.desk.picked.get(shot.id)
            for s in solved.solutions:
                loo = f"{s.loo:.2f}" if np.isfinite(s.loo) else "–"
                item = QListWidgetItem(f"{s.title}: {s.metric} {s.mean:.2f}, leave-one-out {loo}")
                item.setData(COLUMNS, ("●" if s.model == current else "○", s.title, f"{s.mean:.2f}", loo))
                item.setToolTip(
                    f"{s.title}: mean {s.mean:.2f}, 95 % {s.p95:.2f}, leave-one-out {loo} {s.metric}. It "
                    "moves the chart's colours by "
                    f"{s.size:.2f} apart from exposure, and stretches colours {s.condition:.2f} times more "
                    "one way than another"
                )
                item.setData(Qt.ItemDataRole.UserRole, s.model)
                self.solutions.addItem(item)
                if s.model == current:
                    self.solutions.setCurrentItem(item)
            for k, stage in enumerate(solved.steps[1:], 1):
                words = {
                    "neutral": f"neutrals {stage.neutral:.2f}",
                    "hue angle": f"hue {stage.hue:.2f}°",
                }.get(stage.name, f"chroma × {stage.saturation:.3f}")
                item = QListWidgetItem(f"step {k}, {stage.name}: {stage.mean:.2f}, {words}")
                mark = "●" if f"stage {k}" == current else "○"
                item.setData(COLUMNS, (mark, f"{k}. {stage.name}: {words}", f"{stage.mean:.2f}", ""))
                item.setToolTip("One step after the other: neutral first, then hue angle, then saturation")
                item.setData(Qt.ItemDataRole.UserRole, f"stage {k}")
                self.solutions.addItem(item)
                if f"stage {k}" == current:
                    self.solutions.setCurrentItem(item)
        self.solutions.blockSignals(False)
        self.keep_button.setEnabled(solved is not None and bool(solved.solutions))

    def _show_offer(self) -> None:
        shot, production = self.shot, self.desk.production
        if shot is None or production is None or not shot.camera_id or not shot.setup_id:
            self.offer.setText("")
            self.follow_button.hide()
            return
        follow, own = self.desk.offer(shot)
        camera, place = self.desk.names(shot)
        count = len(follow)
        self.offer.setText(
            (
                f"{count} {'shot' if count == 1 else 'shots'} of {camera} in {place} "
                f"{'follows' if count == 1 else 'follow'} this balance"
            )
            + (
                (
                    f"; {len(own)} {'holds' if len(own) == 1 else 'hold'} a correction of "
                    f"{'its' if len(own) == 1 else 'their'} own"
                )
                if own
                else ""
            )
        )
        self.follow_button.setText(f"Let {'it' if len(own) == 1 else f'all {len(own)}'} follow too")
        self.follow_button.setToolTip(", ".join(s.name for s in own))
        self.follow_button.setVisible(bool(own))

    def _colour(self) -> Callable[[Float64], QColor]:
        view = self.desk.config.view(*self.session.screen)

        def colour(linear: Float64) -> QColor:
            r, g, b = np.clip(view(np.asarray(linear, np.float32)[None])[0], 0, 1)
            return QColor.fromRgbF(float(r), float(g), float(b))

        return colour

    def take_keyboard(self) -> None:
        self.list.setFocus()

    # jobs

    def measure(self, page: str) -> None:
        """Measure exposure series on their page."""
        self.show_page(page)
        (self.profile if page == "profile" else self.latitude).measure()

    def balance_all(self) -> None:
        """Read every 24-patch chart and keep the one that leaves least as the balance of its camera in its setup."""
        production, config, choice = self.desk.production, self.desk.config, self.desk.choice
        if production is None:
            return
        chosen = self.desk.chosen(self.shot) if self.shot is not None else None
        model = chosen.model if chosen is not None and chosen.model in choice.models else "gains"
        wish = Wish(model, choice.measure, to_hero=choice.to_hero)

        def done(found: Balanced) -> None:
            words = f"{len(found.kept)} balances are kept, each by the chart that leaves least."
            if found.troubles:
                words += f" {len(found.troubles)} takes gave nothing: {found.troubles[0]}"
            self.told.emit(words)
            self.refresh()

        self.jobs.start_long(
            "balance all",
            "balancing all cameras by their charts",
            lambda tell: balance_charts(production, config, wish, None, tell),
            done,
            self.told.emit,
        )

    def read(self, shots: list[Shot]) -> None:
        """Sweep takes in the background, then solve the one that is shown."""
        desk = self.desk

        def done(reads: list[Any]) -> None:
            desk.take_reads(reads)
            troubles = [r for r in reads if r.sweep is None]
            if troubles:
                self.told.emit(f"{troubles[0].shot.name}: {troubles[0].trouble}")
            self.number = None
            self._refresh()
            if self.shot is not None and self.shot.id in desk.reads:
                self._solve()

        what = shots[0].name if len(shots) == 1 else f"{len(shots)} chart takes"
        self.jobs.start_long(
            "chart", f"reading {what}", lambda tell: desk.read(shots, tell), done, self.told.emit
        )

    def read_missing(self) -> None:
        self.read([s for s in self.desk.takes() if self.desk.outdated(s)])

    def read_again(self) -> None:
        """Read the selected takes anew."""
        ids = {i.data(Qt.ItemDataRole.UserRole) for i in self.list.selectedItems()}
        self.read([s for s in self.desk.takes() if s.id in ids] or ([self.shot] if self.shot else []))

    def _solve(self) -> None:
        shot, desk, choice = self.shot, self.desk, self.desk.choice
        if shot is None or shot.id not in desk.reads or desk.reads[shot.id].reading is None:
            return

        def done(solved: Solved) -> None:
            desk.take_solved(shot, solved)
            self._refresh()

        self.jobs.start_long(
            "chart solve",
            f"solving {shot.name}",
            lambda tell: desk.solve(shot, choice, tell),
            done,
            self.told.emit,
        )

    def identify(self) -> None:
        """Rank the encodings by this chart."""
        shot, config = self.shot, self.desk.config
        if shot is None or shot.id not in self.desk.reads:
            return
        read = self.desk.reads[shot.id]

        def done(found: Any) -> None:
            from aquin.desk.charts.dialogs import show_identification

            self.dialog = show_identification(self, shot.name, found)

        self.jobs.start(
            "identify",
            f"trying encodings on {shot.name}",
            lambda: identify_take(config, read),
            done,
            self.told.emit,
        )

    # decisions

    def attempt(self, work: Callable[[], object]) -> None:
        try:
            work()
        except AquinError as error:
            self.told.emit(error.line())

    def keep(self) -> None:
        """The shown solution becomes the camera's balance in the setup."""
        shot, production = self.shot, self.desk.production
        chosen = self.desk.chosen(shot) if shot is not None else None
        if shot is None or production is None or chosen is None:
            return
        self.attempt(lambda: keep_balance(production, self.desk.config, shot, chosen))

    def _let_follow(self) -> None:
        shot, production = self.shot, self.desk.production
        if shot is not None and production is not None:
            own = self.desk.offer(shot)[1]
            self.attempt(lambda: let_follow(production, own))

    def mark(self) -> None:
        """Lay the grid by hand in the frame that is shown."""
        if self.shot is not None:
            name = str(self.layout_box.currentData())
            self.frame.layout_ = layout(name)
            self.frame.start_marking()
            self.told.emit("Drag the four corners onto the chart; the reading follows each time you let go.")

    def _corners_moved(self, corners: Float64) -> None:
        shot, production = self.shot, self.desk.production
        if shot is None or production is None:
            return
        number = self.number if self.number is not None else shot.first
        points = tuple((round(float(x), 2), round(float(y), 2)) for x, y in corners)
        mark = with_mark(
            mark_of(production, shot), corners=points, frame=number, layout=str(self.layout_box.currentData())
        )
        self.attempt(lambda: keep_mark(production, shot, mark, "mark the chart"))
        self.refresh()

    def _layout_chosen(self) -> None:
        shot, production = self.shot, self.desk.production
        if shot is not None and production is not None:
            mark = with_mark(
                mark_of(production, shot),
                layout=str(self.layout_box.currentData()),
                corners=(),
                frame=None,
                leave_out=(),
            )
            self.attempt(lambda: keep_mark(production, shot, mark, "another chart layout"))
            self.refresh()

    def find_again(self) -> None:
        shot, production = self.shot, self.desk.production
        if shot is None or production is None:
            return
        mark = with_mark(mark_of(production, shot), corners=(), frame=None, leave_out=())
        self.attempt(lambda: keep_mark(production, shot, mark, "find the chart again"))
        self.read([shot])

    def _patch_toggled(self, name: str) -> None:
        shot, production = self.shot, self.desk.production
        if shot is None or production is None:
            return
        mark = mark_of(production, shot)
        left = (
            tuple(n for n in mark.leave_out if n != name)
            if name in mark.leave_out
            else (*mark.leave_out, name)
        )
        self.attempt(
            lambda: keep_mark(production, shot, with_mark(mark, leave_out=left), f"leave out {name}")
        )
        self.refresh()

    def step(self, by: int) -> None:
        """The next or previous take."""
        takes = self.desk.takes()
        if not takes:
            return
        at = next((k for k, s in enumerate(takes) if self.shot is not None and s.id == self.shot.id), 0)
        wanted = takes[min(max(at + by, 0), len(takes) - 1)]
        for row in range(self.list.count()):
            if self.list.item(row).data(Qt.ItemDataRole.UserRole) == wanted.id:
                self.list.setCurrentRow(row)

    def _frame_asked(self, number: int) -> None:
        self.number = number
        self.strip.show_sweep(self.strip.seen, number)
        self._show_grid()
        self._ask_frame()

    def _solution_picked(self, item: QListWidgetItem | None) -> None:
        if item is not None and self.shot is not None:
            self.desk.picked[self.shot.id] = str(item.data(Qt.ItemDataRole.UserRole))
            for other in (self.solutions.item(k) for k in range(self.solutions.count())):
                other.setData(COLUMNS, ("●" if other is item else "○", *other.data(COLUMNS)[1:]))
            rows = self.desk.patches(self.shot)
            read = self.desk.reads[self.shot.id].reading
            self.swatches.show_patches(rows, read.layout.aspect if read is not None else 1.5, self._colour())
            self.plane.show_points(self.desk.arrows(rows))
            self.lines.show_lines(self.desk.lines(rows))

    def _choice_changed(self, *_: object) -> None:
        self.desk.choice = replace(
            self.desk.choice,
            metric=str(self.metric_box.currentData()),
            to_hero=bool(self.reference.currentData()),
            warp=self.warp.isChecked(),
            neutral=self.weights["neutral"].value,
            skin=self.weights["skin"].value,
        )
        if self.desk.choice.to_hero and self.shot is not None and self.desk.hero_of(self.shot) is None:
            self.told.emit("There is no hero with this chart in the setup; the published colours are used.")
        self.desk.solved.clear()
        self._solve()


def _dim(words: str) -> QLabel:
    label = Words(words)
    label.setFont(theme.font(theme.SMALL))
    label.set_role("dim")
    return label
