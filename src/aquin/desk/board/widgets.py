"""What the Board is built from besides its grid: the head, and the panel of the selected cell."""

from collections.abc import Mapping, Sequence

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QListWidget, QPushButton, QWidget

from aquin.desk.commands import tip, words
from aquin.desk.kit import theme
from aquin.desk.kit.axes import disagreement, unsureness
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.columns import Columns
from aquin.desk.kit.labels import Words
from aquin.errors import AquinError
from aquin.measure.ledger import Row
from aquin.production import Production, Shot
from aquin.production.cells import Cell, ShotState, State
from aquin.production.matching import MODELS
from aquin.production.notes import open_notes
from aquin.production.shoot import CellKey

PANEL = 292
BUTTONS = (
    (("look", "board.look", False), ("agree", "board.agree", False)),
    (("hero", "board.hero", False), ("main", "board.main", False)),
    (("settle", "board.settle", False), ("spread", "board.spread", False)),
    (("measure", "board.measure", False), ("drift", "board.light", False)),
    (("stand", "board.propose", False),),
)
"""Rows of buttons: a name, its command, and whether the key stands on it."""


class BoardWidgets(QWidget):
    """The view gives them life."""

    def __init__(self) -> None:
        super().__init__()
        self.head = self._head()
        self.panel = self._panel()

    def _head(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.title = Words("Board")
        self.title.setFont(theme.font(theme.TITLE, True))
        self.count = Words("")
        self.count.set_role("dim")
        line.addWidget(self.title)
        line.addWidget(self.count)
        line.addStretch()
        self.model_box = QComboBox()
        self.model_box.setAccessibleName("Model of the balance")
        self.model_box.setToolTip(
            "What a camera's balance may be. Best: least leave-one-out residual, a simpler one when nearly "
            "as good. A CDL alone fits into one "
            "CDL file"
        )
        for name, title in MODELS.items():
            self.model_box.addItem(title.replace("3x3", "3×3"), name)
        self.settle_button = QPushButton("Settle all   ⇧S")
        self.settle_button.setProperty("main", True)
        self.settle_button.setToolTip("Match every cell to its setup's hero (Shift+S); the selected ones: S")
        line.addWidget(Words("balance"))
        line.addWidget(self.model_box)
        line.addWidget(self.settle_button)
        return line

    def _panel(self) -> QWidget:
        panel = QWidget()
        panel.setMinimumWidth(280)
        column = column_of(theme.GRID, panel, spacing=6)
        self.chosen_title = Words("")
        self.chosen_title.setFont(theme.font(theme.LARGE, True))
        self.chosen_title.setWordWrap(True)
        self.chosen_words = words_label()
        column.addWidget(self.chosen_title)
        column.addWidget(self.chosen_words)
        self.list = QListWidget()
        self.list.setItemDelegate(Columns(self.list))
        self.list.setAccessibleName("Shots of the cell")
        self.list.setToolTip("Enter looks at a shot on the Bench; H makes it the hero")
        column.addWidget(self.list, 1)
        self.shot_words = words_label()
        column.addWidget(self.shot_words)
        self.finding_words = Words("", wrap=True, strong=True)
        self.fix_button, self.findings_button = QPushButton(), QPushButton("Show in Shots")
        self.findings_button.setToolTip("All that speaks for it, and setting it aside with a reason")
        for widget in (self.finding_words, self.fix_button, self.findings_button):
            column.addWidget(widget)
        self.buttons: dict[str, QPushButton] = {}
        for row in BUTTONS:
            line = QHBoxLayout()
            line.setSpacing(6)
            for name, command, keys in row:
                button = self.buttons[name] = QPushButton(words(command, keys))
                button.setToolTip(tip(command))
                line.addWidget(button, 1)
            column.addLayout(line)
        return panel


def about(cell: Cell) -> str:
    """A cell in words: what it is, where its balance came from, what is off."""
    lines = []
    if cell.main == "main":
        lines.append("Main hero: the setups' heroes are matched to it.")
    elif cell.state is State.HERO:
        lines.append(
            "The setup's hero is of this camera." + (f" It is matched to {cell.main}." if cell.main else "")
        )
    if cell.state is State.NO_ENCODING:
        lines.append(
            "How it records is not decided: settling gives it the best encoding that its exposure series, its charts "
            "or its files tell; or choose one in Plan."
        )
    if cell.stand_in is not None:
        lines.append(
            f"Nobody chose how it records: read as {cell.stand_in.encoding} by {cell.stand_in.by}."
            + (
                " That is a guess: a chart or an exposure series, or your choice in Plan, would settle it."
                if cell.stand_in.doubtful
                else ""
            )
        )
    if cell.state is State.NO_CHART:
        lines.append("No chart that can be trusted was filmed; what both cameras saw is looked at instead.")
    if cell.state is State.FINDING:
        lines.append(
            "Within tolerance as measured, but something is wrong with a recording: look at its findings."
        )
    if cell.state is State.STALE:
        lines.append("Something it was made from has changed: settle it again.")
    if cell.origin:
        lines.append(cell.origin[0].upper() + cell.origin[1:].replace("3x3", "3×3") + ".")
    if cell.rows:
        off = [r.axis.name for r in cell.rows if not r.within and not r.doubtful]
        lines.append(
            f"Measured by {by_words(cell.by)}." + (f" Out of tolerance: {', '.join(off)}." if off else "")
        )
        lines += doubt_lines(cell.rows)
    return "\n".join(lines)


def about_shot(state: ShotState) -> str:
    """A shot in words: what it is measured by, what is off, its own trim, its note."""
    off = [r.axis.name for r in state.rows if not r.within and not r.doubtful]
    words = f"{state.shot.name}: "
    words += f"measured by {by_words(state.by)}" if state.rows else "not measured"
    words += f"; out of tolerance: {', '.join(off)}" if off else ""
    words += f"; its own trim: {state.own}" if state.own else ""
    words += f". Note: {state.shot.note}" if state.shot.note else ""
    return "\n".join([words, *doubt_lines(state.rows)])


def doubt_lines(rows: Sequence[Row]) -> list[str]:
    """What is not known well enough, and what would settle it; and where chart and pictures disagree."""
    return [line for line in (unsureness(rows), disagreement(rows)) if line]


def by_words(by: str) -> str:
    names = {"chart": "chart", "points": "the same points", "statistics": "statistics", "": "its shots"}
    return " and ".join(names.get(b, b) for b in by.split("+"))


HOW = "S settles the selected cells to their heroes, Shift+S all of them."
"""Stands where the result of settling will: the grid never moves."""


def words_label() -> QLabel:
    label = Words("")
    label.setWordWrap(True)
    label.set_role("soft")
    return label


def said_of_shot(production: Production | None, state: ShotState) -> str:
    """How a shot stands, in the list below the grid."""
    many = len(open_notes(production, state.shot.id)) if production is not None else 0
    notes = f", {many} note{'s' if many > 1 else ''}" if many else ""
    return state.word + (", agreed" if state.agreed else "") + notes


def nothing_here(production: Production | None, found: Mapping[CellKey, Cell] | AquinError | None) -> str:
    """What stands where there are no cells; None: they were not looked for yet."""
    if production is None:
        return "Open a production, or press Demo on the left."
    if isinstance(found, AquinError):
        return found.line()
    if found is None:
        return "Looking at what is known of the shots \u2026"
    if production.all(Shot):
        return "No recording has a camera and a setup yet: say them in Shots."
    return "Nothing is logged yet: drop the media of the shoot into Shots."
