"""The cut that is looked at: its axes with their gauges and who judges them, and what can be done about it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QLineEdit, QPushButton, QSizePolicy, QWidget

from aquin.desk.commands import tip, words
from aquin.desk.continuity.state import difference_words
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.gauge import draw_gauge
from aquin.desk.kit.labels import Words

if TYPE_CHECKING:
    from collections.abc import Sequence

    from aquin.production.cut.judged import Cut, Jump

ROW = 34


class Axes(QWidget):
    """One row an axis."""

    def __init__(self) -> None:
        super().__init__()
        self.jumps: tuple[Jump, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Axes at this cut")

    def show_jumps(self, jumps: tuple[Jump, ...]) -> None:
        self.jumps = jumps
        self.setFixedHeight(max(ROW * len(jumps), ROW))
        said = [
            f"{j.axis} {difference_words(j)}{', jumps' if j.jumps else ', not judged' if not j.judged else ''}"
            for j in jumps
        ]
        self.setAccessibleDescription("; ".join(said))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(300, max(ROW * len(self.jumps), ROW))

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        for k, jump in enumerate(self.jumps):
            y = ROW * k
            loud = theme.BRIGHT if jump.jumps else theme.TEXT if jump.judged else theme.DIM
            p.setFont(theme.font(theme.BASE, jump.jumps))
            p.setPen(loud)
            p.drawText(QRectF(8, y, 90, 20), Qt.AlignmentFlag.AlignVCenter, jump.axis)
            number = QRectF(self.width() - 118, y, 110, 20)
            p.drawText(
                number, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, difference_words(jump)
            )
            p.setFont(theme.font(theme.SMALL))
            p.setPen(theme.DIM)
            who = f"by {jump.judged_by}" if jump.judged else "told, not judged"
            p.drawText(QRectF(8, y + 17, self.width() - 16, 16), Qt.AlignmentFlag.AlignVCenter, who)
            if jump.judged:
                box = QRectF(98, y, self.width() - 98 - 122, 20)
                draw_gauge(p, box, jump.difference, jump.tolerance, jump.doubt)


class CutPanel(QWidget):
    """`closed` carries a side, `meant` a reason, `looked` a side to be opened on the Bench."""

    closed = Signal(str)
    meant = Signal(str)
    looked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = column_of((8, 8, 8, 8), self, spacing=6)
        self.title = Words("", strong=True, size=theme.LARGE, wrap=True)
        self.state = Words("", role="dim", wrap=True)
        self.axes = Axes()
        column.addWidget(self.title)
        column.addWidget(self.state)
        column.addWidget(self.axes)
        self.about = Words("", size=theme.SMALL, wrap=True)
        column.addWidget(self.about)
        grid = QGridLayout()
        grid.setHorizontalSpacing(4)
        self.buttons: dict[str, QPushButton] = {}
        column.addWidget(Words("Close the jump by a trim", role="soft"))
        for k, side in enumerate(("left", "half", "right")):
            button = self.buttons[side] = QPushButton(words(f"continuity.close_{side}"))
            button.setToolTip(tip(f"continuity.close_{side}"))
            button.clicked.connect(lambda _=False, s=side: self.closed.emit(s))
            grid.addWidget(button, 0, k)
        column.addLayout(grid)
        self.moved = Words("", role="dim", size=theme.SMALL, wrap=True)
        column.addWidget(self.moved)
        column.addWidget(Words("Or it is meant so, because", role="soft"))
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("the story goes from day to dusk here")
        self.reason.setAccessibleName("Why the jump is meant; Enter keeps it, an empty field takes it back")
        self.reason.setToolTip("Enter keeps the reason; empty, Enter takes it back")
        self.reason.returnPressed.connect(lambda: self.meant.emit(self.reason.text()))
        column.addWidget(self.reason)
        self.looks: dict[str, QPushButton] = {}
        line = QGridLayout()
        for k, side in enumerate(("left", "right")):
            button = self.looks[side] = QPushButton(f"{side.capitalize()} on the Bench")
            button.setProperty("quiet", True)
            button.setToolTip(f"Look at the shot on the {side} beside its hero, on the Bench")
            button.clicked.connect(lambda _=False, s=side: self.looked.emit(s))
            line.addWidget(button, 0, k)
        column.addLayout(line)
        column.addStretch()

    def show_cut(
        self, cut: Cut | None, writable: bool, moved: dict[str, int], about: Sequence[tuple[str, str]] = ()
    ) -> None:
        """`moved`: by side, how many other cuts closing it there moves. `about`: what is open about its shots, and what
        is to be done, which may be better than a trim.
        """
        self.title.setText("" if cut is None else f"{cut.position}   {cut.left.name} to {cut.right.name}")
        self.state.setText("" if cut is None else _state_words(cut))
        self.axes.show_jumps(() if cut is None else cut.jumps)
        self.about.setText("\n".join(f"?  {said}" for said, _ in about))
        self.about.setToolTip("\n".join(dict.fromkeys(advice for _, advice in about if advice)))
        self.about.setVisible(bool(about))
        can = cut is not None and cut.off is not None and writable
        for side, button in self.buttons.items():
            button.setEnabled(can)
            count = moved.get(side, 0)
            button.setAccessibleDescription(f"moves {count} other cuts of the shot" if count else "")
        also = [f"{side}: {n}" for side, n in moved.items() if n]
        self.moved.setText(f"Other cuts that it moves, too ({', '.join(also)})." if can and also else "")
        if not self.reason.hasFocus():
            self.reason.setText("" if cut is None else cut.meant)
        self.reason.setEnabled(cut is not None and writable)
        for side, button in self.looks.items():
            piece = None if cut is None else cut.left if side == "left" else cut.right
            button.setEnabled(piece is not None and piece.shot is not None)


def _state_words(cut: Cut) -> str:
    where = "one setup" if cut.same_setup else "a change of place"
    if cut.meant:
        return f"Meant so ({where})."
    known = {
        "jump": "It jumps",
        "within": "Nothing jumps",
        "to look at": "Not known well enough: look at it",
        "not judged": "Both sides share nothing that tells a jump from other content",
        "not measured": "Not measured yet",
    }
    return f"{known[cut.state]} ({where})."
