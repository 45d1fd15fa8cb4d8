"""The Board: what each camera is in each setup, heroes, settling and propagating."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QListWidgetItem,
    QMenu,
    QSplitter,
    QWidget,
)

from aquin.desk.board import widgets
from aquin.desk.board.cells import BoardModel, BoardTable
from aquin.desk.board.levelling import Levelling
from aquin.desk.board.settling import Settling
from aquin.desk.board.widgets import BoardWidgets
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.columns import COLUMNS
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.drift_dialog import DriftDialog
from aquin.desk.kit.jobs import Jobs, Latest, Tell
from aquin.desk.kit.labels import Words, no_mnemonic
from aquin.desk.kit.thumbs import Thumbs
from aquin.desk.session import OfSession
from aquin.errors import AquinError
from aquin.jobs.light import Light, look_at_light
from aquin.production import Setup, Shot
from aquin.production.agreeing import agree
from aquin.production.audit import Finding, apply_fix
from aquin.production.cells import Cell, ShotState, State, board, without_trims
from aquin.production.grading import propagate
from aquin.production.heroes import make_hero, make_main, take_proposed
from aquin.production.ledgers import measure_cells
from aquin.production.matching import Summary, Wish
from aquin.production.shoot import CellKey, Shoot

if TYPE_CHECKING:
    from aquin.desk.session import Session
    from aquin.production import Production


class BoardView(BoardWidgets, OfSession):
    """Setups by cameras. `looked_at` carries a shot; `stated` says that counts may have changed."""

    told = Signal(str)
    stated = Signal()
    config_changed = Signal()
    asked = Signal(str)
    looked_at = Signal(object)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self.cells: dict[CellKey, Cell] = {}
        self.summary: Summary | None = None
        self._behind = False
        self._finding: Finding | None = None
        self.drift: DriftDialog | None = None
        self.levelling = Levelling(session, jobs, self)
        self.levelling.told.connect(self.told)
        self.settling = Settling(session, jobs, self)
        self.settling.told.connect(self.told)
        self.settling.configured.connect(self.config_changed)
        self.settling.done.connect(self._settled)
        self.thumbs = Thumbs(self)
        self.latest = Latest(self)
        self.latest.ready.connect(self._show_cells)
        self.model = BoardModel()
        self.table = BoardTable(self.model, self.thumbs)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._show_panel())
        self.table.activated.connect(lambda _: self.look())
        self.empty = Words("")
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setWordWrap(True)
        self.empty.setFont(theme.font(theme.LARGE))
        left = QWidget()
        column = column_of((theme.GRID, theme.GRID, 0, 0), left, spacing=theme.GRID)
        column.addLayout(self.head)
        self.result = widgets.words_label()
        self.result.setAccessibleName("What settling did")
        column.addWidget(self.result)
        column.addWidget(self.empty, 1)
        column.addWidget(self.table, 1)
        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self.columns.addWidget(left)
        self.columns.addWidget(self.panel)
        self.columns.setStretchFactor(0, 1)
        self.columns.setSizes([1188 - widgets.PANEL, widgets.PANEL])
        self.columns.setChildrenCollapsible(False)
        line = line_of(0, self)
        line.addWidget(self.columns)
        self._connect()
        self._show_cells({})
        session.opened.connect(self.opened)
        session.changed.connect(self.refresh)
        session.screened.connect(self._screened)

    def _connect(self) -> None:
        self.settle_button.clicked.connect(self.settle_all)
        self.list.itemActivated.connect(lambda _: self.look())
        self.list.currentItemChanged.connect(lambda *_: self._picked())
        self.fix_button.clicked.connect(self.fix)
        self.findings_button.clicked.connect(lambda: self.asked.emit("shots.finding"))
        for name, act in (
            ("look", self.look),
            ("agree", self.agree),
            ("hero", self.make_hero),
            ("main", self.ask_main),
            ("settle", self.settle_chosen),
            ("spread", self.ask_propagate),
            ("measure", self.measure),
            ("drift", self.ask_drift),
            ("stand", self.propose),
        ):
            self.buttons[name].clicked.connect(act)

    # showing

    def opened(self) -> None:
        self.summary = None
        self.cells = {}
        self.result.setText(widgets.HOW)
        self.result.setToolTip("")
        self.thumbs.show(self.production, self.config, self.session.screen)
        if self.production is None:
            self._show_cells({})
        self.empty.setText(widgets.nothing_here(self.production, None))
        self.refresh()

    def _screened(self) -> None:
        """Pictures and ledgers through another screen; what was not measured on it yet is shown so."""
        self.thumbs.show(self.production, self.config, self.session.screen)
        self.table.viewport().update()
        self.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._behind:
            self.refresh()

    def refresh(self) -> None:
        """Look at the production again, beside this thread; while another view is shown, not before this one is."""
        self._behind = bool(self.cells) and not self.isVisible()
        if self._behind:
            return
        production, config, seen_on = self.production, self.config, self.session.screen
        if production is not None:

            def work() -> dict[CellKey, Cell] | AquinError:
                try:
                    return board(production, config, seen_on)
                except AquinError as error:
                    return error

            self.latest.ask(work)

    def _show_cells(self, found: dict[CellKey, Cell] | AquinError) -> None:
        self.cells = cells = {} if isinstance(found, AquinError) else found
        self.session.show_cells(cells)
        self.model.show_cells(cells)
        some = bool(self.model.setups)
        self.table.setVisible(some)
        self.empty.setVisible(not some)
        self.result.setVisible(some)
        self.empty.setText(widgets.nothing_here(self.production, found))
        if some and not self.chosen:
            self.table.choose([next(iter(self.model.cells))])
        graded = [c for c in self.model.cells.values() if c.shots]
        done = sum(c.settled for c in graded)
        look = f", {self.look_count} to look at" if self.look_count else ""
        self.count.setText(f"{done} of {len(graded)} settled{look}" if graded else "")
        self._show_panel()
        self.stated.emit()

    @property
    def chosen(self) -> list[Cell]:
        return [self.cells[p] for p in self.table.chosen() if p in self.cells]

    @property
    def open_count(self) -> int:
        """Cells with shots that are not settled, apart from those that only a look can settle."""
        return sum(not c.settled and not c.to_look_at for c in self.model.cells.values() if c.shots)

    @property
    def look_count(self) -> int:
        return sum(c.to_look_at for c in self.model.cells.values())

    @property
    def heroless(self) -> list[Setup]:
        """Setups without a hero."""
        found = {c.setup.id: c.setup for c in self.cells.values() if c.shots}
        return [s for s in found.values() if not s.hero_id]

    @property
    def shot(self) -> Shot | None:
        """The shot that is selected in the list."""
        item = self.list.currentItem()
        if item is None or self.production is None:
            return None
        return self.production.find(Shot, str(item.data(Qt.ItemDataRole.UserRole)))

    def _show_panel(self) -> None:
        cells = self.chosen
        kept = self.shot.id if self.shot is not None else ""
        self.list.clear()
        if len(cells) == 1:
            cell = cells[0]
            self.chosen_title.setText(f"{cell.setup.name}, {cell.camera.name}")
            self.chosen_words.setText(widgets.about(cell))
        else:
            self.chosen_title.setText(f"{len(cells)} cells" if cells else "No cell is selected")
            off = [f"{c.setup.name}, {c.camera.name}: {c.word}" for c in cells if not c.settled]
            self.chosen_words.setText("\n".join(off[:6]) + ("\n…" if len(off) > 6 else ""))
        for cell in cells:
            for state in cell.shots:
                word = widgets.said_of_shot(self.production, state)
                item = QListWidgetItem(f"{state.shot.name}: {word}")
                item.setData(Qt.ItemDataRole.UserRole, state.shot.id)
                item.setData(
                    COLUMNS,
                    (
                        "●" if state.state is State.HERO else "✓" if state.agreed else "",
                        state.shot.name,
                        "",
                        word,
                    ),
                )
                self.list.addItem(item)
                if state.shot.id == kept or self.list.currentRow() < 0:
                    self.list.setCurrentItem(item)
        self._show_buttons()

    def _picked(self) -> None:
        if self.shot is not None and self.list.hasFocus():
            self.session.select(self.shot.id)
        self._show_buttons()

    def _show_buttons(self) -> None:
        cells, shot = self.chosen, self.shot
        writable = self.production is not None and not self.production.read_only
        state = next((s for c in cells for s in c.shots if shot is not None and s.shot.id == shot.id), None)
        self.shot_words.setText("")
        self._show_finding(state)
        if state is not None:
            self.shot_words.setText(widgets.about_shot(state))
        self.buttons["look"].setEnabled(shot is not None)
        self.buttons["agree"].setText("Open again" if state is not None and state.agreed else "Agree")
        for name in ("agree", "hero", "main"):
            self.buttons[name].setEnabled(shot is not None and writable)
        for name in ("settle", "measure"):
            self.buttons[name].setEnabled(bool(cells) and writable)
        self.buttons["spread"].setEnabled(len(cells) > 0 and cells[0].balance is not None and writable)
        self.buttons["stand"].setEnabled(bool(self.heroless) and writable)
        self.settle_button.setEnabled(bool(self.model.cells) and writable)

    def _show_finding(self, state: ShotState | None) -> None:
        """What is open about the selected shot, with its fix."""
        found = state.findings if state is not None else ()
        self.finding_words.setVisible(bool(found))
        first = found[0] if found else None
        fix = first.fix if first is not None and self.session.writable else None
        self.fix_button.setVisible(fix is not None)
        self.findings_button.setVisible(bool(found))
        if first is not None:
            more = f" And {len(found) - 1} more." if len(found) > 1 else ""
            self.finding_words.setText(
                f"{'!' if first.severity == 'error' else '?'}  {first.said.rstrip('.')}.{more}"
            )
        if fix is not None:
            words, room = fix.words[:1].upper() + fix.words[1:], self.list.width() - 28
            short = self.fix_button.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room)
            self.fix_button.setText(no_mnemonic(short))
            self.fix_button.setToolTip(f"{words}: makes this change; it can be undone (Ctrl+Z)")
        self._finding = first

    def fix(self) -> None:
        """Make the change that the shown finding offers."""
        finding = self._finding
        if finding is not None:
            self._try(lambda p: apply_fix(p, finding))

    # heroes

    def make_hero(self) -> None:
        self._try(lambda p: make_hero(p, self.shot) if self.shot is not None else None)

    def ask_main(self) -> None:
        """A menu: main hero of all setups, or of the selected ones."""
        shot = self.shot
        if shot is None:
            return
        menu = QMenu(self)
        setups = list({c.setup.id: c.setup for c in self.chosen}.values())
        menu.addAction("of all setups").triggered.connect(lambda: self.make_main())
        names = ", ".join(s.name for s in setups)
        if setups:
            menu.addAction(f"of {names} only").triggered.connect(lambda: self.make_main(setups))
        button = self.buttons["main"]
        menu.popup(button.mapToGlobal(button.rect().bottomLeft()))

    def make_main(self, setups: Sequence[Setup] = ()) -> None:
        self._try(lambda p: make_main(p, self.shot, setups) if self.shot is not None else None)

    def propose(self) -> None:
        self._try(take_proposed)

    # settling

    def settle_all(self) -> None:
        self._settle([c.place for c in self.model.cells.values() if c.shots or c.charts])

    def settle_chosen(self) -> None:
        self._settle(self.table.chosen())

    def _settle(self, places: list[CellKey]) -> None:
        if self.production is None or not places:
            return
        if not any(c.setup.hero_id for c in self.cells.values() if c.place in places):
            self.told.emit(
                "None of these setups has a hero: select a shot and press H, or let heroes be proposed."
            )
            return
        self.settling.start(places, Wish(model=str(self.model_box.currentData())))

    def _settled(self, summary: Summary) -> None:
        self.summary = summary
        self._show_result(summary)
        self.told.emit(summary.line)
        self.refresh()

    def _show_result(self, summary: Summary) -> None:
        """What settling did stays to be read; each cell and shot in the tooltip."""
        names = {c.place: f"{c.setup.name}, {c.camera.name}" for c in self.cells.values()}
        lines = [f"{names.get(c.place, '')}: {c.words}" for c in summary.cells]
        lines += [f"{name}: {why}" for name, why in summary.trims]
        self.result.setText(summary.line)
        self.result.setToolTip("\n".join(lines))

    def measure(self) -> None:
        production, config, seen_on = self.production, self.config, self.session.screen
        places = self.table.chosen()
        if production is None:
            return

        def work(tell: Tell) -> None:
            measure_cells(production, config, places, seen_on, tell=tell)

        self.jobs.start_long("ledgers", "measuring", work, lambda _: self.refresh(), self.told.emit)

    # propagating

    def ask_propagate(self) -> None:
        """A menu: to the cell's own shots, or from the first selected cell to the others."""
        cells = self.chosen
        if not cells:
            return
        menu = QMenu(self)
        first, others = cells[0], cells[1:]
        own = sum(bool(s.own) for s in first.shots)
        action = menu.addAction(f"its shots follow it ({own} hold a trim of their own)")
        action.setEnabled(own > 0)
        action.triggered.connect(lambda: self.follow(first))
        for linked, words in ((True, "others follow it when it changes"), (False, "others get a copy")):
            action = menu.addAction(f"from {first.setup.name}, {first.camera.name}: {len(others)} {words}")
            action.setEnabled(bool(others))
            action.triggered.connect(lambda _=False, k=linked: self.propagate(k))
        button = self.buttons["spread"]
        menu.popup(button.mapToGlobal(button.rect().topLeft()))

    def follow(self, cell: Cell) -> None:
        self._try(lambda p: without_trims(p, cell))

    def propagate(self, linked: bool) -> None:
        """The first selected cell's balance to the other selected ones."""
        cells, config = self.chosen, self.config
        if len(cells) > 1 and cells[0].balance is not None:
            source = cells[0].balance
            self._try(lambda p: propagate(p, config, source, [c.place for c in cells[1:]], linked))

    # drift

    def ask_drift(self) -> None:
        """The light of the selected cell's setup over the day."""
        cells = self.chosen
        if not cells or self.production is None:
            return
        production, config, setup = self.production, self.config, cells[0].setup

        def done(found: Light) -> None:
            dialog = self.drift = DriftDialog(production, config, setup, found, self.jobs, self)
            dialog.told.connect(self.told)
            open_fitting(dialog)

        work = partial(look_at_light, production, config, setup)
        self.jobs.start("drift", "looking at the light", work, done, self.told.emit)

    # shots

    def look(self) -> None:
        """The selected shot on the Bench, beside what the hero's camera recorded at that moment."""
        if self.shot is not None:
            self.looked_at.emit(self.shot)

    def reveal(self) -> None:
        """The cell and the shot that are worked on, where others are selected here."""
        shot = self.session.shot
        place = (shot.setup_id, shot.camera_id) if shot is not None else None
        if shot is None or place not in self.cells or self.shot == shot:
            return
        if place not in self.table.chosen():
            self.table.choose([place])
        for row in range(self.list.count()):
            if self.list.item(row).data(Qt.ItemDataRole.UserRole) == shot.id:
                self.list.setCurrentRow(row)

    def take_keyboard(self) -> None:
        self.table.setFocus()

    def step(self, by: int) -> None:
        row = self.list.currentRow() + by
        if 0 <= row < self.list.count():
            self.list.setCurrentRow(row)

    def agree(self) -> None:
        shot, config = self.shot, self.config
        if shot is None:
            return
        state = next((s for c in self.chosen for s in c.shots if s.shot.id == shot.id), None)
        on = state is None or not state.agreed
        self._try(lambda p: agree(p, Shoot(p, config), [shot], on))

    def _try(self, act: Callable[[Production], object]) -> None:
        if self.production is None:
            return
        try:
            act(self.production)
        except AquinError as error:
            self.told.emit(error.line())

    def finish(self) -> None:
        self.latest.finish()
        self.thumbs.finish()
