"""Between the production and the Bench: opening its shots there, and keeping the grade, the notes and the painted skin that they get."""

from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QWidget

from aquin.colour.grade import Grade
from aquin.desk.bench.ledger_dialogs import HistoryDialog, ToleranceDialog, session_steps
from aquin.desk.bench.state import ROLES, Role, dabs_of, dabs_values
from aquin.desk.bench.view import BenchView
from aquin.desk.productions import Productions
from aquin.errors import AquinError
from aquin.match.engine import Source
from aquin.production import Camera, Event, Option, Production, Record, Shot
from aquin.production.cells import agree, agreed, keep_tolerances, tolerances_of
from aquin.production.grading import held_grade, keep_grade
from aquin.production.history import Step, history_of
from aquin.production.ledgers import known_charts, known_frames, shot_evidence
from aquin.production.match_desk import Desk
from aquin.production.measuring import encoding_of
from aquin.production.media import file_of
from aquin.production.raw import decode_of
from aquin.production.setups import seconds_of

Beside = tuple[tuple[Shot, Role, int | None], ...]
"""Shots to be opened, each on which side and at which frame."""


class BenchLink:
    """Knows which of the production's shots are on the Bench. A file that was opened there by hand belongs to none."""

    def __init__(self, view: BenchView, productions: Productions) -> None:
        self.view, self.productions = view, productions
        self._opened: dict[Role, str] = {"hero": "", "shot": ""}
        view.panel.note_written.connect(self.keep_note)
        view.panel.tolerances.connect(self.ask_tolerances)
        view.panel.history.connect(self.show_history)

    def open(self, shot: Shot, role: Role, frame: int | None = None) -> bool:
        """Open a shot (at a frame) with its grade. False when its file is not there."""
        production = self.productions.current
        path = None if production is None else file_of(production, shot)
        if production is None or path is None or not path.is_file():
            return False
        camera = production.find(Camera, shot.camera_id)
        matrix: Any = shot.matrix or (camera.matrix if camera is not None else "") or None
        signal: Any = shot.range or (camera.range if camera is not None else "") or None
        encoding = encoding_of(production, shot) or None

        first = (held_grade(production, shot) or Grade()) if role == "hero" else None
        given = self._known(production, shot) if role == "shot" else None
        bench = self.view.bench
        bench.tolerances = tolerances_of(production)

        def with_its_grade() -> None:
            self._opened[role] = shot.id
            self._painted(production, shot, role, shot.first if frame is None else frame)
            if role == "shot":
                self.view.used = used_of(production, shot)
                bench.set_grade(held_grade(production, shot) or Grade(), f"grade of {shot.name}")
                self.view.refresh()
            self.show_note()

        raw = decode_of(production, shot)
        self.view.files.open_file(
            role, str(path), encoding, with_its_grade, matrix, signal, raw, frame, first, given
        )
        if encoding is not None:
            with_its_grade()
        return True

    def _painted(self, production: Production, shot: Shot, role: Role, frame: int) -> None:
        """The skin that was painted on this frame of the shot."""
        held = production.option(f"skin:{shot.id}")
        if not isinstance(held, dict) or held.get("frame") != frame:
            return
        try:
            dabs = dabs_of(held.get("dabs", ()))
        except (ValueError, TypeError):  # another program's
            return
        bench = self.view.bench
        hero, other = bench.now.dabs
        bench.now = replace(bench.now, dabs=(dabs, other) if role == "hero" else (hero, dabs))

    def _known(self, production: Production, shot: Shot) -> Source | None:
        """What charts and compared frames say of the shot, where the whole shoot was matched already."""
        desk = Desk(production, self.productions.config)
        at = desk.moment(shot)
        if at is None:
            return None
        place = (shot.setup_id, shot.camera_id)
        known_charts(desk, [place])
        known_frames(desk, [place])
        evidence, by = shot_evidence(desk, shot, at)
        sure = {"points": 0.7, "chart": 0.95, "chart+drift": 0.7}.get(by, 0.0)
        return Source(by, evidence, sure) if evidence is not None and sure else None

    def find(self) -> None:
        """After a start: a shot on the Bench is the production's if it has the grade that the production holds."""
        production, now = self.productions.current, self.view.bench.now
        self._opened = {"hero": "", "shot": ""}
        self.view.used = ()
        if production is None:
            return
        for role in ROLES:
            side = now.hero if role == "hero" else now.shot
            if side is None:
                continue
            file = Path(side.file)
            fits = (s for s in production.all(Shot) if s.name in file.name and file_of(production, s) == file)
            shot = next(fits, None)
            if shot is None:
                continue
            if role == "hero" or (held_grade(production, shot) or Grade()) == self.view.bench.grade:
                self._opened[role] = shot.id
                if role == "shot":
                    self.view.used = used_of(production, shot)
        self.show_note()

    @property
    def shot(self) -> Shot | None:
        """The production's shot that is the shot on the Bench."""
        return self.side("shot")

    def side(self, role: Role) -> Shot | None:
        """The production's shot on one side of the Bench."""
        production, side = self.productions.current, self.view.bench.side(role)
        shot = production.find(Shot, self._opened[role]) if production is not None else None
        if production is None or side is None or shot is None:
            return None
        return shot if file_of(production, shot) == Path(side.file) else None

    def keep(self) -> None:
        """Write the Bench's grade and painted skin into the production if they differ from what is kept. Raises AquinError."""
        production, shot = self.productions.current, self.shot
        if production is None or production.read_only:
            return
        bench = self.view.bench
        if shot is not None:
            changed = (what for what, before in reversed(bench.past) if before.grade != bench.grade)
            keep_grade(production, self.productions.config, shot, bench.grade, next(changed, "typed"))
        puts: list[Record] = []
        for role, dabs in zip(ROLES, bench.now.dabs, strict=True):
            owner, loaded = self.side(role), bench.loaded[role]
            if owner is None or loaded is None:
                continue
            held = production.option(f"skin:{owner.id}")
            value = {"frame": loaded.frame.number, "dabs": dabs_values(dabs)}
            same_frame = isinstance(held, dict) and held.get("frame") == value["frame"]
            if held != value and (dabs or same_frame):
                puts.append(Option(value if dabs else None, id=f"skin:{owner.id}"))
        if puts:
            production.change("paint skin", *puts)

    # shots one after the other

    def beside(self, shot: Shot) -> Beside:
        """How a shot is looked at: beside what its hero's camera recorded at that moment; the hero itself alone."""
        production = self.productions.current
        if production is None:
            return ()
        at = Desk(production, self.productions.config).moment(shot)
        if at is None:
            return ((shot, "hero", None),)
        return ((at.hero, "hero", at.hero_frame), (shot, "shot", at.shot_frame))

    def neighbour(self, by: int) -> Shot | None:
        """The next shot of the same camera and setup that has a hero, by time of day; then of the next camera, and so on."""
        production, shot = self.productions.current, self.shot
        if production is None or shot is None:
            return None
        desk = Desk(production, self.productions.config)
        order = [
            s for s in production.all(Shot) if s.setup_id == shot.setup_id and desk.moment(s) is not None
        ]
        cameras = {c.id: c.position for c in production.all(Camera)}
        order.sort(key=lambda s: (cameras.get(s.camera_id, 99), (seconds_of(s) or (0.0, 0.0))[0], s.name))
        places = [k for k, s in enumerate(order) if s.id == shot.id]
        if not places or not 0 <= places[0] + by < len(order):
            return None
        return order[places[0] + by]

    def agree(self) -> str:
        """Mark the shot on the Bench as agreed, or open it again; what was done, in words. Raises AquinError."""
        production, shot = self.productions.current, self.shot
        if production is None or shot is None:
            return "Only shots of the production can be marked as agreed."
        self.keep()
        desk = Desk(production, self.productions.config)
        on = not agreed(production, desk, shot)
        agree(production, desk, [shot], on)
        return f"{shot.name} is agreed." if on else f"{shot.name} is open again."

    # notes, tolerances, history

    def show_note(self) -> None:
        shot = self.shot
        self.view.panel.show_note(None if shot is None else shot.note)

    def keep_note(self, text: str) -> None:
        production, shot = self.productions.current, self.shot
        if production is not None and shot is not None and text != shot.note:
            try:
                production.change(f"note on {shot.name}", replace(shot, note=text))
            except AquinError as error:
                self.view.told.emit(error.line())

    def ask_tolerances(self) -> QWidget:
        production, bench = self.productions.current, self.view.bench
        where = "in this production" if production is not None else "in this session"
        dialog = ToleranceDialog(bench.tolerances, where, self.view)
        dialog.chosen.connect(self._keep_tolerances)
        dialog.open()
        return dialog

    def _keep_tolerances(self, values: dict[str, float]) -> None:
        production, bench = self.productions.current, self.view.bench
        try:
            if production is not None:
                keep_tolerances(production, values)
                values = tolerances_of(production)
        except AquinError as error:
            self.view.told.emit(error.line())
            return
        bench.tolerances = values
        self.view.refresh()

    def show_history(self) -> HistoryDialog | None:
        """The ledger's history of the shot on the Bench."""
        bench, production, shot = self.view.bench, self.productions.current, self.shot
        steps: list[Step]
        try:
            if production is not None and shot is not None:
                self.keep()
                steps = history_of(production, shot)
            else:
                steps = session_steps([(what, d.grade) for what, d in bench.past], bench.grade)
        except AquinError as error:
            self.view.told.emit(error.line())
            return None
        evidence = bench.match.evidence if bench.match is not None else None
        side = bench.side("shot")
        name = shot.name if shot is not None else Path(side.file).name if side is not None else "the shot"
        dialog = HistoryDialog(steps, evidence, bench.tolerances, name, self.view)
        dialog.taken.connect(self._take_again)
        dialog.open()
        return dialog

    def _take_again(self, grade: Grade, what: str) -> None:
        self.view.bench.set_grade(grade, what)
        self.view.refresh()


def used_of(production: Production, shot: Shot) -> tuple[tuple[int, int], ...]:
    """First and last frames of what the edits use of a shot."""
    pieces = [
        (e.first, e.first + e.frames - 1)
        for e in production.all(Event)
        if e.shot_id == shot.id and e.frames > 0
    ]
    return tuple(sorted(set(pieces)))
