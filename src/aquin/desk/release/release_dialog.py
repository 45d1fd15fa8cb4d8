"""Before a release: where to, which shots, in which formats, what is said, and whether it is signed."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from aquin.desk.kit.ask import EXPORTS, ask_folder, ask_save
from aquin.desk.kit.boxes import line_of
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.labels import Words
from aquin.desk.release.state import FORMATS, ReleaseDesk
from aquin.errors import AquinError

if TYPE_CHECKING:
    from aquin.jobs.release_contents import Wish

SHOTS = {"all": "all shots; those not agreed are marked", "agreed": "only shots that somebody agreed to"}
KEYS = "Keys (*.pem)"


class ReleaseDialog(QDialog):
    """`wished` carries the folder, the wish, and the .zip or None."""

    wished = Signal(object, object, object)

    def __init__(self, parent: QWidget, desk: ReleaseDesk) -> None:
        super().__init__(parent)
        from aquin.jobs.make_release import usual_place

        assert desk.production is not None
        self.desk = desk
        self.setWindowTitle("Release")
        place = usual_place(desk.production)
        form = QFormLayout(self)
        self.place = QLineEdit(str(place))
        self.place.setMinimumWidth(420)
        self.place.setAccessibleName("Folder of the release")
        self.place.setToolTip("A folder that is not there yet; the release is written whole or not at all")
        other = QPushButton("…")
        other.setAccessibleName("Another folder")
        other.setToolTip("Choose the folder in which it is made")
        other.clicked.connect(lambda: self._ask_place(place.name))
        both = line_of(0, spacing=4)
        both.addWidget(self.place, 1)
        both.addWidget(other)
        form.addRow("Folder", both)
        self.shots = QComboBox()
        for name, title in SHOTS.items():
            self.shots.addItem(title, name)
        self.shots.setCurrentIndex(self.shots.findData(desk.only))
        self.shots.setAccessibleName("Which shots")
        form.addRow("Shots", self.shots)
        self.formats: dict[str, QCheckBox] = {}
        for k, (name, (title, words)) in enumerate(FORMATS.items()):
            box = self.formats[name] = QCheckBox(f"{title}: {words[0].lower()}{words[1:]}")
            box.setChecked(name in desk.formats)
            form.addRow("Grades as" if k == 0 else "", box)
        self.small = QCheckBox("ready LUTs of 33 points, an eighth of the size")
        form.addRow("", self.small)
        self.zip = QCheckBox("also as one .zip beside it")
        form.addRow("Pack", self.zip)
        self.note = QLineEdit()
        self.note.setPlaceholderText("What is new in it, for those who get it")
        self.note.setAccessibleName("Note")
        form.addRow("Note", self.note)
        self.key = QLineEdit()
        self.key.setPlaceholderText("not signed")
        self.key.setAccessibleName("Key file")
        self.key.setToolTip("An Ed25519 key (PEM); where there is none, one is made for you")
        choose = QPushButton("…")
        choose.setAccessibleName("Choose the key file")
        choose.clicked.connect(self._ask_key)
        line = line_of(0, spacing=4)
        line.addWidget(self.key, 1)
        line.addWidget(choose)
        form.addRow("Sign with", line)
        self.trouble = Words("", role="soft", wrap=True)
        form.addRow(self.trouble)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.ok = self.buttons.addButton("Release", QDialogButtonBox.ButtonRole.AcceptRole)
        self.ok.setProperty("main", True)
        self.buttons.accepted.connect(self._done)
        self.buttons.rejected.connect(self.reject)
        form.addRow(self.buttons)
        open_fitting(self)

    def _ask_place(self, name: str) -> None:
        folder = ask_folder(self, "The folder in which the release is made", EXPORTS)
        if folder is not None:
            self.place.setText(str(folder / name))

    def _ask_key(self) -> None:
        path, _ = ask_save(self, "The key; made where there is none", EXPORTS, "aquin-key.pem", KEYS)
        if path is not None:
            self.key.setText(str(path))

    def _done(self) -> None:
        try:
            out, wish = self.wish()
        except AquinError as error:
            self.trouble.setText(error.line())
            return
        self.desk.only, self.desk.formats = wish.only, set(wish.formats)
        self.accept()
        self.wished.emit(out, wish, out.with_name(f"{out.name}.zip") if self.zip.isChecked() else None)

    def wish(self) -> tuple[Path, Wish]:
        """Raises AquinError."""
        from aquin.jobs.release_contents import Wish

        text = self.place.text().strip()
        out = Path(text)
        if not text or not out.is_absolute():
            raise AquinError("where shall it be written?", None, "Name a folder that is not there yet")
        if out.exists():
            raise AquinError("that place is taken", out, "Name a folder that is not there yet")
        key = self.key.text().strip()
        return out, Wish(
            str(self.shots.currentData()),
            tuple(name for name, box in self.formats.items() if box.isChecked()),
            self.note.text().strip(),
            Path(key) if key else None,
            33 if self.small.isChecked() else 65,
        )
