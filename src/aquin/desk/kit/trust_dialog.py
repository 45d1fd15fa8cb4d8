"""The question before a colour configuration that lies above media is used for the first time."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.labels import Words
from aquin.errors import AquinError
from aquin.trusted import trust


class TrustDialog(QDialog):
    """`use` is called once it is trusted."""

    def __init__(
        self, owner: QWidget, path: Path, use: Callable[[], object], told: Callable[[str], object]
    ) -> None:
        super().__init__(owner)
        self.path, self._use, self._told = path, use, told
        self.setWindowTitle("A colour configuration lies above the media")
        column = column_of(theme.GRID, self)
        column.addWidget(Words(str(path), strong=True, wrap=True))
        said = (
            "It decides what every recording's colours mean, and it may name other files to be read. Use it if you "
            "know whom it is from. It is asked again if it is changed, or found in another place."
        )
        column.addWidget(Words(said, role="soft", wrap=True))
        column.addStretch(1)
        buttons = QDialogButtonBox()
        self.use_button = buttons.addButton("Use it", QDialogButtonBox.ButtonRole.AcceptRole)
        self.not_button = buttons.addButton(
            "Not now: the built-in one", QDialogButtonBox.ButtonRole.RejectRole
        )
        self.not_button.setDefault(True)
        buttons.accepted.connect(self._take)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.resize(560, 220)

    def show_fitting(self) -> None:
        open_fitting(self)

    def _take(self) -> None:
        self.accept()
        try:
            trust(self.path)
        except AquinError as error:
            self._told(error.line())
            return
        self._use()
