"""The production that is open in the window: opening, copying, relinking."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QSettings, QTimer, Signal
from PySide6.QtWidgets import QWidget

from aquin import cluster
from aquin.colour.config import ColourConfig
from aquin.desk.kit.ask import MEDIA, PRODUCTIONS, ask_folder, ask_open, ask_save, work_in
from aquin.errors import AquinError
from aquin.own_files import window_settings
from aquin.production.address import Address, NeedsPassword, place_of
from aquin.production.settings import choose_config, config_of
from aquin.trusted import Unasked

KIND = "Aquin production (*.aquin)"
RECENT = 8
Place = Path | Address


if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs, Tell
    from aquin.desk.session import Session
    from aquin.production import Production


class Productions(QObject):
    """Puts productions into the session. `made`: a new one was made, with media to log into it where some were
    named.
    """

    made = Signal(list)
    told = Signal(str)
    _watched = Signal()

    def __init__(self, owner: QWidget, session: Session, jobs: Jobs, keep: bool = True) -> None:
        super().__init__(owner)
        self.owner, self.session, self.jobs, self.keep = owner, session, jobs, keep
        self._watched.connect(self._changed)  # jobs change it from their threads
        self._config: str | None = None
        """The configuration that the production named when it was last shown."""
        session.opened.connect(self._shown)

    @property
    def current(self) -> Production | None:
        return self.session.production

    # opening

    def open(self, path: Place, create: bool = False) -> bool:
        """Open a production file, or make one; what was open before is closed. False, and said, when it can't be."""
        try:
            self._take(_read(path, create))
        except AquinError as error:
            self.told.emit(error.line())
            return False
        return True

    def open_later(self, path: Place, create: bool = False, media: Sequence[Path] = ()) -> None:
        """The same with reading in the background: a large production takes some tenths of a second, a server's some
        more. `media` are logged into it.
        """

        def done(read: Read | NeedsPassword) -> None:
            if isinstance(read, NeedsPassword):
                self._ask_password(read, lambda: self.open_later(path, create, media))
                return
            self._take(read)
            if create:
                self.made.emit(list(media))

        self.jobs.start(
            "open",
            "opening the production",
            lambda: _or_asked(lambda: _read(path, create)),
            done,
            self.told.emit,
        )

    def _take(self, read: Read) -> None:
        """Use what was read."""
        old = self.session.production
        production, config, said = read.production, read.config, read.said
        if cluster.current is not None:
            from aquin.production.media import shared_roots

            cluster.current.roots = shared_roots(production)
        production.watchers.append(self._tell)
        if self.keep:
            self._remember(str(production.place))
        self.session.show(production, config)
        if old is not None:
            old.watchers.clear()
            old.news.clear()
            old.close()
        if said:
            self.told.emit(said)
        if read.asked is not None:
            self._ask_trust(read.asked)

    def _ask_trust(self, path: Path) -> None:
        from aquin.desk.kit.trust_dialog import TrustDialog

        self.trusting = TrustDialog(self.owner, path, self.reload_config, self.told.emit)
        self.trusting.show_fitting()

    def _tell(self) -> None:
        self._watched.emit()

    def _shown(self) -> None:
        production = self.session.production
        self._config = production.option("config") if production is not None else None
        if production is None:
            work_in(None)
            return
        from aquin.production.media import shared_roots

        own = None if production.shared else production.home
        work_in(own, [Path(root.here) for root in shared_roots(production)])

    def _changed(self) -> None:
        """Something in the production was decided. Where it names another configuration since (a camera was measured,
        another seat chose one), that is read first, beside this thread: with the old one its cameras may mean nothing.
        """
        production = self.session.production
        named = production.option("config") if production is not None else None
        if production is None or named == self._config:
            self.session.touch()
            return
        if self.jobs.running("config"):  # follows when that is read
            return

        def done(config: ColourConfig | Unasked | None) -> None:
            if production is not self.session.production:
                return
            if isinstance(config, Unasked):
                self._ask_trust(config.path)
            elif config is not None:
                self.session.show(production, config)
            self._config = named
            QTimer.singleShot(
                0, self, self._changed
            )  # in a turn of its own: all views have just been shown anew

        def failed(words: str) -> None:
            self.told.emit(words)
            done(None)

        self.jobs.start_long(
            "config",
            "reading the configuration",
            lambda _: _or_unasked(lambda: config_of(production)),
            done,
            failed,
            aside=True,
        )

    def reload_config(self) -> None:
        """The production's configuration was chosen anew."""
        production = self.session.production
        if production is not None:
            try:
                self.session.show(production, config_of(production))
            except Unasked as error:
                self._ask_trust(error.path)
            except AquinError as error:
                self.told.emit(error.line())

    def choose_config(self, path: Path) -> None:
        """Another configuration: of the production, where one is open, else of this session."""
        try:
            if self.session.production is not None:
                choose_config(self.session.production, path)
                self.reload_config()
            else:
                self.session.show(None, ColourConfig.load(path))
        except AquinError as error:
            self.told.emit(error.line())

    def close(self) -> None:
        production = self.session.production
        if production is not None:
            production.watchers.clear()
            production.news.clear()
            production.close()
            self.session.production = None

    # recent ones

    @property
    def recent(self) -> list[Place]:
        """Productions that were open before, the newest first: files that are still there, and servers' addresses."""
        held = QSettings(str(window_settings()), QSettings.Format.IniFormat).value("recent") or []
        names = [held] if isinstance(held, str) else list(held)
        return [p for p in map(place_of, names) if not isinstance(p, Path) or p.is_file()]

    def _remember(self, place: str) -> None:
        settings = QSettings(str(window_settings()), QSettings.Format.IniFormat)
        settings.setValue("production", place)
        others = [str(p) for p in self.recent if str(p) != place]
        settings.setValue("recent", [place, *others][:RECENT])

    @property
    def last_address(self) -> str:
        """The server's address that was used last."""
        return next((str(p) for p in self.recent if isinstance(p, Address)), "")

    # asking

    def commands(self) -> list[tuple[str, Callable[[], None]]]:
        return [
            ("file.folder", self.ask_folder),
            ("file.new", self.ask_new),
            ("file.open", self.ask_open),
            ("file.address", self.ask_address),
            ("file.share", self.ask_share),
            ("file.copy", self.ask_copy),
            ("file.relink", self.ask_relink),
        ]

    def ask_new(self) -> None:
        path, _ = ask_save(self.owner, "New production", PRODUCTIONS, "new.aquin", KIND)
        if path:
            self.open_later(path.with_suffix(".aquin"), create=True)

    def ask_folder(self) -> None:
        if folder := ask_folder(self.owner, "A folder of media for the new production", MEDIA):
            self.from_media([folder])

    def from_media(self, paths: Sequence[Path]) -> None:
        """A new production with these media logged into it. Where it is kept is asked: nothing is written to a card
        unasked.
        """
        folder = next((p for p in paths if p.is_dir()), paths[0].parent)
        name = f"{folder.name or 'production'}.aquin"
        above = folder.parent
        beside = os.access(above, os.W_OK) and not os.path.ismount(folder)
        start = str(above / name) if beside else name
        path, _ = ask_save(self.owner, "Where to keep the new production", PRODUCTIONS, start, KIND)
        if path:
            self.open_later(path.with_suffix(".aquin"), create=True, media=paths)

    def ask_open(self) -> None:
        if path := ask_open(self.owner, "Open a production", PRODUCTIONS, KIND):
            self.open_later(path)

    # servers

    def ask_address(self) -> None:
        """Open a production that lies on a server."""
        from aquin.desk.shared.dialogs import AddressDialog

        self.dialog = AddressDialog(self.owner, self.last_address)
        self.dialog.chosen.connect(self.open_later)
        self.dialog.show_fitting()

    def _ask_password(self, error: NeedsPassword, again: Callable[[], None]) -> None:
        from aquin.desk.shared.dialogs import PasswordDialog
        from aquin.production.server.secrets import forget, keep_secret

        forget(error.address)

        def use(entered: tuple[str, bool]) -> None:
            if not keep_secret(error.address, *entered):
                self.told.emit(
                    "This computer has no keyring: the password is forgotten when Aquin is closed."
                )
            again()

        self.asked = PasswordDialog(self.owner, error.address, error.what[:1].upper() + error.what[1:] + ".")
        self.asked.chosen.connect(use)
        self.asked.show_fitting()

    def ask_share(self) -> None:
        """Put the production on a server."""
        production = self.current
        if production is None:
            self.told.emit("No production is open.")
        elif production.shared:
            self.told.emit(f"It is shared already: {production.place}. Save a copy makes a file of it.")
        else:
            from aquin.desk.shared.dialogs import ShareDialog

            server = place_of(self.last_address) if self.last_address else None
            last = str(server.of("")) if isinstance(server, Address) else ""
            self.sharing = ShareDialog(self.owner, production, last)
            self.sharing.chosen.connect(lambda chosen: self.share(*chosen))
            self.sharing.show_fitting()

    def share(self, address: Address, go_on: bool) -> None:
        """Put the production on a server in the background."""
        production = self.current
        if production is None:
            return

        def work(tell: Tell) -> object:
            from aquin.production.server.sharing import share

            return _or_asked(lambda: share(production, address, tell))

        def done(found: Any) -> None:
            if isinstance(found, NeedsPassword):
                self._ask_password(found, lambda: self.share(address, go_on))
                return
            self.told.emit(f"Shared: {found.address}. {found.roles or 'Let others in: File, People.'}")
            if go_on:
                self.open_later(found.address)

        self.jobs.start_long("share", "sharing the production", work, done, self.told.emit)

    def ask_copy(self) -> None:
        if self.current is None:
            self.told.emit("No production is open.")
            return
        path, _ = ask_save(
            self.owner, "Save a copy", PRODUCTIONS, f"{self.current.path.stem} copy.aquin", KIND
        )
        if path:
            self.copy(path.with_suffix(".aquin"))

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
        elif folder := ask_folder(self.owner, "Look for missing media in", MEDIA):
            self.relink(folder)

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


@dataclass(frozen=True)
class Read:
    """A production, its configuration, and what is to be said about both. `asked`: a configuration above the media that
    nobody has said may be used.
    """

    production: Production
    config: ColourConfig
    said: str
    asked: Path | None


def _or_asked(work: Callable[[], Any]) -> Any:
    """What the work gives, or that it needs a password."""
    try:
        return work()
    except NeedsPassword as error:
        return error


def _or_unasked(work: Callable[[], ColourConfig]) -> ColourConfig | Unasked:
    """What the work gives, or that nobody has said yet whether it may be used."""
    try:
        return work()
    except Unasked as error:
        return error


def _read(path: Place, create: bool) -> Read:
    """Open a production, or make one. Raises AquinError."""
    from aquin.production import Production

    found = Production.create(path) if create else Production.open(path)
    notes = list(found.notes)
    asked: Path | None = None
    try:
        config = config_of(found)
    except Unasked as error:
        config, asked = ColourConfig.load(), error.path
    except AquinError as error:
        config = ColourConfig.load()
        notes.append(f"{error.line()} The built-in configuration is used meanwhile.")
    return Read(found, config, " ".join(notes), asked)
