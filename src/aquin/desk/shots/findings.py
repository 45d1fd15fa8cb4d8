"""The findings of the selected shots, or of all: what it is, what speaks for it, the offered fix, and setting it
aside.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.labels import Words
from aquin.production import Camera, Setup, Shot
from aquin.wording import few

if TYPE_CHECKING:
    from aquin.production import Production
    from aquin.production.audit import Finding


WORDS = {"error": "!  wrong", "warning": "?  doubtful", "note": "·  note"}


class FindingsPanel(QWidget):
    """Lists findings and shows the selected one whole."""

    fixed = Signal(object)
    dismissed = Signal(object, str)
    picked = Signal(object)
    """The shots that the selected finding is about."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[Finding] = []
        self._production: Production | None = None
        self.setMinimumWidth(270)
        column = column_of(theme.GRID, self, spacing=6)
        self.title = Words("Findings")
        self.title.setFont(theme.font(theme.LARGE, True))
        column.addWidget(self.title)
        self.about = Words("")
        self.about.setWordWrap(True)
        self.about.set_role("dim")
        column.addWidget(self.about)
        self.list = QListWidget()
        self.list.setAccessibleName("Findings")
        self.list.setWordWrap(True)
        self.list.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._show_one)
        self.list.itemActivated.connect(lambda _: self._pick())
        self.list.itemClicked.connect(lambda _: self._pick())
        column.addWidget(self.list, 1)
        self.detail = QWidget()
        inner = column_of((0, 4, 0, 0), self.detail, spacing=6)
        self.what, self.advice = Words(""), Words("")
        for label in (self.what, self.advice):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.what.setFont(theme.font(theme.BASE, True))
        self.evidence = QGridLayout()
        self.evidence.setHorizontalSpacing(10)
        self.evidence.setVerticalSpacing(2)
        self.evidence.setColumnStretch(1, 1)
        self.fix_button = QPushButton("")
        self.fix_button.setProperty("main", True)
        self.fix_button.clicked.connect(self._fix)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("why it is all right, then Enter")
        self.reason.setAccessibleName("Reason for setting the finding aside")
        self.reason.returnPressed.connect(self._dismiss)
        self.dismiss_button = QPushButton("Set aside")
        self.dismiss_button.setToolTip("Needs a reason; it is written into the journal and can be undone")
        self.dismiss_button.clicked.connect(self._dismiss)
        row = QHBoxLayout()
        row.addWidget(self.reason, 1)
        row.addWidget(self.dismiss_button)
        inner.addWidget(self.what)
        inner.addLayout(self.evidence)
        inner.addWidget(self.advice)
        inner.addWidget(self.fix_button)
        inner.addLayout(row)
        column.addWidget(self.detail)
        self.detail.hide()
        self._seen_to = ("", -1)
        """The finding that was just fixed or set aside, and its row."""

    def show_findings(self, production: Production, found: list[Finding], about: str) -> None:
        """List findings; the one that was selected stays selected, and after one that was seen to the next one is."""
        key = self.current.key if self.current is not None else ""
        done, row_done = self._seen_to
        gone = bool(done) and not any(f.key == done and not f.dismissed for f in found)
        self._production, self.found = production, found
        open_ = sum(not f.dismissed for f in found)
        self.title.setText(f"Findings  {open_}" if found else "Findings")
        self.about.setText(about)
        self.list.blockSignals(True)
        self.list.clear()
        for finding in found:
            item = QListWidgetItem(self._line(finding))
            if finding.dismissed:
                item.setForeground(theme.FAINT)
            self.list.addItem(item)
        self._fit_rows()
        row = next((k for k, f in enumerate(found) if f.key == key), 0 if len(found) == 1 else -1)
        if gone:
            row, self._seen_to = min(row_done, len(found) - 1), ("", -1)
        self.list.setCurrentRow(row)
        self.list.blockSignals(False)
        self._show_one(row)

    @property
    def current(self) -> Finding | None:
        row = self.list.currentRow()
        return self.found[row] if 0 <= row < len(self.found) else None

    def _line(self, finding: Finding) -> str:
        assert self._production is not None
        names = [s.name for i in finding.shots if (s := self._production.find(Shot, i)) is not None]
        camera = self._production.find(Camera, finding.camera)
        setup = self._production.find(Setup, finding.setup)
        about = few(names) or " in ".join(
            r.name for r in (camera, setup) if r is not None and r.name not in finding.what
        )
        mark = "set aside" if finding.dismissed else WORDS[finding.severity]
        return f"{mark}, {finding.confidence:.0%} sure\n{about + ': ' if about else ''}{finding.said}"

    def _fit_rows(self) -> None:
        """Give each item the height that its words need."""
        bar = self.list.verticalScrollBar().sizeHint().width()  # also where it is not there yet
        room = self.list.width() - 2 * self.list.frameWidth() - bar - 24
        metrics = self.list.fontMetrics()
        for k in range(self.list.count()):
            item = self.list.item(k)
            box = metrics.boundingRect(0, 0, room, 10_000, Qt.TextFlag.TextWordWrap, item.text())
            item.setSizeHint(QSize(room, box.height() + 10))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_rows()

    def _show_one(self, row: int) -> None:
        finding = self.current
        self.detail.setVisible(finding is not None)
        while self.evidence.count():
            item = self.evidence.takeAt(0)
            if item is not None and (widget := item.widget()) is not None:
                widget.deleteLater()
        if finding is None:
            return
        self.what.setText(finding.said)
        for k, (name, value) in enumerate(finding.evidence):
            left, right = Words(name), Words(value)
            left.set_role("dim")
            left.setWordWrap(True)
            right.setWordWrap(True)
            right.setAlignment(Qt.AlignmentFlag.AlignRight)
            self.evidence.addWidget(left, k, 0, Qt.AlignmentFlag.AlignTop)
            self.evidence.addWidget(right, k, 1)
        self.advice.setText(f"Set aside: {finding.dismissed}" if finding.dismissed else finding.advice)
        self.fix_button.setVisible(finding.fix is not None and not finding.dismissed)
        if finding.fix is not None:
            self.fix_button.setText(finding.fix.words[:1].upper() + finding.fix.words[1:])
            self.fix_button.setToolTip("Makes this change; it can be undone (Ctrl+Z)")
        self.reason.setVisible(not finding.dismissed)
        self.reason.clear()
        self.dismiss_button.setText("Look at it again" if finding.dismissed else "Set aside")

    def _pick(self) -> None:
        if self.current is not None and self.current.shots:
            self.picked.emit(self.current)

    def _fix(self) -> None:
        if self.current is not None:
            self._next_after(self.current)
            self.fixed.emit(self.current)

    def _next_after(self, finding: Finding) -> None:
        """One is being seen to: the keyboard goes back to the list, and on to the next when this one is gone."""
        self._seen_to = finding.key, self.list.currentRow()
        self.list.setFocus()

    def _dismiss(self) -> None:
        finding = self.current
        if finding is None:
            return
        reason = "" if finding.dismissed else self.reason.text().strip()
        if not finding.dismissed and not reason:
            self.reason.setFocus()
            return
        if reason:
            self._next_after(finding)
        self.dismissed.emit(finding, reason)
