"""What the Look view asks: a reference still and how it is encoded, a look file with what it expects and gives, the
setups of a look, and the library.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.kit.ask import CONFIGS, EXPORTS, STILLS, ask_open, ask_save
from aquin.desk.kit.dialogs import open_fitting, take_or_leave
from aquin.desk.kit.labels import Words
from aquin.errors import AquinError

if TYPE_CHECKING:
    from collections.abc import Callable

    from PySide6.QtCore import SignalInstance

    from aquin.colour.config import ColourConfig
    from aquin.desk.kit.jobs import Jobs
    from aquin.desk.look.state import LookDesk
    from aquin.jobs.look_work import Asked
    from aquin.production import Production

PICTURES = "Pictures (*.tif *.tiff *.png *.jpg *.jpeg *.exr *.dpx)"
LOOK_FILES = "Look files (*.cube *.clf *.csp *.3dl *.spi1d *.spi3d *.cdl *.cc *.ccc)"
BOLD = (("careful", "as far as the two are alike"), ("bold", "all that differs, content and all"))
AS_SEEN = "as it is seen on the screen"
SPACES = (
    ("working log (ACEScct)", "working"),
    ("scene-linear (AP1)", "linear"),
    ("the screen's signal", "display"),
)


class SpaceDialog(QDialog):
    """How a file is to be understood: one choice of space, or two. `chosen` carries the ids."""

    chosen = Signal(object)

    def __init__(
        self, title: str, words: str, asked: list[tuple[str, list[tuple[str, str]]]], parent: Any
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        column = QVBoxLayout(self)
        text = Words(words)
        text.setWordWrap(True)
        column.addWidget(text)
        self.boxes: list[QComboBox] = []
        for name, choices in asked:
            column.addWidget(Words(name))
            box = QComboBox()
            box.setAccessibleName(name)
            box.setEditable(False)
            for shown, id in choices:
                box.addItem(shown, id)
            self.boxes.append(box)
            column.addWidget(box)
        column.addWidget(take_or_leave(self, "Read it so", self._take))
        self.setMinimumWidth(420)

    def _take(self) -> None:
        self.chosen.emit([str(b.currentData()) for b in self.boxes])
        self.accept()


class ScopeDialog(QDialog):
    """The setups that a look is for; none ticked: all of them."""

    chosen = Signal(object)

    def __init__(self, name: str, setups: list[tuple[str, str]], held: tuple[str, ...], parent: Any) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Setups of {name}")
        column = QVBoxLayout(self)
        column.addWidget(Words("Tick the setups that this look is for. With none ticked it is for all."))
        self.ticks: dict[str, QCheckBox] = {}
        for id, title in setups:
            box = self.ticks[id] = QCheckBox(title.replace("&", "&&"))
            box.setChecked(id in held)
            column.addWidget(box)
        column.addWidget(take_or_leave(self, "Keep", self._take))

    def _take(self) -> None:
        self.chosen.emit([id for id, box in self.ticks.items() if box.isChecked()])
        self.accept()


class LibraryDialog(QDialog):
    """Looks kept over productions. `asked` carries what to do and a file."""

    asked = Signal(str, object)

    def __init__(self, files: list[Path], can_save: str, parent: Any) -> None:
        super().__init__(parent)
        self.setWindowTitle("Library of looks")
        self.files = files
        column = QVBoxLayout(self)
        words = Words("Looks that are kept over productions, each as one file that can be given to others.")
        words.setWordWrap(True)
        column.addWidget(words)
        self.list = QListWidget()
        self.list.setAccessibleName("Looks in the library")
        for path in files:
            self.list.addItem(path.stem)
        self.list.setCurrentRow(0)
        column.addWidget(self.list)
        for title, what, enabled in (
            ("Take it into this production", "take", bool(files)),
            (
                f"Keep {can_save} in the library" if can_save else "Keep a look in the library",
                "save",
                bool(can_save),
            ),
            ("Open a look file of somebody else …", "open", True),
            (
                f"Save {can_save} as a file …" if can_save else "Save a look as a file …",
                "export",
                bool(can_save),
            ),
        ):
            button = QPushButton(title.replace("&", "&&"))
            button.setEnabled(enabled)
            button.clicked.connect(lambda _=False, w=what: self._ask(w))
            column.addWidget(button)
        self.setMinimumSize(380, 380)

    def _ask(self, what: str) -> None:
        row = self.list.currentRow()
        self.asked.emit(what, self.files[row] if what == "take" and row >= 0 else None)
        self.accept()


class Shows(Protocol):
    """What these dialogs know of the view."""

    desk: LookDesk
    jobs: Jobs
    told: SignalInstance

    @property
    def production(self) -> Production | None: ...

    @property
    def config(self) -> ColourConfig: ...

    def follow(self) -> None: ...

    def attempt(self, run: Callable[[], object]) -> None: ...

    def dissected(self, found: Any) -> None: ...


class LookDialogs(QObject):
    """Opens them over `owner` and does what they decide."""

    def __init__(self, view: Shows, owner: QWidget) -> None:
        super().__init__(owner)
        self.view, self.owner = view, owner

    def ask_demo(self) -> None:
        self.view.told.emit("Press Demo on the left, or File, Open a production.")

    def _spaces(self) -> list[tuple[str, str]]:
        names = [(e.name, e.name) for e in self.view.config.encodings()]
        return [*SPACES, *names]

    def ask_import(self) -> None:
        path = ask_open(self.owner, "Import a look", CONFIGS, LOOK_FILES)
        if path is None:
            return
        dialog = SpaceDialog(
            "Import a look",
            f"What does {path.name} expect, and what does it give? Who made it can say; a look for the screen "
            "expects and gives the screen's signal.",
            [("It expects", self._spaces()), ("It gives", self._spaces())],
            self.owner,
        )
        dialog.chosen.connect(lambda spaces: self.import_file(path, *spaces))
        open_fitting(dialog)

    def import_file(self, path: Path, takes: str, gives: str) -> None:
        from aquin.production.looks import import_look

        view = self.view
        production = view.production
        if production is None:
            return
        try:
            view.desk.chosen = import_look(production, view.config, path, takes, gives).id
        except AquinError as error:
            view.told.emit(error.line())
            return
        view.follow()
        self._tell_outside()

    def _tell_outside(self) -> None:
        """What of the pictures lies outside of the file's domain is clipped by it."""
        look, material = self.view.desk.look, self.view.desk.material
        if look is None or look.lut is None or not material:
            return
        worst = max(look.lut.outside(m.picture) for m in material)
        if worst > 0.001:
            name = look.name
            self.view.told.emit(
                f"{100 * worst:.1f} % of a picture lies outside of what {name} expects: it clips it."
            )

    def ask_still(self) -> None:
        from aquin.jobs.look_work import Asked

        path = ask_open(self.owner, "A reference still", STILLS, PICTURES)
        if path is None:
            return
        choices = [(AS_SEEN, "display"), *((e.name, e.name) for e in self.view.config.encodings())]
        dialog = SpaceDialog(
            "A reference still",
            f"How is {path.name} encoded? A frame of a finished film or a photograph is as it is seen.",
            [("Encoding", choices), ("Fit", [(words, id) for id, words in BOLD])],
            self.owner,
        )
        dialog.chosen.connect(
            lambda spaces: self.take_apart(Asked(path, spaces[0], bold=spaces[1] == "bold"))
        )
        open_fitting(dialog)

    def fit_again(self, alone: bool = False, bold: bool = False) -> None:
        """The still that is apart once more: to the shot alone that it suits best, or boldly."""
        found = self.view.desk.dissected
        if found is None:
            self.view.told.emit("No still is taken apart yet.")
            return
        self.take_apart(found.once_more(alone, bold))

    def take_apart(self, asked: Asked) -> None:
        """Take a still apart and fit a look to it, in the background."""
        from aquin.jobs.look_work import dissect

        view = self.view
        production, config = view.production, view.config
        if production is None:
            return
        view.jobs.start_long(
            "dissect",
            "taking the still apart",
            lambda tell: dissect(
                production, config, asked.path, asked.encoding, asked.shots, "", tell, asked.bold
            ),
            view.dissected,
            view.told.emit,
        )

    def ask_scope(self) -> None:
        from aquin.production.records import Setup

        view = self.view
        held, production = view.desk.current, view.production
        if held is None or held.look is None or production is None:
            return
        look = held.look
        setups = [(s.id, s.name) for s in production.all(Setup)]
        dialog = ScopeDialog(held.name, setups, held.setups, self.owner)
        dialog.chosen.connect(lambda ids: view.attempt(lambda: view.desk.keep(look, "setups of a look", ids)))
        open_fitting(dialog)

    def show_library(self) -> None:
        from aquin.production.look_library import library

        held = self.view.desk.current
        dialog = LibraryDialog(
            library(), held.name if held is not None and held.look is not None else "", self.owner
        )
        dialog.asked.connect(self._library)
        open_fitting(dialog)

    def _library(self, what: str, path: Path | None) -> None:
        from aquin.production.look_library import SUFFIX, library_folder, save_look, take_look

        view = self.view
        held, production = view.desk.current, view.production
        kind = f"Looks (*{SUFFIX})"
        try:
            if what in ("take", "open") and production is not None:
                found = path if what == "take" else ask_open(self.owner, "Open a look", EXPORTS, kind)
                if found is not None:
                    view.desk.chosen = take_look(production, view.config, found).id
                    view.follow()
            elif what == "save" and held is not None:
                save_look(held, library_folder() / f"{held.name}{SUFFIX}", force=True)
                view.told.emit(f"{held.name} is kept in the library.")
            elif what == "export" and held is not None:
                out, _ = ask_save(self.owner, "Save the look", EXPORTS, f"{held.name}{SUFFIX}", kind)
                if out is not None:
                    save_look(held, out, force=True)
        except AquinError as error:
            view.told.emit(error.line())
