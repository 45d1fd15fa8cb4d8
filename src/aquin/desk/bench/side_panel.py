"""The Bench's right side: ledger, stack, alternatives and export."""

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QObject, Qt, Signal, SignalInstance
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from aquin.charts.solve import Solution
from aquin.desk.bench.ledger import Ledger
from aquin.desk.bench.regions import Regions
from aquin.desk.bench.stack import Stack
from aquin.desk.bench.state import Bench
from aquin.desk.kit import theme
from aquin.desk.kit.columns import COLUMNS, Columns
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.match.engine import Match, Weight


class Note(QPlainTextEdit):
    """`written` carries the text when the person has left the field."""

    written = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Note on the shot")
        self.setTabChangesFocus(True)
        self.setFixedHeight(64)
        self._kept = ""

    def show_text(self, text: str) -> None:
        if not self.hasFocus():
            self._kept = text
            if text != self.toPlainText():
                self.setPlainText(text)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        text = self.toPlainText().strip()[:4000]
        if text != self._kept:
            self._kept = text
            self.written.emit(text)


class SidePanel(QScrollArea):
    """Widgets only. `hovered` and `taken` carry a model's name (with `@skin` for the solution for skin); `hovered` an empty one when the
    pointer leaves."""

    settle_all = Signal()
    hovered = Signal(str)
    taken = Signal(str)
    export = Signal()
    again = Signal()
    strength_changed = Signal(float)
    history = Signal()
    tolerances = Signal()
    note_written = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.actions_made: dict[str, QPushButton] = {}
        panel = QWidget()
        self._column = QVBoxLayout(panel)
        self._column.setContentsMargins(4, 6, 4, 6)
        self._column.setSpacing(4)
        self.evidence = self._heading("Ledger", (("history", self.history), ("tolerances", self.tolerances)))
        self.by = Words("")
        self.by.setFont(theme.font(theme.SMALL))
        self.by.set_role("dim padded")
        self.by.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._column.addWidget(self.by)
        self.ledger = Ledger()
        self._column.addWidget(self.ledger)
        self._settle_buttons()
        self._heading("Stack").setText("drag, type or step a number")
        self.stack = Stack()
        self._column.addWidget(self.stack)
        self._heading("Regions").setText("parts with a trim of their own")
        self.regions = Regions()
        self._column.addWidget(self.regions)
        self.over = self._heading("Alternatives")
        self._alternatives()
        self._export()
        self._notes()
        self._column.addStretch()
        self.setWidget(panel)
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(330)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def _heading(self, text: str, actions: Sequence[tuple[str, SignalInstance]] = ()) -> QLabel:
        line = QHBoxLayout()
        line.setContentsMargins(8, 2, 8, 0)
        title, aside = Words(text), Words("")
        title.setFont(theme.font(theme.LARGE, True))
        aside.set_role("dim")
        aside.setFont(theme.font(theme.SMALL))
        line.addWidget(title)
        for name, signal in actions:
            button = self.actions_made[name] = QPushButton(name)
            button.setProperty("quiet", True)
            button.setFont(theme.font(theme.SMALL))
            button.clicked.connect(signal)
            line.addWidget(button)
        line.addStretch()
        line.addWidget(aside)
        self._column.addLayout(line)
        return aside

    def _settle_buttons(self) -> None:
        line = QHBoxLayout()
        line.setContentsMargins(8, 2, 8, 4)
        self.settle_button, self.settle_all_button = (
            QPushButton("Settle row   S"),
            QPushButton("Settle all   ⇧S"),
        )
        self.settle_button.setToolTip("Bring the selected axis to the hero and leave the rest")
        self.settle_all_button.setToolTip(
            "Take the solution of least leave-one-out residual that fits into a CDL"
        )
        self.settle_all_button.setProperty("main", True)
        self.settle_button.clicked.connect(lambda: self.ledger.settle.emit(self.ledger.selected))
        self.settle_all_button.clicked.connect(self.settle_all)
        line.addWidget(self.settle_button, 1)
        line.addWidget(self.settle_all_button, 1)
        self._column.addLayout(line)

    def _alternatives(self) -> None:
        made = self.alternatives = QListWidget()
        made.setItemDelegate(Columns(made))
        made.setAccessibleName("Alternatives")
        made.setToolTip(
            "What each model leaves. The pointer or the arrow keys preview, a click or Enter takes it; Escape goes back"
        )
        made.setFixedHeight(6 * 25 + 4)
        made.setMouseTracking(True)
        made.itemEntered.connect(self._hover)
        made.currentItemChanged.connect(lambda item, _: self._hover(item) if made.hasFocus() else None)
        made.itemClicked.connect(self._take)
        made.itemActivated.connect(self._take)
        made.viewport().installEventFilter(self)
        made.installEventFilter(self)
        self._column.addWidget(made)
        line = QHBoxLayout()
        line.setContentsMargins(8, 0, 8, 0)
        label = Words("strength %")
        self.strength = Number("strength of what is taken", "%", 100.0, 5.0, 0.0, 100.0, 0)
        self.strength.changed.connect(lambda value, _: self.strength_changed.emit(value / 100))
        self.again_button = QPushButton("second pass")
        self.again_button.setProperty("quiet", True)
        self.again_button.setToolTip(
            "Fit a tone curve and a hue warp to what the present grade leaves, if pairs that are left out agree"
        )
        self.again_button.clicked.connect(self.again)
        line.addWidget(label)
        line.addWidget(self.strength)
        line.addStretch()
        line.addWidget(self.again_button)
        self._column.addLayout(line)

    def _export(self) -> None:
        self.export_button = QPushButton("Export the grade…")
        self.export_button.setToolTip(
            "Write the grade as .cdl, .cc, .ccc, .clf or .cube, and prove the file (Ctrl+E)"
        )
        self.export_button.clicked.connect(self.export)
        line = QHBoxLayout()
        line.setContentsMargins(8, 4, 8, 0)
        line.addWidget(self.export_button)
        self._column.addLayout(line)
        self.export_note = Words("")
        self.export_note.setWordWrap(True)
        self.export_note.setFont(theme.font(theme.SMALL))
        self.export_note.set_role("soft padded")
        self.export_note.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._column.addWidget(self.export_note)

    def _notes(self) -> None:
        """A note on the shot, kept with it."""
        self._heading("Note").setText("kept with the shot")
        self.note = Note()
        self.note.written.connect(self.note_written)
        self._column.addWidget(self.note)

    def show_note(self, text: str | None) -> None:
        """The shot's note; None where the shot is not the production's."""
        self.note.setEnabled(text is not None)
        self.note.setPlaceholderText(
            "What the next person should know of this shot"
            if text is not None
            else "Only shots of a production keep notes"
        )
        self.note.show_text(text or "")

    def show_solutions(self, match: Match | None, bench: Bench) -> None:
        """The models with what they leave, for the whole frame and for skin side by side; a filled mark on the one in use."""
        self.alternatives.clear()
        with_skin = match is not None and bool(match.other)
        self.over.setText(
            ""
            if match is None
            else "dE00: frame, left out, skin"
            if with_skin
            else "dE00 on the evidence     left out"
        )
        shown: list[tuple[Weight, Solution]] = []
        for solution in match.solutions if match else ():
            shown.append(("frame", solution))
            shown += [("skin", s) for s in (match.other if match else ()) if s.model == solution.model]
        preferred = match.solution() if match is not None else None
        for weight, solution in shown:
            taken = bench.taken(solution) == bench.grade
            name = solution.title + (" for skin" if weight == "skin" else "")
            numbers = [f"{solution.mean:.2f}", f"{solution.loo:.2f}"]
            words = f"{name}: {numbers[0]} dE00, leave-one-out {numbers[1]}"
            if match is not None and with_skin:
                numbers.append(f"{match.on_skin[weight, solution.model]:.2f}")
                words += f", on skin {numbers[2]}"
            words += ", not for a CDL" if solution.grade.beyond_cdl else ""
            item = QListWidgetItem(
                words + (", taken" if taken else "") + (", best" if solution is preferred else "")
            )
            item.setToolTip(words)
            item.setData(Qt.ItemDataRole.UserRole, solution.model + ("@skin" if weight == "skin" else ""))
            mark = "●" if taken else "◐" if solution is preferred else "○"
            item.setData(COLUMNS, (mark, name, *numbers))
            self.alternatives.addItem(item)
        self.alternatives.setFixedHeight(min(max(len(shown), 6), 8) * 25 + 4)
        for button in (self.settle_button, self.settle_all_button, self.again_button):
            button.setEnabled(bool(shown))

    def _hover(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.hovered.emit(str(item.data(Qt.ItemDataRole.UserRole)))

    def _take(self, item: QListWidgetItem) -> None:
        self.taken.emit(str(item.data(Qt.ItemDataRole.UserRole)))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        left = kind == QEvent.Type.Leave or (watched is self.alternatives and kind == QEvent.Type.FocusOut)
        escape = (
            isinstance(event, QKeyEvent) and kind == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape
        )
        if left or escape:
            self.hovered.emit("")
        return escape
