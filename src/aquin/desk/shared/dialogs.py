"""Dialogs for a server: its address, a password, and putting a production there."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.labels import Words
from aquin.errors import AquinError
from aquin.production.address import FORM, Address, address_of, is_address, slug

if TYPE_CHECKING:
    from aquin.production import Production

EXAMPLE = "postgresql://name@host/database"


class _Asking(QDialog):
    """A few fields over Cancel and what is done; what is wrong is said in place. `chosen` carries what was entered."""

    chosen = Signal(object)

    def __init__(self, owner: QWidget, title: str, words: str, does: str) -> None:
        super().__init__(owner)
        self.setWindowTitle(title)
        column = column_of(theme.GRID, self)
        column.addWidget(Words(words, role="soft", wrap=True))
        self.form = QFormLayout()
        column.addLayout(self.form)
        self.trouble = Words("", role="soft", wrap=True)
        column.addWidget(self.trouble)
        column.addStretch(1)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.do_button = self.buttons.addButton(does, QDialogButtonBox.ButtonRole.AcceptRole)
        self.do_button.setProperty("main", True)
        self.do_button.setDefault(True)
        self.buttons.accepted.connect(self._take)
        self.buttons.rejected.connect(self.reject)
        column.addWidget(self.buttons)
        self.resize(560, 240)

    def field(self, label: str, text: str = "", hint: str = "") -> QLineEdit:
        made = QLineEdit(text)
        made.setPlaceholderText(hint)
        made.setAccessibleName(label)
        self.form.addRow(label, made)
        return made

    def entered(self) -> object:
        """What was entered. Raises AquinError."""
        raise NotImplementedError

    def _take(self) -> None:
        try:
            found = self.entered()
        except AquinError as error:
            self.trouble.setText(error.line())
            return
        self.accept()
        self.chosen.emit(found)

    def show_fitting(self) -> None:
        open_fitting(self)


class AddressDialog(_Asking):
    """Which production of which server. `chosen` carries an Address."""

    def __init__(self, owner: QWidget, last: str = "") -> None:
        words = (
            "A production that several machines share lies on a PostgreSQL server. Whoever put it there knows its "
            "address; a password is asked for where the server wants one."
        )
        super().__init__(owner, "Open from a server", words, "Open")
        self.address = self.field("Address", last, f"{EXAMPLE}?production=film")
        self.address.setToolTip(f"{FORM}; without the name where the database holds one production alone")

    def entered(self) -> Address:
        text = self.address.text().strip()
        if not is_address(text):
            raise AquinError("this is no address of a server", None, f"Write {FORM}")
        return address_of(text)


class PasswordDialog(_Asking):
    """`chosen` carries the password and whether it is kept in the keyring."""

    def __init__(self, owner: QWidget, address: Address, why: str) -> None:
        super().__init__(owner, "Password", why, "Open")
        self.form.addRow("Server", Words(address.server))
        self.word = self.field("Password")
        self.word.setEchoMode(QLineEdit.EchoMode.Password)
        self.keep = QCheckBox("Keep it in this computer's keyring")
        self.keep.setToolTip(
            "Otherwise it is forgotten when Aquin is closed; no file of Aquin's ever holds it"
        )
        self.form.addRow("", self.keep)

    def entered(self) -> tuple[str, bool]:
        return self.word.text(), self.keep.isChecked()


class ShareDialog(_Asking):
    """Where a production is put. `chosen` carries an Address and whether it is worked on there from now on."""

    def __init__(self, owner: QWidget, production: Production, last: str = "") -> None:
        words = (
            f"Puts {production.name} on a PostgreSQL server, with its journal, what was measured, its looks and its "
            "configuration. Media stay where they are: each machine says where it finds them. The file stays as it is, "
            "and can be made again from the server at any time (Save a copy)."
        )
        super().__init__(owner, "Share the production", words, "Share")
        self.address = self.field("Server and database", last, EXAMPLE)
        self.name = self.field("Name there", slug(production.name) or "production")
        self.go_on = QCheckBox("Work on the server's from now on")
        self.go_on.setChecked(True)
        self.form.addRow("", self.go_on)
        self.resize(600, 320)

    def entered(self) -> tuple[Address, bool]:
        text = self.address.text().strip()
        if not is_address(text):
            raise AquinError("this is no address of a server", None, f"Write {EXAMPLE}")
        name = slug(self.name.text())
        if not name:
            raise AquinError("it needs a name of letters and numbers", None, "Write one")
        return address_of(text).of(name), self.go_on.isChecked()
