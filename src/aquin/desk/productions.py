"""The production that is open in the window: opening, copying, relinking, undo, and noticing what other programs change."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from aquin.colour.config import ColourConfig
from aquin.desk.kit.jobs import Jobs, Tell
from aquin.errors import AquinError
from aquin.production import Production
from aquin.production.settings import config_of

LOOK_MS = 1000
KIND = "Aquin production (*.aquin)"


class Productions(QObject):
    """`opened`: another production (or none) is open. `changed`: something in it was decided, here or elsewhere."""

    opened = Signal()
    changed = Signal()
    told = Signal(str)
    _watched = Signal()

    def __init__(self, owner: QWidget, jobs: Jobs) -> None:
        super().__init__(owner)
        self.owner, self.jobs = owner, jobs
        self.current: Production | None = None
        self.config = ColourConfig.load()
        self._watched.connect(self.changed)  # jobs change it from their threads
        self._looking = QTimer(self)
        self._looking.setInterval(LOOK_MS)
        self._looking.timeout.connect(self._look)

    def open(self, path: Path, create: bool = False) -> bool:
        """Open a production file, or make one; what was open before is closed. False, and said, when it can't be."""
        try:
            self._take(_read(path, create))
        except AquinError as error:
            self.told.emit(error.line())
            return False
        return True

    def open_later(self, path: Path, create: bool = False) -> None:
        """The same with reading in the background: a large production takes some tenths of a second."""
        self.jobs.start(
            "open", "opening the production", lambda: _read(path, create), self._take, self.told.emit
        )

    def _take(self, read: tuple[Production, ColourConfig, str]) -> None:
        """Use what was read."""
        self.close()
        self.current, self.config, said = read
        self.current.watchers.append(self._tell)
        self._looking.start()
        if said:
            self.told.emit(said)
        self.opened.emit()

    def _tell(self) -> None:
        self._watched.emit()

    def reload_config(self) -> None:
        """The production's configuration was chosen anew."""
        if self.current is not None:
            try:
                self.config = config_of(self.current)
            except AquinError as error:
                self.told.emit(error.line())
            self.opened.emit()

    def close(self) -> None:
        self._looking.stop()
        if self.current is not None:
            self.current.watchers.clear()
            self.current.close()
            self.current = None

    def _look(self) -> None:
        if self.current is not None and not self.jobs.titles:
            try:
                self.current.refresh()
            except AquinError as error:
                self._looking.stop()
                self.told.emit(error.line())

    def undo(self) -> None:
        self._step("undo")

    def redo(self) -> None:
        self._step("redo")

    def _step(self, what: str) -> None:
        if self.current is None:
            return
        try:
            entry = self.current.undo() if what == "undo" else self.current.redo()
        except AquinError as error:
            self.told.emit(error.line())
            return
        words = {"undo": "Took back", "redo": "Did again"}[what]
        self.told.emit(f"{words}: {entry.what}" if entry is not None else f"There is nothing to {what}.")

    def ask_new(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self.owner, "New production", "", KIND)
        if path:
            self.open_later(Path(path).with_suffix(".aquin"), create=True)

    def ask_open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.owner, "Open a production", "", KIND)
        if path:
            self.open_later(Path(path))

    def ask_copy(self) -> None:
        if self.current is None:
            self.told.emit("No production is open.")
            return
        path, _ = QFileDialog.getSaveFileName(self.owner, "Save a copy", "", KIND)
        if path:
            self.copy(Path(path).with_suffix(".aquin"))

    def copy(self, path: Path) -> None:
        """Save a whole copy in the background."""
        production = self.current
        if production is not None:
            self._job(
                "copy",
                "saving a copy",
                lambda tell: production.save_copy(path, force=True),
                f"Saved a copy: {path.name}.",
            )

    def ask_relink(self) -> None:
        if self.current is None:
            self.told.emit("No production is open.")
            return
        folder = QFileDialog.getExistingDirectory(self.owner, "Look for missing media in")
        if folder:
            self.relink(Path(folder))

    def relink(self, folder: Path) -> None:
        """Look for missing media in a folder, in the background."""
        production = self.current
        if production is None:
            return

        def work(tell: Tell) -> str:
            from aquin.production.media import missing_shots, relink

            if not missing_shots(production):
                return "No media are missing."
            done = relink(production, folder)
            words = f"Found {len(done.found)} shots."
            return words + (
                f" {len(done.missing)} are still missing: {done.missing[0].path}" if done.missing else ""
            )

        self.jobs.start_long("relink", "looking for media", work, self.told.emit, self.told.emit)

    def _job(self, name: str, title: str, work: Callable[[Tell], object], said: str) -> None:
        self.jobs.start_long(name, title, work, lambda _: self.told.emit(said), self.told.emit)


def _read(path: Path, create: bool) -> tuple[Production, ColourConfig, str]:
    """A production, its configuration, and what is to be said about both. Raises AquinError."""
    found = Production.create(path) if create else Production.open(path)
    notes = list(found.notes)
    try:
        config = config_of(found)
    except AquinError as error:
        config = ColourConfig.load()
        notes.append(f"{error.line()} The built-in configuration is used meanwhile.")
    return found, config, " ".join(notes)
