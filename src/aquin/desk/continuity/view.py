"""The Continuity view: does the cut hold together?"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QComboBox, QStackedWidget, QWidget

from aquin.desk.commands import words
from aquin.desk.continuity.column import CutColumn
from aquin.desk.continuity.pages import ChangesPage, LightPage
from aquin.desk.continuity.pair import CutPair
from aquin.desk.continuity.panel import CutPanel
from aquin.desk.continuity.papers import CutPapers
from aquin.desk.continuity.sheet import Group, Overview
from aquin.desk.continuity.smalls import SmallPictures
from aquin.desk.continuity.state import ORDERS, CutDesk
from aquin.desk.continuity.strip import CutStrip
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.empty import Empty
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.desk.kit.paged import PageBar, columns_of, scrolled
from aquin.desk.kit.thumbs import Thumbs
from aquin.desk.session_view import SessionView
from aquin.errors import AquinError

if TYPE_CHECKING:
    from aquin.colour.baked import BakedView
    from aquin.desk.session import Session
    from aquin.production import Shot
    from aquin.production.cut.judged import Continuity

PAGES = ("cut", "sheet", "light", "changes")
TITLES = {"cut": "cut by cut", "sheet": "the whole cut", "light": "light of the day", "changes": "new cut"}


class ContinuityView(SessionView):
    """The edit, cut by cut and as a whole."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__(session, jobs)
        self.desk = CutDesk()
        self.papers = CutPapers(self.desk, jobs, self)
        self.papers.told.connect(self.told)
        self.papers.taken.connect(self._taken)
        self.baked: BakedView | None = None
        self.smalls = SmallPictures(session, self)
        self.smalls.ready.connect(self._show_pages)
        self.thumbs = Thumbs(self)
        """Of shots that are not in the cut."""
        self.thumbs.ready.connect(self._show_pages)
        self._knowing, self._baking = Latest(self), Latest(self)
        self._knowing.ready.connect(self._known)
        self._baking.ready.connect(self._ready)
        self._build()
        session.opened.connect(self.opened)
        session.changed.connect(self.follow_shown)
        session.screened.connect(self.opened)
        session.looked.connect(self._looked)
        self.show_page("cut")

    # building

    def _build(self) -> None:
        self.empty = Empty("No edit yet")
        self.pair = CutPair(self.session, self.jobs)
        self.pair.told.connect(self.told)
        self.strip, self.panel, self.overview = CutStrip(), CutPanel(), Overview()
        right = scrolled(self.panel, 300)
        self.columns = columns_of((self._left(), self._middle(), right), [196, 680, 312], 1)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.columns)
        self.stack.addWidget(self.empty)
        line_of(0, self).addWidget(self.stack)
        self.strip.lanes.picked.connect(self.choose)
        self.overview.page.picked.connect(self._picked)
        self.panel.closed.connect(self.close_jump)
        self.panel.meant.connect(self.mean)
        self.panel.looked.connect(self._look_at)
        self.pair.look_button.toggled.connect(lambda on: self._want_look(on))

    def _left(self) -> QWidget:
        left = CutColumn()
        self.edits, self.summary, self.list, self.buttons = left.edits, left.summary, left.list, left.buttons
        left.edits.activated.connect(lambda k: self.choose_edit(str(left.edits.itemData(k))))
        left.list.taken.connect(lambda id: self.choose(int(id)))
        runs = (self.measure, self.papers.ask_new, self.papers.ask_export)
        for name, run in zip(("measure", "new", "export"), runs, strict=True):
            left.buttons[name].clicked.connect(run)
        return left

    def _middle(self) -> QWidget:
        body = QWidget()
        column = column_of(0, body, spacing=0)
        self.bar = bar = PageBar(TITLES, self.show_page)
        self.orders = QComboBox()
        self.orders.setAccessibleName("Order of the whole cut")
        self.orders.setToolTip("In cut order, by setup, or sorted by an axis")
        self.orders.addItems(list(ORDERS))
        self.orders.activated.connect(lambda k: self._order(ORDERS[k]))
        bar.addWidget(self.orders)
        column.addLayout(bar)
        cut = QWidget()
        rows = column_of(0, cut, spacing=0)
        rows.addWidget(self.pair, 1)
        rows.addWidget(self.strip)
        self.light, self.changes = LightPage(self.session), ChangesPage()
        self.changes.list.taken.connect(lambda id: self._picked(int(id)))
        self.pages = QStackedWidget()
        for page_widget in (cut, self.overview, self.light, self.changes):
            self.pages.addWidget(page_widget)
        column.addWidget(self.pages, 1)
        return body

    # showing

    def opened(self) -> None:
        """Another production, or none, or another screen."""
        self.desk.production, self.desk.config = self.production, self.config
        self.desk.found, self.baked = None, None
        self.smalls.forget()
        self.thumbs.show(self.production, self.config, self.session.screen)
        self.desk.changes = ()
        self.follow()

    def follow(self) -> None:
        """The production changed, here or elsewhere."""
        self.desk.production, self.desk.config = self.production, self.config
        self.desk.read()
        self._ask_known()
        self.refresh()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.follow()

    def _ask_known(self) -> None:
        """What is known of the edit, beside this thread; no media are read for it."""
        production, config, edit = self.production, self.config, self.desk.edit
        if production is None or edit is None or not self.isVisible():
            return
        screen, key = self.session.screen, (self.session.screen, self.config)

        def work() -> Any:
            from aquin.production.cut.judged import known_edit

            found = known_edit(production, config, edit, screen)
            return key, found, len(found.jumping), len(found.positions_of)  # known from now on

        def bake() -> Any:
            from aquin.colour.baked import baked_view

            return key, baked_view(config.view(*screen))

        self._knowing.ask(work)
        if self.baked is None:
            self._baking.ask(bake)

    def _known(self, made: tuple[Any, Continuity, int, int]) -> None:
        key, found = made[:2]
        if key != (self.session.screen, self.config) or found.edit.id != self.desk.edit_id:
            return
        before = self.desk.chosen
        self.desk.show(found)
        self.smalls.ask(self.desk.found, self.baked)
        self.refresh()
        if self.desk.chosen != before:
            self.strip.reveal(self.desk.chosen)

    def _ready(self, made: tuple[Any, BakedView]) -> None:
        """The view that pictures are seen through is prepared."""
        if made[0] == (self.session.screen, self.config):
            self.baked = made[1]
            self.smalls.ask(self.desk.found, self.baked)
            self._show_pages()

    def refresh(self) -> None:
        desk, writable = self.desk, self.session.writable
        if self.production is None:
            self._say("The cut belongs to a production. Open one, or the demo.", "", None)
            return
        if not desk.edits:
            self._say(
                "No edit yet. Conform an EDL, an OpenTimelineIO file or an XML: its pieces find their shots, and every "
                "cut can be measured.",
                words("continuity.new"),
                self.papers.ask_new,
            )
            return
        self.stack.setCurrentIndex(0)
        self.edits.clear()
        for edit in desk.edits:
            self.edits.addItem(edit.name, edit.id)
        self.edits.setCurrentIndex(max(self.edits.findData(desk.edit_id), 0))
        self.summary.setText(_summary(desk.found))
        self.list.clear()
        for id, columns, said in desk.rows():
            self.list.put(id, columns, said)
        self.list.fit(4, 16)
        self._mark_row()
        self.buttons["measure"].setEnabled(desk.edit is not None)
        self.buttons["new"].setEnabled(writable)
        self.buttons["export"].setEnabled(desk.found is not None)
        self._show_pages()
        self.stated.emit()

    def _say(self, text: str, button: str, act: Any) -> None:
        self.empty.say(text, button, act)
        self.stack.setCurrentIndex(1)
        self.stated.emit()

    def _mark_row(self) -> None:
        """The jump that is looked at, in the list."""
        jumping = self.desk.found.jumping if self.desk.found is not None else []
        at = next((k for k, c in enumerate(jumping) if c.position == self.desk.chosen), -1)
        self.list.setCurrentRow(at)

    def _show_pages(self) -> None:
        desk = self.desk
        cut = desk.cut
        self.strip.show_cut(desk.found, desk.chosen, self.smalls.by_end)
        moved = {side: desk.moved_by(side) for side in ("left", "half", "right")}
        self.panel.show_cut(cut, self.session.writable, moved, desk.open_about())
        if self.isVisible():
            self.pair.show_cut(cut, self.baked, self.session.look_shown)
        if self.page == "sheet":
            self._show_sheet()
        elif self.page == "changes":
            self.changes.show_changes(self.desk)

    def _show_sheet(self) -> None:
        """The whole cut, and below it the shots that are not in it."""
        desk = self.desk
        groups: list[Group] = [
            (
                heading,
                [(p, desk.said_of(p), p.number in desk.odd and desk.odd[p.number].odd) for p in pieces],
            )
            for heading, pieces in desk.laid_out
        ]
        smalls = dict(self.smalls.by_end)
        rest = desk.left_out()
        for piece in rest:
            icon = self.thumbs.get(piece.shot, desk.grade_of(piece.shot)) if piece.shot is not None else None
            if icon is not None and icon.availableSizes():
                smalls[piece.number, 0] = icon.pixmap(icon.availableSizes()[0]).toImage()
        if rest:
            groups.append(("not in this cut", [(p, p.name, False) for p in rest]))
        self.overview.page.show_groups(groups, smalls)

    def show_page(self, page: str) -> None:
        self.bar.mark(page)
        self.pages.setCurrentIndex(PAGES.index(page))
        self.orders.setVisible(page == "sheet")
        if page == "light":
            self.light.show_setups()
        else:
            self._show_pages()

    @property
    def page(self) -> str:
        return self.bar.page

    def _order(self, order: str) -> None:
        self.desk.order = order
        self.orders.setCurrentIndex(ORDERS.index(order))
        self._show_pages()

    def lay_out(self) -> None:
        """The whole cut, in the next order each time."""
        if self.page == "sheet":
            self._order(ORDERS[(ORDERS.index(self.desk.order) + 1) % len(ORDERS)])
        else:
            self.show_page("sheet")

    # choosing

    def choose(self, position: int) -> None:
        """Look at a cut."""
        self.desk.chosen = position
        self.strip.reveal(position)
        self._mark_row()
        self._show_pages()

    def _picked(self, number: int) -> None:
        """A piece of the sheet: the cut before it. A shot that is not in the cut: on the Bench."""
        if number < 1:
            shot = next((p.shot for p in self.desk.left_out() if p.number == number), None)
            if shot is not None:
                self.looked_at.emit(shot)
            return
        self.show_page("cut")
        self.choose(max(number, 2))

    def step(self, by: int) -> None:
        self.desk.step(by)
        self.choose(self.desk.chosen)

    def step_jump(self, by: int) -> None:
        self.desk.step(by, jumps_only=True)
        self.choose(self.desk.chosen)

    def worst(self) -> None:
        """The cut that jumps most."""
        found = self.desk.found
        if found is not None and found.jumping:
            self.show_page("cut")
            self.choose(found.jumping[0].position)

    def choose_edit(self, id: str) -> None:
        self.desk.edit_id, self.desk.found, self.desk.chosen = id, None, 0
        self.follow()

    def _want_look(self, on: bool) -> None:
        if on != self.session.look_shown:
            self.session.toggle_look()

    def _looked(self) -> None:
        on = self.session.look_shown
        self.pair.look_button.setChecked(on)
        self.pair.look_button.setText("look on" if on else "look off")
        self.smalls.ask(self.desk.found, self.baked)
        self._show_pages()

    def _look_at(self, side: str) -> None:
        cut = self.desk.cut
        shot: Shot | None = None
        if cut is not None:
            shot = cut.left.shot if side == "left" else cut.right.shot
        if shot is not None:
            self.looked_at.emit(shot)

    # work and decisions

    def measure(self) -> None:
        """Measure what is not known yet, in the background."""
        production, config, edit, screen = self.production, self.config, self.desk.edit, self.session.screen
        if production is None or edit is None:
            return

        def work(tell: Any) -> Continuity:
            from aquin.production.cut.judged import measure_edit

            return measure_edit(production, config, edit, screen, None, tell)

        def done(found: Continuity) -> None:
            if found.edit.id == self.desk.edit_id:
                self.desk.show(found)
                self.smalls.ask(self.desk.found, self.baked)
                self.refresh()
                self.told.emit(f"{found.edit.name}: {_summary(found)}")

        self.jobs.start_long("continuity", "measuring the cut", work, done, self.told.emit)

    def attempt(self, run: Any) -> bool:
        try:
            run()
        except AquinError as error:
            self.told.emit(error.line())
            return False
        return True

    def close_jump(self, side: str) -> None:
        """Close the jump on a side, or half on each; what that moves is measured again."""
        cut = self.desk.cut
        if cut is None or not self.session.writable:
            return
        moved = self.desk.moved_by(side)  # type: ignore[arg-type]
        reason = self.panel.reason.text() if not cut.meant else ""
        if self.attempt(lambda: self.desk.close(side, reason)):  # type: ignore[arg-type]
            also = f"; {moved} other cuts of its shots move, too" if moved else ""
            self.told.emit(f"The jump at cut {cut.position} is closed on the {side}{also}. Measured again.")
            self.measure()

    def mean(self, reason: str) -> None:
        if self.attempt(lambda: self.desk.mean(reason)):
            self.take_keyboard()

    def _taken(self) -> None:
        """A newer edit is conformed."""
        self.follow()
        if self.desk.changes:
            self.show_page("changes")

    def take_keyboard(self) -> None:
        self.strip.lanes.setFocus()

    def sizeHint(self) -> QSize:
        return QSize(1180, 680)

    @property
    def open_count(self) -> int:
        """Cuts that jump and are not meant so."""
        return len(self.desk.found.jumping) if self.desk.found is not None else 0

    def idle(self) -> bool:
        parts = (self._knowing, self._baking, self.smalls, self.thumbs, self.light, self.pair)
        return all(k.idle() for k in parts)

    def finish(self) -> None:
        for worker in (self._knowing, self._baking, self.smalls, self.thumbs, self.light, self.pair):
            worker.finish()


def _summary(found: Continuity | None) -> str:
    if found is None:
        return "Reading what is known."
    states: dict[str, int] = {}
    for cut in found.cuts:
        states[cut.state] = states.get(cut.state, 0) + 1
    said = ", ".join(f"{n} {state}" for state, n in sorted(states.items(), key=lambda s: -s[1]))
    lost = sum(p.shot is None for p in found.pieces)
    return f"{len(found.pieces)} pieces. Cuts: {said or 'none'}." + (
        f" {lost} not conformed." if lost else ""
    )
