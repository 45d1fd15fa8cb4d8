"""The Keys page, the help of each view, and the field that finds a command: all from the table of commands."""

from importlib.resources import files

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.actions import Commands
from aquin.desk.commands import TABLE, TITLES, VIEWS, Command
from aquin.desk.kit.axes import definitions
from aquin.desk.kit.dialogs import open_fitting, with_close
from aquin.desk.kit.labels import Words


def help_of(view: str) -> tuple[str, str]:
    """The title and the words of a view's help; paragraphs are parted by empty lines."""
    text = (files("aquin.desk") / "help_texts" / f"{view}.txt").read_text(encoding="utf-8")
    title, *paragraphs = text.strip().split("\n\n")
    return title, "\n\n".join(" ".join(p.split()) for p in paragraphs)


def keys_of(group: str) -> list[Command]:
    """The commands of a view, or of the whole window, that have keys."""
    return [c for c in TABLE if c.group == group and c.keys]


def keys_dialog(parent: QWidget, view: str) -> QDialog:
    """All keys: what counts everywhere and those of the view that is shown first, the others beside them."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("Keys")
    column = QVBoxLayout(dialog)
    both = QHBoxLayout()
    both.setSpacing(32)
    here = view if view in VIEWS else "bench"
    groups = [g for g in ("app", "file", here, *(v for v in VIEWS if v != here)) if keys_of(g)]
    total = sum(len(keys_of(g)) + 1 for g in groups)
    sides: list[list[str]] = [[], []]
    filled = 0
    for group in groups:
        sides[0 if filled < total / 2 else 1].append(group)
        filled += len(keys_of(group)) + 1
    for names in sides:
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(3)
        row = 0
        for group in names:
            grid.addWidget(Words(TITLES[group], role="dim"), row, 0, 1, 2)
            for found in keys_of(group):
                row += 1
                grid.addWidget(Words(found.shown_keys, strong=True), row, 0, Qt.AlignmentFlag.AlignTop)
                grid.addWidget(Words(found.words, wrap=True), row, 1)
            row += 1
        grid.setColumnStretch(1, 1)
        grid.setRowStretch(row, 1)
        both.addLayout(grid, 1)
    column.addLayout(both)
    with_close(dialog, column)
    dialog.resize(760, 480)
    return open_fitting(dialog)


def help_dialog(parent: QWidget, view: str) -> QDialog:
    """Show the help of a view."""
    title, said = help_of(view)
    dialog = QDialog(parent)
    dialog.setWindowTitle(title)
    column = QVBoxLayout(dialog)
    parts = [said]
    if view in ("bench", "board"):
        parts += ["The axes: unit, and what passes", definitions()]
    for part, text in enumerate(parts):
        words = Words(text, wrap=True, role="dim" if part == 1 else "")
        words.setFixedWidth(560)
        column.addWidget(words)
    with_close(dialog, column)
    return open_fitting(dialog)


class FindDialog(QDialog):
    """Some words, and the commands that hold them all; Enter does the selected one."""

    def __init__(self, parent: QWidget, commands: Commands) -> None:
        super().__init__(parent)
        self.commands = commands
        self.setWindowTitle("Find a command")
        self.resize(480, 420)
        column = QVBoxLayout(self)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Words of what you want to do")
        self.field.setAccessibleName("Words of the command")
        self.field.textChanged.connect(self._fill)
        self.list = QListWidget()
        self.list.setAccessibleName("Commands")
        self.list.itemActivated.connect(lambda _: self.do())
        self.none = Words("No command has all of these words.", role="dim")
        column.addWidget(self.field)
        column.addWidget(self.none)
        column.addWidget(self.list, 1)
        self._fill("")
        self.field.setFocus()

    def _fill(self, text: str) -> None:
        """All commands of this view and those of the whole window; with words, those of other views as well."""
        self.list.clear()
        sought = text.lower().split()
        near = (self.commands.shown, "app", "file")
        for found in self.commands.now():
            said = f"{found.words} {found.tip} {TITLES[found.group]}".lower()
            if found.id == "app.find" or not all(w in said for w in sought):
                continue
            if not sought and found.group not in near:
                continue
            keys = f"     {found.shown_keys}" if found.keys else ""
            item = QListWidgetItem(f"{found.words.rstrip(' …')}{keys}     {TITLES[found.group]}")
            item.setData(Qt.ItemDataRole.UserRole, found.id)
            item.setToolTip(found.tip)
            self.list.addItem(item)
        self.none.setVisible(not self.list.count())
        self.list.setCurrentRow(0)

    def do(self) -> None:
        """Do the selected command."""
        item = self.list.currentItem()
        if item is not None:
            self.accept()
            self.commands.run_in_its_view(str(item.data(Qt.ItemDataRole.UserRole)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.field.hasFocus():
            row = self.list.currentRow() + (1 if event.key() == Qt.Key.Key_Down else -1)
            self.list.setCurrentRow(min(max(row, 0), self.list.count() - 1))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.do()
        else:
            super().keyPressEvent(event)
