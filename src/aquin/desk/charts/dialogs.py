"""Small dialogs of the Charts view."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from aquin.charts.identify import Identification
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.labels import Words

SHOWN = 10


def show_identification(parent: QWidget, name: str, found: Identification) -> QDialog:
    """Which encodings explain a chart, the best first."""
    dialog = QDialog(parent)
    dialog.setWindowTitle(f"Which encoding is {name}?")
    dialog.resize(640, 380)
    column = QVBoxLayout(dialog)
    words = Words(
        found.verdict[:1].upper()
        + found.verdict[1:]
        + ("" if found.none_fits else f". Sure: {found.confidence:.0%}.")
    )
    words.setWordWrap(True)
    column.addWidget(words)
    table = QTableWidget(min(len(found.ranking), SHOWN), 4)
    table.setHorizontalHeaderLabels(["encoding", "steps, stop", "colours, dE00", "exposure, stop"])
    table.verticalHeader().hide()
    table.setShowGrid(False)
    table.setAccessibleName("Ranking of encodings")
    for r, c in enumerate(found.ranking[:SHOWN]):
        colour = "–" if c.delta_e00 != c.delta_e00 else f"{c.delta_e00:.2f}"
        for k, text in enumerate(
            (c.encoding, f"{c.rms_stops:.3f}", colour, f"{c.exposure:+z.1f}".replace("-", "−"))
        ):
            item = QTableWidgetItem(text)
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
            if k:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if c.alike:
                item.setToolTip(f"The same to a chart: {', '.join(c.alike)}")
            table.setItem(r, k, item)
    table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
    column.addWidget(table, 1)
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
    buttons.rejected.connect(dialog.reject)
    column.addWidget(buttons)
    open_fitting(dialog)
    return dialog
