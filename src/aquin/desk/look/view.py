"""The Look view: the production's looks, the chosen one over a shot, several over several shots, a reference apart."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QStackedWidget, QWidget

from aquin.desk.commands import tip, words
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.choices import Choices
from aquin.desk.kit.empty import Empty
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.desk.kit.labels import Words
from aquin.desk.kit.paged import PageBar, columns_of, scrolled
from aquin.desk.kit.section import Section
from aquin.desk.kit.sheet import Cell, Sheet, image_of
from aquin.desk.kit.timers import later
from aquin.desk.look.apart import ApartSheet, FitAgain
from aquin.desk.look.dialogs import LookDialogs
from aquin.desk.look.parts import Parts
from aquin.desk.look.state import MOST_SHOTS, LookDesk
from aquin.desk.session_view import SessionView
from aquin.errors import AquinError

if TYPE_CHECKING:
    from aquin.colour.baked import BakedView
    from aquin.desk.session import Session
    from aquin.look.look import Look

PAGES = ("picture", "compare", "apart")
TITLES = {"picture": "with and without", "compare": "looks over shots", "apart": "reference apart"}
LATER_MS = 60


class LookView(SessionView):
    """Looks over shots, and a reference taken apart."""

    told = Signal(str)
    stated = Signal()

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__(session, jobs)
        self.desk = LookDesk()
        self.baked: BakedView | None = None
        self.dialogs = LookDialogs(self, self)
        self._drawing, self._reading = Latest(self), Latest(self)
        self._drawing.ready.connect(self._drawn)
        self._reading.ready.connect(self._read)
        self._material_of: tuple[Any, ...] = ()
        self._later = later(self, self.draw, LATER_MS)
        self._build()
        session.opened.connect(self.opened)
        session.changed.connect(self.follow_shown)
        session.screened.connect(self._screened)
        self.show_page("picture")

    # building

    def _build(self) -> None:
        self.empty = Empty("No look yet")
        left = self._left()
        self.parts = Parts()
        section = Section("look parts", "Parts", keep=False)
        section.column.addWidget(self.parts)
        holder = QWidget()
        lines = column_of((2, 2, 2, 4), holder)
        lines.addWidget(section)
        lines.addStretch()
        right = scrolled(holder, 300)
        self.columns = columns_of((left, self._middle(), right), [186, 690, 312], 1)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.columns)
        self.stack.addWidget(self.empty)
        line_of(0, self).addWidget(self.stack)
        for button, run in (
            (self.use_button, self.toggle_use),
            (self.new_button, self.new),
            (self.import_button, self.dialogs.ask_import),
            (self.still_button, self.dialogs.ask_still),
            (self.library_button, self.dialogs.show_library),
            (self.scope_button, self.dialogs.ask_scope),
        ):
            button.clicked.connect(run)
        self.parts.changed.connect(self._edited)
        self.parts.ended.connect(self._ended)

    def _left(self) -> QWidget:
        self.list = Choices(
            "Looks", "The production's looks; a filled mark is on. A click or Enter chooses one"
        )
        self.list.taken.connect(self.choose)
        self.use_button, self.new_button = QPushButton(), QPushButton("New")
        self.import_button, self.still_button = (
            QPushButton(words("look.import")),
            QPushButton(words("look.still")),
        )
        self.library_button, self.scope_button = QPushButton("Library …"), QPushButton("For setups …")
        left = QWidget()
        column = column_of((8, 8, 8, 8), left, spacing=4)
        title = Words("Looks")
        title.setFont(theme.font(theme.LARGE, True))
        column.addWidget(title)
        column.addWidget(self.list)
        for button, id in (
            (self.use_button, "look.use"),
            (self.new_button, "look.new"),
            (self.still_button, "look.still"),
            (self.import_button, "look.import"),
            (self.library_button, "look.library"),
            (self.scope_button, "look.scope"),
        ):
            button.setToolTip(tip(id))
            column.addWidget(button)
        self.use_button.setProperty("main", True)
        column.addStretch()
        self.price = Words("", role="dim", size=theme.SMALL, wrap=True)
        column.addWidget(self.price)
        left.setMinimumWidth(176)
        return left

    def _middle(self) -> QWidget:
        body = QWidget()
        column = column_of(0, body, spacing=0)
        self.bar = bar = PageBar(TITLES, self.show_page)
        self.shot_label = Words("", role="dim")
        self.shot_label.setContentsMargins(0, 0, 8, 0)
        self.with_button = QPushButton("look shown")
        self.with_button.setCheckable(True)
        self.with_button.setChecked(True)
        self.with_button.setProperty("quiet", True)
        self.with_button.setToolTip(tip("look.shown"))
        self.with_button.toggled.connect(self._toggle_shown)
        bar.addWidget(self.shot_label)
        bar.addWidget(self.with_button)
        self.sheet, self.apart, self.again = Sheet(), ApartSheet(), FitAgain()
        self.again.alone.clicked.connect(lambda: self.dialogs.fit_again(alone=True))
        self.again.bold.clicked.connect(lambda: self.dialogs.fit_again(bold=True))
        self.sheet.resized.connect(self._later.start)
        self.sheet.picked.connect(self._picked)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.sheet)
        apart = QWidget()
        rows = column_of(0, apart, spacing=0)
        rows.addWidget(self.apart, 1)
        rows.addWidget(self.again)
        self.pages.addWidget(apart)
        column.addLayout(bar)
        column.addWidget(self.pages, 1)
        return body

    # showing

    def opened(self) -> None:
        """Another production, or none."""
        self.desk.production, self.desk.config = self.production, self.config
        self.desk.material, self.desk.dissected, self._material_of = [], None, ()
        self.baked = None
        self.follow()

    def follow(self) -> None:
        """The production changed, here or elsewhere."""
        self.desk.production, self.desk.config = self.production, self.config
        self.desk.read()
        self.refresh()

    def refresh(self) -> None:
        desk = self.desk
        if self.production is None:
            self.empty.say(
                "Looks belong to a production. Open one, or the demo.", "Demo", self.dialogs.ask_demo
            )
            self.stack.setCurrentIndex(1)
            return
        if not desk.held:
            self.empty.say(
                "No look yet. Take one from a reference still, import a look file, or begin an empty one: balance "
                "with it off, and switch it on at the end.",
                words("look.still"),
                self.dialogs.ask_still,
                (
                    (words("look.import"), self.dialogs.ask_import),
                    (words("look.new"), self.new),
                    (words("look.library"), self.dialogs.show_library),
                ),
            )
        self.stack.setCurrentIndex(0 if desk.held or desk.dissected else 1)
        self.list.clear()
        for id, columns, said in desk.rows():
            self.list.put(id, columns, said)
        at = next((k for k, h in enumerate(desk.held) if h.record.id == desk.chosen), -1)
        self.list.setCurrentRow(at)
        self.list.fit(3, 12)
        current, writable = desk.current, self.session.writable
        self.parts.show_look(desk.look)
        self.parts.setEnabled(desk.look is not None and writable)
        on = current is not None and current.record.on
        self.use_button.setText("Switch it off   ⇧L" if on else "Switch it on   ⇧L")
        for button in (self.use_button, self.scope_button):
            button.setEnabled(current is not None and writable)
        for button in (self.new_button, self.import_button, self.still_button):
            button.setEnabled(writable)
        self.bar.buttons["apart"].setEnabled(desk.dissected is not None)
        self.apart.show_found(desk.dissected)
        self.again.show_found(desk.dissected, writable)
        self._ask_material()
        self.draw()
        self.stated.emit()

    def show_page(self, page: str) -> None:
        self.bar.mark(page)
        self.pages.setCurrentIndex(1 if page == "apart" else 0)
        self.draw()

    @property
    def page(self) -> str:
        return self.bar.page

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.follow()

    def _screened(self) -> None:
        self.baked = None
        self.refresh()

    # pictures

    def _ask_material(self) -> None:
        """Read the heroes' graded pictures, beside this thread; again when grades have changed."""
        production, config = self.production, self.config
        if production is None or not self.isVisible():
            return
        from aquin.jobs.look_work import material, usual_shots
        from aquin.production.grading import held_grade

        shots = usual_shots(production)
        if (own := self.session.shot) is not None and own.kind == "shot" and own not in shots:
            shots = [own, *shots]
        shots = shots[:MOST_SHOTS]
        key = (self.session.screen, *((s.id, s.encoding, repr(held_grade(production, s))) for s in shots))
        if key == self._material_of:
            return
        self._material_of = key
        screen = self.session.screen

        def work() -> Any:
            from aquin.colour.baked import baked_view

            baked = baked_view(config.view(*screen))
            try:
                return key, baked, material(production, config, shots), ""
            except AquinError as error:
                return key, baked, [], error.line()

        self._reading.ask(work)

    def _read(self, found: Any) -> None:
        key, self.baked, self.desk.material, trouble = found
        if key != self._material_of:
            return
        if trouble:
            self.told.emit(trouble)
        self.desk.shot = min(self.desk.shot, max(len(self.desk.material) - 1, 0))
        self.draw()

    def draw(self) -> None:
        """Ask for the pictures that are to be seen; only the latest wish is worked on."""
        desk, baked = self.desk, self.baked
        if baked is None or not desk.material or self.page == "apart" or not self.isVisible():
            return
        one = desk.material[desk.shot]
        self.shot_label.setText(one.shot.name)
        if self.page == "picture":
            look = desk.look if desk.with_look else None
            self._drawing.ask(partial(_pair, baked, one.picture, look, desk.look))
        else:
            looks = [None, *desk.compared]
            self._drawing.ask(
                partial(_grid, baked, list(desk.material), looks, (self.production, self.config))
            )

    def _drawn(self, made: tuple[list[str], list[str], list[Cell], str]) -> None:
        heads, sides, cells, price = made
        chosen = 1 if self.page == "compare" and len(heads) > 1 else -1
        self.sheet.show_cells(heads, sides, cells, chosen)
        self.price.setText(price)

    def _picked(self, column: int, row: int) -> None:
        """A picture of the grid: its look is chosen, and its shot is the one shown large."""
        if self.page != "compare":
            return
        self.desk.shot = row
        if column:
            look = self.desk.compared[column - 1]
            self.choose(next(h.record.id for h in self.desk.held if h.name == look.name))
        self.draw()

    def _toggle_shown(self, on: bool) -> None:
        self.with_button.setText("look shown" if on else "look hidden")
        self.desk.with_look = on
        self.draw()

    def compare(self) -> None:
        """Looks over shots, or one shot again."""
        self.show_page("picture" if self.page == "compare" else "compare")

    def step(self, by: int) -> None:
        """Another of the shots."""
        if self.desk.material:
            self.desk.shot = (self.desk.shot + by) % len(self.desk.material)
            self.draw()

    # decisions

    def attempt(self, run: Any) -> None:
        try:
            run()
        except AquinError as error:
            self.told.emit(error.line())
            self.refresh()

    def choose(self, id: str) -> None:
        self.desk.chosen, self.desk.draft = id, None
        self.refresh()

    def _edited(self, look: Look, what: str, dragging: bool) -> None:
        self.desk.draft = look
        self._what = what
        if dragging:
            self.draw()
        else:
            self.attempt(lambda: self.desk.keep(look, what))

    def _ended(self) -> None:
        if (draft := self.desk.draft) is not None:
            self.attempt(lambda: self.desk.keep(draft, self._what))

    def toggle_use(self) -> None:
        held = self.desk.current
        if held is not None:
            self.attempt(lambda: self.desk.use(not held.record.on))

    def new(self) -> None:
        from aquin.look.look import Look

        self.attempt(lambda: self.desk.add(Look("look"), "new look"))

    def drop(self) -> None:
        self.attempt(self.desk.drop)

    def dissected(self, found: Any) -> None:
        """A still was taken apart: its look is kept, off, at the usual strength."""
        from aquin.look.look import USUAL

        self.desk.dissected = found
        if self.baked is not None:
            self.apart.still = _seen(self.baked, found.still, None)
            self.apart.shot = _seen(self.baked, found.shown, found.fitted.look)
        if not found.fitted.look.neutral:
            self.attempt(lambda: self.desk.add(replace(found.fitted.look, strength=USUAL), "fit to a still"))
        else:
            self.told.emit("Too little in common for a careful fit: no look is made.")
        self.refresh()
        self.show_page("apart")
        if found.fitted.look.neutral:
            self.again.take_keyboard()

    def take_keyboard(self) -> None:
        self.sheet.setFocus()

    @property
    def open_count(self) -> int:
        return 0

    def idle(self) -> bool:
        return self._drawing.idle() and self._reading.idle() and not self._later.isActive()

    def finish(self) -> None:
        self._drawing.finish()
        self._reading.finish()


