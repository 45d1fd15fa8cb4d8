"""The Charts view: read a camera's chart, see why this frame, solve it, and keep it as the balance; profile and
latitude beside it.
"""

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
)

from aquin.arrays import Float64
from aquin.charts.layout import layout, names
from aquin.desk.charts.actions import ChartActions
from aquin.desk.charts.latitude import LatitudePage
from aquin.desk.charts.profile import ProfilePage
from aquin.desk.charts.state import ShownFrame, frame_of, said_without_takes
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.columns import COLUMNS
from aquin.desk.kit.jobs import Jobs
from aquin.desk.kit.labels import Words
from aquin.desk.kit.timers import HIDDEN_MS, later
from aquin.desk.session import Session

PAGES = (
    ("reading", "Reading", "Charts and cards, camera by camera"),
    ("profile", "Profile", "A camera's curve and matrix from an exposure series"),
    ("latitude", "Latitude", "How far over and under each camera may be"),
)


class ChartsView(ChartActions):
    """Widgets and jobs; what is shown comes from `ChartDesk`."""

    stated = Signal()
    config_changed = Signal()

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__(session, jobs)
        self._frame_shown: tuple[object, ...] | None = None
        self._later = later(self, self.refresh_now)
        column = column_of(0, self, spacing=0)
        column.addLayout(self._tabs())
        self.profile = ProfilePage(session, jobs)
        self.latitude = LatitudePage(session, jobs)
        for page in (self.profile, self.latitude):
            page.told.connect(self.told)
        self.profile.config_changed.connect(self.config_changed)
        self.stack = QStackedWidget()
        for widget in (self.reading, self.profile, self.latitude):
            self.stack.addWidget(widget)
        column.addWidget(self.stack, 1)
        self._connect()
        self.show_page("reading")
        self._show_shot()
        session.opened.connect(self.opened)
        session.changed.connect(self.refresh)
        session.screened.connect(self._screened)

    # building

    def _tabs(self) -> QHBoxLayout:
        line = line_of((8, 6, 8, 6), spacing=4)
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

    def _connect(self) -> None:
        self.list.currentItemChanged.connect(lambda item, _: self._picked(item))
        self.read_all.clicked.connect(self.read_missing)
        self.balance_button.clicked.connect(self.balance_all)
        self.frame.moved.connect(self._corners_moved)
        self.strip.asked.connect(self._frame_asked)
        self.layout_box.activated.connect(self._layout_chosen)
        self.mark_button.clicked.connect(self.mark)
        self.auto_button.clicked.connect(self.find_again)
        self.what_button.clicked.connect(self.identify)
        self.swatches.toggled.connect(self._patch_toggled)
        self.solutions.currentItemChanged.connect(lambda item, _: self._solution_picked(item))
        self.keep_button.clicked.connect(self.keep)
        self.follow_button.clicked.connect(self._let_follow)
        self.warp.toggled.connect(self._choice_changed)
        for box in (self.reference, self.metric_box):
            box.activated.connect(self._choice_changed)
        for number in self.weights.values():
            number.changed.connect(lambda _, dragging: None if dragging else self._choice_changed())
            number.ended.connect(self._choice_changed)

    # what is shown

    def show_page(self, name: str) -> None:
        index = [n for n, _, _ in PAGES].index(name)
        self.stack.setCurrentIndex(index)
        button = self.tabs.button(index)
        button.setChecked(True)
        self.why.setVisible(name == "reading")

    def opened(self) -> None:
        self.desk.show(self.session.production, self.session.config)
        self.shot = None
        self.refresh()

    def _screened(self) -> None:
        """The frame and the swatches through another screen."""
        self._frame_shown = None
        self._show_shot()

    def refresh(self) -> None:
        """Draw anew after a change, as soon as whoever asked for it has finished."""
        self._later.start(0 if self.isVisible() else HIDDEN_MS)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._later.start(0)

    def refresh_now(self) -> None:
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
            self.frame.message = said_without_takes(self.desk.production)
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
