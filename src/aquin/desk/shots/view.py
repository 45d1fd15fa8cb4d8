"""The Shots view: the log as a table or as pictures, edits of one or many shots, and what the audit found."""

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import (
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    Qt,
    Signal,
)
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QWidget,
)

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.filter_field import FilterField
from aquin.desk.kit.jobs import Jobs
from aquin.desk.kit.labels import Words
from aquin.desk.kit.thumbs import Thumbs
from aquin.desk.kit.timers import HIDDEN_MS, later
from aquin.desk.session import Session
from aquin.desk.shots.actions import ShotActions
from aquin.desk.shots.findings import FindingsPanel
from aquin.desk.shots.intake import Intake
from aquin.desk.shots.log import COLUMNS, GROUPS, HIDDEN, ShotLog
from aquin.desk.shots.model import OPEN, WARM, PictureModel, ShotModel
from aquin.desk.shots.table import ShotTable, shot_pictures
from aquin.desk.shots.words import said_of_findings, said_without_rows
from aquin.production import Setup, Shot
from aquin.production.audit import Finding
from aquin.production.raw import is_raw, pictures_of


class ShotsView(ShotActions):
    """One production's shots. Slow work runs in `jobs`."""

    stated = Signal()
    laid_out = Signal()
    """The columns of the log are there for the first time."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__(session, jobs)
        self.model: ShotModel | None = None
        self.shows_pictures = False
        self.thumbs = Thumbs(self)
        self.intake = Intake(self, session, jobs)
        self.intake.told.connect(self.told)
        self.intake.done.connect(self.stated)
        self._at_work = (False, False)
        jobs.changed.connect(self._worked)
        self.setAcceptDrops(True)
        column = column_of(0, self, spacing=0)
        column.addLayout(self._bar())
        self.pages = QStackedWidget()
        self.table, self.pictures = ShotTable(self), shot_pictures()
        self.table.opened.connect(lambda: self.look("shot"))
        self.table.header().sortIndicatorChanged.connect(self._sort)
        self.pictures.activated.connect(lambda _: self.look("shot"))
        self.pages.addWidget(self.table)
        self.pages.addWidget(self.pictures)
        self.empty = Words("")
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setWordWrap(True)
        self.empty.set_role("soft")
        self.pages.addWidget(self.empty)
        left = QWidget()
        inner = column_of((theme.GRID, 0, 0, 0), left, spacing=0)
        inner.addWidget(self.pages, 1)
        inner.addLayout(self._selection_bar())
        self.panel = FindingsPanel()
        self.panel.fixed.connect(self.fix)
        self.panel.dismissed.connect(self.set_aside)
        self.panel.picked.connect(self._pick)
        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self.columns.addWidget(left)
        self.columns.addWidget(self.panel)
        self.columns.setStretchFactor(0, 1)
        self.columns.setSizes([880, 300])
        column.addWidget(self.columns, 1)
        self._filtering = later(self, self._filter, 60)
        self._warming = later(self, self._warm, 5)
        self._behind = later(self, self.refresh, HIDDEN_MS)
        self._show_page()
        session.opened.connect(self.opened)
        session.changed.connect(self.changed)
        session.screened.connect(self._screened)

    # building

    def _bar(self) -> QHBoxLayout:
        bar = line_of((theme.GRID, 6, theme.GRID, 6))
        self.filter = FilterField("Filter: words, or column:word, such as  camera:heron error", "Filter")
        self.filter.setToolTip(
            "Shows shots that hold all these words (Ctrl+F); Enter goes on to them, Escape clears"
        )
        self.filter.left.connect(self._from_filter)
        self.filter.textChanged.connect(lambda _: self._filtering.start())
        self.by = QComboBox()
        self.by.addItems([f"by {g}" if g != "none" else "not grouped" for g in GROUPS])
        self.by.setAccessibleName("Group")
        self.by.setToolTip("How the shots are grouped")
        self.by.currentIndexChanged.connect(self._regroup)
        self.count = Words("")
        self.count.set_role("dim")
        self.as_table, self.as_pictures = QPushButton("Table"), QPushButton("Pictures")
        for k, button in enumerate((self.as_table, self.as_pictures)):
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, page=k: self.show_as(page))
        self.as_table.setChecked(True)
        bar.addWidget(self.filter, 1)
        bar.addSpacing(theme.GRID)
        bar.addWidget(self.count)
        bar.addSpacing(theme.GRID)
        bar.addWidget(self.by)
        bar.addWidget(self.as_table)
        bar.addWidget(self.as_pictures)
        bar.addSpacing(theme.GRID)
        self.add_button = QPushButton("Log …")
        self.add_button.setToolTip(
            "Folders, files, a camera report or an edit; folders and files can also be dropped here"
        )
        menu = QMenu(self.add_button)
        for words, action in (
            ("A folder of media …", self.intake.ask_folder),
            ("Files …", self.intake.ask_files),
            ("A camera report (CSV) …", self.intake.ask_report),
            ("An edit (.edl, .otio, .xml) …", self.intake.ask_edit),
            ("The edits that are logged", self.intake.show_edits),
        ):
            menu.addAction(words).triggered.connect(lambda _=False, a=action: a())
        self.add_button.setMenu(menu)
        self.audit_button = QPushButton("Audit")
        self.audit_button.setProperty("main", True)
        self.audit_button.setToolTip(
            "Measure what is not measured yet, and look for everything that is wrong (A)"
        )
        self.audit_button.clicked.connect(self.intake.audit)
        bar.addWidget(self.add_button)
        bar.addWidget(self.audit_button)
        return bar

    def _selection_bar(self) -> QHBoxLayout:
        bar = line_of((0, 4, theme.GRID, 4))
        self.selected_label = Words("")
        self.selected_label.set_role("dim")
        bar.addWidget(self.selected_label, 1)
        self.shot_buttons: dict[str, QPushButton] = {}
        for words, tip, action in (
            ("On the Bench", "Open it as the shot on the Bench (Enter)", lambda: self.look("shot")),
            ("Make hero", "Open it as the hero, and note it as the setup's hero (H)", self.make_hero),
            ("Confirm setups", "Agree to the setups that were proposed for these shots", self.confirm),
            ("Develop …", "How these raw stills are developed, before everything else", self.develop),
            ("Picture …", "Which part or layer of these files is the picture", self._ask_picture),
            ("Take out", "Take it out of the log; the file stays (Del, can be undone)", self.drop),
        ):
            button = QPushButton(words)
            button.setProperty("quiet", True)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, a=action: a())
            bar.addWidget(button)
            self.shot_buttons[words] = button
        return bar

    def _ask_picture(self) -> None:
        self.choose_picture(self.shot_buttons["Picture …"])

    # the production

    def _screened(self) -> None:
        """Pictures through another screen."""
        self.thumbs.show(self.production, self.session.config, self.session.screen)
        for view in (self.table, self.pictures):
            view.viewport().update()

    def opened(self) -> None:
        """Another production, or none."""
        production, config = self.production, self.session.config
        self.thumbs.show(production, config, self.session.screen)
        if production is None:
            self.log = self.model = None
            self._show_page()
            return
        first = self.model is None
        log = ShotLog(production, config)
        log.words = self.filter.text()
        log.by = GROUPS[self.by.currentIndex()]
        if self.log is not None:
            log.order, log.descending = self.log.order, self.log.descending
        self.log, self.model = log, ShotModel(log, self.thumbs)
        self.model.failed.connect(self.told)
        for view in (self.table, self.pictures):
            self.model.pictured.connect(view.viewport().update)
        self.flat = PictureModel(self.model)
        self.table.setModel(self.model)
        self.pictures.setModel(self.flat)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._selected())
        self.pictures.selectionModel().selectionChanged.connect(lambda *_: self._selected())
        if first:
            for k, column in enumerate(COLUMNS):
                self.table.setColumnWidth(k, column.width)
                self.table.setColumnHidden(k, column.key in HIDDEN)
            self.table.header().setSortIndicator(
                [c.key for c in COLUMNS].index("start"), Qt.SortOrder.AscendingOrder
            )
            self.laid_out.emit()
        self.refresh()

    def refresh(self) -> None:
        """Show the production as it is now; selection and place stay."""
        if self.log is None or self.model is None:
            return
        self._behind.stop()
        ids = [s.id for s in self.selected]
        self.log.read_findings()
        if self.model.read():
            rows = 0
            for k, group in enumerate(self.model.groups):
                rows += len(group.shots)
                if k == 0 or rows <= OPEN:
                    self.table.setExpanded(
                        self.model.index(k, 0), any(s.kind != "series" for s in group.shots)
                    )
                self.table.setFirstColumnSpanned(k, QModelIndex(), True)
            self.select(ids)
        self._show_page()
        self._selected()
        self._warming.start()

    def _warm(self) -> None:
        if self.log is not None and not self.log.warm(WARM):
            self._warming.start()

    def changed(self) -> None:
        """Something was decided, here or elsewhere; while another view is shown, this one follows after a pause."""
        if self.isVisible():
            self.refresh()
        else:
            self._behind.start()

    def _worked(self) -> None:
        """Logging or auditing began or ended."""
        at_work = self.jobs.running("log"), self.jobs.running("audit")
        if at_work != self._at_work:
            self._at_work = at_work
            self._show_page()
            self._selected()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._behind.isActive():
            self.refresh()

    def _show_page(self) -> None:
        rows = bool(self.model is not None and self.model.groups)
        empty = said_without_rows(self.production, self.jobs.running("log"), rows)
        self.empty.setText(empty)
        self.pages.setCurrentIndex(2 if empty else (1 if self.shows_pictures else 0))
        shown = len(self.model.shots) if self.model is not None else 0
        total = len(self.production.all(Shot)) if self.production is not None else 0
        words = "1 shot" if total == 1 else f"{total} shots" if total else ""
        self.count.setText(f"{shown} of {total}" if shown != total else words)
        for widget in (
            self.filter,
            self.by,
            self.as_table,
            self.as_pictures,
            self.add_button,
            self.audit_button,
        ):
            widget.setEnabled(self.production is not None)

    def show_as(self, page: int) -> None:
        """0: table, 1: pictures; the selection goes along."""
        ids = [s.id for s in self.selected]
        self.shows_pictures = page == 1
        self.as_table.setChecked(page == 0)
        self.as_pictures.setChecked(page == 1)
        self._show_page()
        self.select(ids)
        (self.table if page == 0 else self.pictures).setFocus()

    # selection

    @property
    def selected(self) -> list[Shot]:
        """The selected shots in the order in which they are shown."""
        if self.model is None:
            return []
        if self.shows_pictures:
            rows = sorted(i.row() for i in self.pictures.selectionModel().selectedIndexes())
            return [s for r in rows if (s := self.flat.shot(self.flat.index(r))) is not None]
        found = [self.model.shot(i) for i in self.table.selectionModel().selectedRows()]
        return [s for s in found if s is not None]

    def select(self, ids: Iterable[str], scroll: bool = False) -> None:
        """Select shots by their ids where they are shown."""
        if self.model is None:
            return
        picked = QItemSelection()
        first = None
        for id in ids:
            index = self.model.index_of(id)
            if self.shows_pictures:
                index = self.flat.index(max(self.flat.row_of(id), 0)) if index.isValid() else QModelIndex()
            if index.isValid():
                picked.select(index, index)
                first = index if first is None else first
        view: QAbstractItemView = self.pictures if self.shows_pictures else self.table
        flags = QItemSelectionModel.SelectionFlag.ClearAndSelect | QItemSelectionModel.SelectionFlag.Rows
        if first is not None:
            view.selectionModel().setCurrentIndex(first, QItemSelectionModel.SelectionFlag.NoUpdate)
        view.selectionModel().select(picked, flags)
        if scroll and first is not None:
            view.scrollTo(first)

    def _selected(self) -> None:
        if self.log is None or self.production is None or self.model is None:
            self.panel.hide()
            return
        self.panel.show()
        shots = self.selected
        if len(shots) == 1:
            self.session.select(shots[0].id)
        self.model.chosen = shots
        found = self.log.findings_of(shots)
        about = said_of_findings(
            len(shots),
            bool(self.log.findings),
            self.jobs.running("audit"),
            bool(self.production.all(Shot)),
        )
        self.panel.show_findings(self.production, found, about)
        seconds = sum(s.frames / float(s.fps) for s in shots if s.fps)
        self.selected_label.setText(
            f"{len(shots)} selected, {seconds:.1f} s"
            if shots
            else "Select shots to change them; F2 edits a cell, of all selected shots at once"
        )
        proposed = any(not s.confirmed for s in self._setups(shots))
        for words, button in self.shot_buttons.items():
            fits = len(shots) == 1 if words in ("On the Bench", "Make hero") else bool(shots)
            button.setEnabled(fits and (words != "Confirm setups" or proposed))
        self.shot_buttons["Develop …"].setVisible(bool(shots) and all(is_raw(s) for s in shots))
        self.shot_buttons["Picture …"].setVisible(bool(shots) and all(pictures_of(s) for s in shots))

    def _setups(self, shots: Iterable[Shot]) -> list[Setup]:
        assert self.production is not None
        ids = {s.setup_id for s in shots}
        return [s for s in self.production.all(Setup) if s.id in ids]

    def _pick(self, finding: Finding) -> None:
        if self.model is not None and not all(self.model.index_of(i).isValid() for i in finding.shots):
            self.filter.clear()
            self._filter()
        view = self.panel.list
        had = view.hasFocus()
        self.select(finding.shots, scroll=True)
        if self.panel.current is None or self.panel.current.key != finding.key:
            row = next((k for k, f in enumerate(self.panel.found) if f.key == finding.key), -1)
            view.setCurrentRow(row)
        if had:
            view.setFocus()

    def take_keyboard(self) -> None:
        (self.pictures if self.shows_pictures else self.table).setFocus()

    def reveal(self) -> None:
        """The shot that is worked on, where it is another one than is selected here."""
        shot = self.session.shot
        if shot is not None and [s.id for s in self.selected] != [shot.id]:
            self.select([shot.id], scroll=True)

    def show_finding(self) -> None:
        """The first open finding: of the shot that is worked on, where it has one, else of all."""
        shot = self.session.shot
        own = self.log.of(shot) if self.log is not None and shot is not None else []
        self.select([shot.id] if shot is not None and own else [], scroll=True)
        self.panel.list.setCurrentRow(0)
        self.panel.list.setFocus()

    def show_first_finding(self) -> None:
        """Go to the first finding that offers a fix, else to the first one."""
        if self.log is not None and self.log.findings:
            first = next(
                (f for f in self.log.findings if f.fix is not None and f.shots), self.log.findings[0]
            )
            self._pick(first)

    def step(self, by: int) -> None:
        """Select the shot after (or before) the selected one."""
        if self.model is None or not (shots := self.model.shots):
            return
        ids = [s.id for s in shots]
        now = self.selected
        at = ids.index(now[0].id) + by if now else 0
        self.select([ids[max(0, min(at, len(ids) - 1))]], scroll=True)

    # order

    def _filter(self) -> None:
        if self.log is not None:
            self.log.words = self.filter.text()
            self.refresh()

    def _from_filter(self) -> None:
        """On to the shots that are left: the first one, where none of them is selected."""
        self._filter()
        self.take_keyboard()
        if not self.selected:
            self.step(1)

    def _regroup(self, index: int) -> None:
        if self.log is not None:
            self.log.by = GROUPS[index]
            self.refresh()

    def _sort(self, section: int, order: Qt.SortOrder) -> None:
        if self.log is not None and section >= 0:
            self.log.order, self.log.descending = COLUMNS[section].key, order == Qt.SortOrder.DescendingOrder
            self.refresh()

    def focus_filter(self) -> None:
        self.filter.setFocus()
        self.filter.selectAll()

    # drag and drop

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.intake.dropped([Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()])
        event.acceptProposedAction()

    def finish(self) -> None:
        self.thumbs.finish()
