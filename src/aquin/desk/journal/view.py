"""The Journal view: who, when, what, why; filtered; before and after as pictures; undo from there."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtGui import QImage
from PySide6.QtWidgets import QComboBox, QPlainTextEdit, QPushButton, QWidget

from aquin.desk.commands import tip, words
from aquin.desk.journal.state import JournalDesk, key_of
from aquin.desk.kit import theme
from aquin.desk.kit.ask import EXPORTS, ask_save
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.filter_field import FilterField
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.desk.kit.labels import Words
from aquin.desk.kit.paged import columns_of
from aquin.desk.kit.plain_table import PlainTable
from aquin.desk.kit.sheet import Cell, Sheet
from aquin.desk.session_view import SessionView
from aquin.errors import AquinError
from aquin.production import Camera, Shot
from aquin.production.diary import Line, names_of, told

if TYPE_CHECKING:
    from aquin.desk.session import Session

PAPERS = "Comma-separated (*.csv);;HTML (*.html);;PDF (*.pdf)"


class JournalView(SessionView):
    """Every decision, sought through; undo from there."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__(session, jobs)
        self.desk = JournalDesk()
        self._reading, self._drawing = Latest(self), Latest(self)
        self._reading.ready.connect(self._read)
        self._drawing.ready.connect(self._drawn)
        self._of: object = None
        self._choices: dict[str, list[tuple[str, str]]] = {}
        """What each filter offers now."""
        self._build()
        session.opened.connect(self.opened)
        session.changed.connect(self.follow_shown)

    def _build(self) -> None:
        self.columns = columns_of((self._left(), self._right()), [770, 418], 0)
        line_of(0, self).addWidget(self.columns)

    def _left(self) -> QWidget:
        left = QWidget()
        column = column_of((8, 8, 8, 8), left, spacing=6)
        head = line_of(0, spacing=6)
        head.addWidget(Words("Journal", size=theme.LARGE, strong=True))
        self.summary = Words("", role="dim").gives_way()
        head.addWidget(self.summary, 1)
        self.write_button = QPushButton(words("journal.write"))
        self.write_button.setToolTip(tip("journal.write"))
        self.write_button.clicked.connect(self.ask_write)
        head.addWidget(self.write_button)
        column.addLayout(head)
        line = line_of(0, spacing=6)
        self.text = FilterField("words", "Words in what was done, or why")
        self.text.left.connect(self.take_keyboard)
        self.text.textChanged.connect(lambda t: self._want(text=t))
        line.addWidget(self.text, 2)
        self.boxes: dict[str, QComboBox] = {}
        for name, said in (
            ("who", "anybody"),
            ("shot_id", "any shot"),
            ("camera_id", "any camera"),
            ("day", "any day"),
            ("kind", "anything"),
        ):
            box = self.boxes[name] = QComboBox()
            box.setAccessibleName(f"Filter: {said}")
            box.addItem(said, "")
            box.activated.connect(lambda _, n=name: self._want(**{n: str(self.boxes[n].currentData() or "")}))
            line.addWidget(box, 1)
        column.addLayout(line)
        self.table = PlainTable("Entries", ("", "when", "who", "what", "why", "concerns"), wide=(3, 4))
        self.table.setToolTip("Enter looks at the shot on the Bench")
        self.table.chosen.connect(self._choose)
        self.table.taken.connect(self._looked)
        column.addWidget(self.table, 1)
        return left

    def _right(self) -> QWidget:
        right = QWidget()
        column = column_of((8, 8, 8, 8), right, spacing=6)
        self.title = Words("", size=theme.LARGE, strong=True, wrap=True)
        self.about = Words("", role="dim", wrap=True)
        column.addWidget(self.title)
        column.addWidget(self.about)
        self.sheet = Sheet()
        column.addWidget(self.sheet, 1)
        self.changes = QPlainTextEdit()
        self.changes.setReadOnly(True)
        self.changes.setTabChangesFocus(True)
        self.changes.setAccessibleName("What the entry changed")
        column.addWidget(self.changes, 1)
        self.undo_button = QPushButton("")
        self.undo_button.clicked.connect(self.take_back)
        column.addWidget(self.undo_button)
        right.setMinimumWidth(280)
        return right

    # showing

    def opened(self) -> None:
        """Another production, or none."""
        self.desk = JournalDesk(self.production)
        self._of = None
        self.text.clear()
        self.refresh()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Read what is new, beside this thread."""
        production = self.production
        self.desk.production = production
        if production is None or not self.isVisible():
            return
        key = (production, self.session.revision)
        if key != self._of:
            self._of = key
            self._reading.ask(partial(_lines, key, production))

    def _read(self, made: tuple[Any, Any, str]) -> None:
        key, lines, trouble = made
        if key != self._of:
            return
        if trouble:
            self.told.emit(trouble)
            return
        self.desk.lines = tuple(lines)
        self._fill()
        self._show()

    def _fill(self) -> None:
        """What can be chosen by."""
        production, desk = self.production, self.desk
        assert production is not None
        shots = sorted((s for s in production.all(Shot) if s.kind == "shot"), key=lambda s: s.name)
        choices = {
            "who": [(p, p) for p in desk.people],
            "shot_id": [(s.name, s.id) for s in shots],
            "camera_id": [(c.name, c.id) for c in production.all(Camera)],
            "day": [(d, d) for d in desk.days],
            "kind": [(k, k) for k in desk.kinds],
        }
        for name, found in choices.items():
            box = self.boxes[name]
            if self._choices.get(name) == found:
                continue
            self._choices[name] = found
            kept = box.currentData()
            while box.count() > 1:
                box.removeItem(1)
            for title, data in found:
                box.addItem(title, data)
            box.setCurrentIndex(max(box.findData(kept), 0))

    def _want(self, **changes: str) -> None:
        self.desk.want(**changes)
        self._show()

    def _show(self) -> None:
        production = self.production
        if production is None:
            return
        shown = self.desk.shown
        self.summary.setText(f"{len(shown)} of {len(self.desk.lines)} entries")
        self.table.show_many(
            [key_of(line) for line in shown],
            lambda k: _cells(production, shown[k]),
            lambda k: bool(shown[k].merged) or shown[k].step == "undo",
        )
        if shown and self.table.currentRow() < 0:
            self.table.setCurrentCell(0, 0)
        self._show_line()

    def _choose(self, key: str) -> None:
        self.desk.chosen = key
        self._show_line()

    def _show_line(self) -> None:
        production, line = self.production, self.desk.line
        self.sheet.show_cells([""], [""], [])
        self.undo_button.setVisible(line is not None)
        if production is None or line is None:
            self.title.setText("")
            self.about.setText("")
            self.changes.setPlainText("")
            return
        self.title.setText(line.words)
        where = f" at {line.seat}" if line.seat else ""
        why = f". Why: {line.why}" if line.why else ""
        brought = f"; it came with entry {line.merged}" if line.merged else ""
        self.about.setText(f"{line.at[:16].replace('T', ' ')} UTC, {line.who}{where}{brought}{why}")
        lines = told(production, line)
        self.changes.setPlainText("\n".join(lines) or "What it changed came with the merge.")
        many = self.desk.back_to(line)
        self.undo_button.setEnabled(many > 0 and self.session.writable)
        words_of = {0: "Not yours to take back from here", 1: "Take this back"}
        self.undo_button.setText(words_of.get(many, f"Take back this and {many - 1} later steps of yours"))
        shot = self._shot_of(line) if "grade" in line.kinds else None
        self.sheet.setVisible(shot is not None)  # no empty frame where there is nothing to be seen
        if shot is not None:
            self._drawing.ask(partial(_pictures, key_of(line), production, self.config, line, shot))

    def _shot_of(self, line: Line) -> Shot | None:
        """The shot that shows a line: the one that is filtered for, else the first that it concerns."""
        production = self.production
        assert production is not None
        ids = [self.desk.sieve.shot_id, *sorted(line.shots)]
        found = next(
            (s for i in ids if (s := production.find(Shot, i)) is not None and s.kind == "shot"), None
        )
        if found is not None:
            return found
        return next(
            (
                s
                for s in production.all(Shot)
                if s.kind == "shot" and s.camera_id in line.cameras and s.setup_id in line.setups
            ),
            None,
        )

    def _drawn(self, made: tuple[str, str, Any]) -> None:
        key, name, pictures = made
        if key != self.desk.chosen or pictures is None:
            return
        images = [QImage.fromData(p) for p in pictures]
        said = (f"{name} before", f"{name} after")
        self.sheet.show_cells([""], ["", ""], [Cell(i, 0, k, said[k]) for k, i in enumerate(images)])

    # doing

    def _looked(self, key: str) -> None:
        line = next((one for one in self.desk.lines if key_of(one) == key), None)
        shot = self._shot_of(line) if line is not None else None
        if shot is not None:
            self.looked_at.emit(shot)

    def take_back(self) -> None:
        """Undo this person's steps up to the chosen one; where others have worked on the same since, it stops."""
        production, line = self.production, self.desk.line
        many = 0 if line is None else self.desk.back_to(line)
        if production is None or not many:
            self.told.emit("Only your own steps at this workstation are taken back.")
            return
        done = 0
        try:
            for _ in range(many):
                if production.undo() is None:
                    break
                done += 1
        except AquinError as error:
            self.told.emit(f"{done} of {many} steps taken back: {error.line()}")
        else:
            self.told.emit(f"{done} steps taken back." if done != 1 else "Taken back.")
        self.session.touch()

    def ask_write(self) -> None:
        production = self.production
        if production is None:
            return
        name = f"{production.path.stem}-journal.csv"
        path, _ = ask_save(self, "The journal as it is filtered", EXPORTS, name, PAPERS)
        if path is None:
            return
        lines = self.desk.shown

        def work() -> str:
            from aquin.exchange.journal_paper import write_journal

            assert production is not None
            write_journal(path, production, lines, True)
            return path.name

        self.jobs.start(
            "journal", f"writing {path.name}", work, lambda n: self.told.emit(f"Wrote {n}."), self.told.emit
        )

    def step(self, by: int) -> None:
        if self.table.rowCount():
            self.table.setCurrentCell(min(max(self.table.currentRow() + by, 0), self.table.rowCount() - 1), 0)

    def take_keyboard(self) -> None:
        self.table.setFocus()

    @property
    def open_count(self) -> int:
        return 0

    def idle(self) -> bool:
        return self._reading.idle() and self._drawing.idle()

    def finish(self) -> None:
        self._reading.finish()
        self._drawing.finish()


def _cells(production: Any, line: Line) -> tuple[str, ...]:
    number = f"{line.merged}.{line.number}" if line.merged else str(line.number)
    when = line.at[:16].replace("T", " ")
    return number, when, line.who, line.words, line.why, names_of(production, line)


def _lines(key: Any, production: Any) -> tuple[Any, Any, str]:
    from aquin.production.diary import lines_of

    try:
        return key, lines_of(production), ""
    except AquinError as error:
        return key, (), error.line()


def _pictures(key: str, production: Any, config: Any, line: Line, shot: Shot) -> tuple[str, str, Any]:
    """JPEG of the shot's middle frame with the grades before and after."""
    from aquin.jobs.before_after import before_after

    try:
        return key, shot.name, before_after(production, config, line, shot)
    except AquinError:
        return key, shot.name, None