def _seen(baked: BakedView, picture: Any, look: Look | None) -> Any:
    shown = picture if look is None else np.asarray(look.picture(picture), np.float32)
    return image_of(np.asarray(baked.process(shown)))


def _pair(baked: BakedView, picture: Any, look: Look | None, priced: Look | None) -> Any:
    from aquin.look.price import price_of

    said = "without a look" if look is None else f"{look.name}, {100 * look.strength:.0f} %"
    first, second = Cell(_seen(baked, picture, None), 0, 0, "without a look"), _seen(baked, picture, look)
    price = "" if priced is None else f"Costs on this shot: {price_of(picture, priced, baked.process).words}."
    return [""], ["", ""], [first, Cell(second, 0, 1, said)], price


def _grid(baked: BakedView, material: list[Any], looks: list[Any], of: tuple[Any, Any]) -> Any:
    """`of`: the production and its configuration, for how far each shot is from its hero under each look."""
    from aquin.jobs.look_work import COLOUR, spread_by, spread_words
    from aquin.look.price import price_of
    from aquin.production.cells import tolerances_of

    cells, tolerance = [], tolerances_of(of[0]).get("colour", COLOUR)
    for row, one in enumerate(material):
        step = max(one.picture.shape[1] // 320, 1)
        few = np.ascontiguousarray(one.picture[::step, ::step])
        for column, look in enumerate(looks):
            below = one.shot.name
            if look is not None:
                gaps = spread_by(*of, one.shot, look, baked.process)
                said = [price_of(few, look, baked.process).words, spread_words(gaps, tolerance)]
                below = f"costs {'; '.join(s for s in said if s)}"
            cells.append(Cell(_seen(baked, few, look), column, row, below))
    heads = ["without a look", *(f"{k.name}, {100 * k.strength:.0f} %" for k in looks[1:])]
    return heads, [m.shot.name for m in material], cells, ""
