"""Between the production and the Bench: opening its shots there, and keeping the grade that they get."""

from pathlib import Path
from typing import Any

from aquin.colour.grade import Grade
from aquin.desk.bench import BenchView
from aquin.desk.productions import Productions
from aquin.desk.state import Role
from aquin.production import Camera, Shot
from aquin.production.grading import held_grade, keep_grade
from aquin.production.measuring import encoding_of
from aquin.production.media import file_of
from aquin.production.raw import decode_of


class BenchLink:
    """Knows which of the production's shots is on the Bench. A file that was opened there by hand belongs to none."""

    def __init__(self, view: BenchView, productions: Productions) -> None:
        self.view, self.productions = view, productions
        self._opened = ""

    def open(self, shot: Shot, role: Role) -> bool:
        """Open a shot, with its grade where it is the Bench's shot. False when its file is not there."""
        production = self.productions.current
        path = None if production is None else file_of(production, shot)
        if production is None or path is None or not path.is_file():
            return False
        camera = production.find(Camera, shot.camera_id)
        matrix: Any = shot.matrix or (camera.matrix if camera is not None else "") or None
        signal: Any = shot.range or (camera.range if camera is not None else "") or None
        encoding = encoding_of(production, shot) or None

        def with_its_grade() -> None:
            if role == "shot":
                self._opened = shot.id
                self.view.bench.set_grade(held_grade(production, shot) or Grade(), f"grade of {shot.name}")
                self.view.refresh()

        raw = decode_of(production, shot)
        self.view.files.open_file(role, str(path), encoding, with_its_grade, matrix, signal, raw)
        if encoding is not None:
            with_its_grade()
        return True

    def find(self) -> None:
        """After a start: the shot on the Bench is the production's if it has the grade that the production holds."""
        production, side = self.productions.current, self.view.bench.now.shot
        self._opened = ""
        if production is not None and side is not None:
            file = Path(side.file)
            fits = (s for s in production.all(Shot) if s.name in file.name and file_of(production, s) == file)
            shot = next(fits, None)
            if shot is not None and (held_grade(production, shot) or Grade()) == self.view.bench.grade:
                self._opened = shot.id

    @property
    def shot(self) -> Shot | None:
        """The production's shot that is the shot on the Bench."""
        production, side = self.productions.current, self.view.bench.now.shot
        shot = production.find(Shot, self._opened) if production is not None else None
        if production is None or side is None or shot is None:
            return None
        return shot if file_of(production, shot) == Path(side.file) else None

    def keep(self) -> None:
        """Write the Bench's grade into the production if it differs from what is kept. Raises AquinError."""
        production, shot = self.productions.current, self.shot
        if production is not None and shot is not None and not production.read_only:
            bench = self.view.bench
            keep_grade(production, self.productions.config, shot, bench.grade, bench.can_undo or "typed")
