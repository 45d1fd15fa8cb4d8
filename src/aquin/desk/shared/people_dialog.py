"""Who may do what in a server's production, and who is there."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidgetItem,
    QWidget,
)

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.dialogs import open_fitting, with_close
from aquin.desk.kit.labels import Words
from aquin.desk.several import table_of
from aquin.production.server.schema import ROLES

if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs, Tell
    from aquin.jobs.people import People
    from aquin.production import Production

NOBODY = "nobody"


class PeopleDialog(QDialog):
    """Reads and writes beside the window's thread. `here`: those who are there, in words."""

    def __init__(self, owner: QWidget, production: Production, jobs: Jobs, here: Sequence[str]) -> None:
        super().__init__(owner)
        self.production, self.jobs = production, jobs
        self.setWindowTitle(f"People of {production.name}")
        column = column_of(theme.GRID, self)
        self.about = Words("Asking the server …", role="soft", wrap=True)
        column.addWidget(self.about)
        self.table = table_of(("Account on the server", "May"), ())
        self.table.setMinimumHeight(160)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        column.addWidget(self.table)
        line = line_of(0, spacing=6)
        self.name = QLineEdit()
        self.name.setPlaceholderText("Account of the server")
        self.name.setAccessibleName("Account of the server")
        self.role = roles_box("grades")
        self.let_button = QPushButton("Let in")
        self.let_button.setAutoDefault(False)
        self.let_button.clicked.connect(lambda: self.let(self.name.text().strip(), self.role.currentData()))
        self.name.returnPressed.connect(self.let_button.click)
        line.addWidget(self.name, 1)
        line.addWidget(self.role)
        line.addWidget(self.let_button)
        column.addLayout(line)
        self.here = Words("Here now: " + ("; ".join(here) or "nobody else"), role="soft", wrap=True)
        column.addWidget(self.here)
        with_close(self, column)
        self.resize(620, 400)
        self.read()

    def show_fitting(self) -> None:
        open_fitting(self)

    def read(self, then: str = "") -> None:
        """Ask the server."""

        def work(tell: Tell) -> People:
            from aquin.jobs.people import people_of

            return people_of(self.production)

        self.jobs.start_long(
            "people", "asking who is let in", work, lambda p: self._show(p, then), self.about.setText
        )

    def let(self, who: str, role: str) -> None:
        """Give an account a role."""
        if not who:
            return

        def work(tell: Tell) -> People:
            from aquin.jobs.people import let_in, people_of, role_in

            let_in(self.production, [(who, role_in(role))])
            return people_of(self.production)

        may = f"{role} now: {ROLES[role]}" if role in ROLES else "is not let in any more"
        said = f"{who} {may}."

        def failed(text: str) -> None:
            self.read(text)

        self.jobs.start_long("people", "letting in", work, lambda p: self._show(p, said), failed)

    def _show(self, people: People, said: str) -> None:
        who, role = people.me
        lead = role == "leads"
        about = f"You are {who}, who {role}. The server itself refuses what a role may not do."
        if not people.roles:
            about += " It has no roles for this production yet: aquin people ADDRESS --roles."
        self.about.setText(f"{about}\n{said}" if said else about)
        self.table.setRowCount(len(people.let_in))
        for k, (name, has) in enumerate(people.let_in):
            self.table.setItem(k, 0, QTableWidgetItem(name))
            box = roles_box(has)
            box.setAccessibleName(f"What {name} may do")
            box.setEnabled(lead and name != who)
            box.activated.connect(partial(self._chosen, name, box))
            self.table.setCellWidget(k, 1, box)
        for widget in (self.name, self.role, self.let_button):
            widget.setEnabled(lead)
            widget.setToolTip("" if lead else "Whoever leads the production lets others in")
        if lead:
            self.name.clear()

    def _chosen(self, name: str, box: QComboBox, _: int) -> None:
        self.let(name, box.currentData())


def roles_box(chosen: str) -> QComboBox:
    """The roles, with what each may do."""
    box = QComboBox()
    box.setAccessibleName("What the account may do")
    for role, words in ROLES.items():
        box.addItem(f"{role}: {words}", role)
    box.addItem("is not let in", NOBODY)
    box.setCurrentIndex(box.findData(chosen))
    return box
