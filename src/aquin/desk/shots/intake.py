"""What takes long in the Shots view: logging media, reading reports, conforming edits, auditing. In the background."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from aquin.desk.kit.ask import MEDIA, ask_folder, ask_open, ask_several
from aquin.desk.session import OfSession
from aquin.desk.shots.dialogs import ask_columns, show_edits
from aquin.errors import AquinError
from aquin.own_files import remembered_file
from aquin.production import Event
from aquin.production.audit import run_audit

if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs, Tell
    from aquin.desk.session import Session
    from aquin.production import Production
    from aquin.production.conform import Conformed
    from aquin.production.ingest import Intake as Taken
    from aquin.production.report import Reported


class Intake(QObject, OfSession):
    """`told`: a message for the foot line. `done`: something came in."""

    told = Signal(str)
    done = Signal()

    def __init__(self, owner: QWidget, session: Session, jobs: Jobs) -> None:
        super().__init__(owner)
        self.owner, self.session, self.jobs = owner, session, jobs

    def _open(self) -> Production | None:
        if self.production is None:
            self.told.emit("Make or open a production first (Ctrl+N, Ctrl+Shift+P).")
        return self.production

    def log_media(self, paths: list[Path]) -> None:
        """Log folders and files."""
        production, config = self._open(), self.config
        if production is None:
            return

        def work(tell: Tell) -> Taken:
            from aquin.production.ingest import ingest

            return ingest(production, paths, config, tell=tell)

        def done(taken: Taken) -> None:
            words = f"Logged {len(taken.added)} shots."
            if taken.troubles:
                words += f" {len(taken.troubles)} can't be read: {taken.troubles[0]}"
            self.told.emit(words)
            self.done.emit()

        self.jobs.start_long("log", "logging media", work, done, self.told.emit)

    def ask_folder(self) -> None:
        if folder := ask_folder(self.owner, "Log a folder of media", MEDIA):
            self.log_media([folder])

    def ask_files(self) -> None:
        if files := ask_several(self.owner, "Log media files", MEDIA, ""):
            self.log_media(files)

    def ask_report(self) -> None:
        if path := ask_open(self.owner, "Read a camera report", MEDIA, "Camera report (*.csv *.txt *.tsv)"):
            self.read_report(path)

    def read_report(self, path: Path) -> None:
        """Show the column mapper for a report; its answer is applied and remembered."""
        from aquin.production.remembered import Remembered
        from aquin.production.report import apply_report, propose_mapping, read_sheet

        production, config = self._open(), self.config
        if production is None:
            return
        try:
            sheet = read_sheet(path)
            kept = Remembered.read(remembered_file())
        except AquinError as error:
            self.told.emit(error.line())
            return

        def chosen(mapping: dict[str, str]) -> None:
            def work(tell: Tell) -> Reported:
                said = apply_report(production, sheet, mapping, config)
                kept.keep_mapping(sheet.signature, mapping)
                return said

            def done(said: Reported) -> None:
                words = f"{said.matched} rows matched"
                if said.unmatched:
                    words += f"; {len(said.unmatched)} fit nothing: {said.unmatched[0]}"
                if said.unlisted:
                    words += f"; not in the report: {', '.join(said.unlisted[:3])}"
                self.told.emit(words + ".")
                self.done.emit()

            self.jobs.start_long("report", "reading the camera report", work, done, self.told.emit)

        self.mapper = ask_columns(self.owner, sheet, propose_mapping(sheet, kept.mappings), chosen)

    def ask_edit(self) -> None:
        if path := ask_open(self.owner, "Conform an edit", MEDIA, "Edit (*.edl *.otio *.xml)"):
            self.conform(path)

    def conform(self, path: Path) -> None:
        """Read an edit and match its pieces to shots; what fits nothing is listed."""
        production = self._open()
        if production is None:
            return

        def work(tell: Tell) -> Conformed:
            from aquin.exchange.edits import read_edit
            from aquin.production.conform import conform

            return conform(production, read_edit(path))

        def done(cut: Conformed) -> None:
            left, total = len(cut.unmatched), len(cut.events)
            self.told.emit(f"{total - left} of {total} pieces of the edit conform.")
            self.done.emit()
            if left:
                self.show_edits()

        self.jobs.start_long("edit", "conforming the edit", work, done, self.told.emit)

    def show_edits(self) -> None:
        """The pieces of the edits, those without a shot first."""
        if self.production is not None and self.production.all(Event):
            self.edits_dialog = show_edits(self.owner, self.production)
        else:
            self.told.emit("No edit is logged yet: Log …, An edit.")

    def audit(self) -> None:
        """Measure and audit everything."""
        production, config = self._open(), self.config
        if production is None:
            return

        def done(found: object) -> None:
            assert isinstance(found, list)
            count = sum(not f.dismissed and f.severity != "note" for f in found)
            self.told.emit(
                f"The audit found {count} things that are wrong or doubtful."
                if count
                else "The audit found nothing wrong."
            )
            self.done.emit()

        self.jobs.start_long(
            "audit",
            "measuring and auditing",
            lambda tell: run_audit(production, config, tell=tell),
            done,
            self.told.emit,
        )

    def dropped(self, paths: list[Path]) -> None:
        """Files and folders that were dropped on the view, by what they are."""
        reports = [p for p in paths if p.suffix.lower() in (".csv", ".tsv")]
        edits = [p for p in paths if p.suffix.lower() in (".edl", ".otio", ".xml")]
        media = [p for p in paths if p not in reports and p not in edits]
        if media:
            self.log_media(media)
        for path in reports[:1]:
            self.read_report(path)
        for path in edits[:1]:
            self.conform(path)
