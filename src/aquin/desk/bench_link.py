"""Between the production and the Bench: opening its shots there, and keeping the grade that they get."""

from pathlib import Path
from typing import Any

from aquin.colour.grade import Grade
from aquin.desk.bench import BenchView
from aquin.desk.productions import Productions
from aquin.desk.state import Role
from aquin.match.engine import Source
from aquin.production import Camera, Production, Shot
from aquin.production.cells import tolerances_of
from aquin.production.grading import held_grade, keep_grade
from aquin.production.ledgers import known_charts, known_frames, shot_evidence
from aquin.production.match_desk import Desk
from aquin.production.measuring import encoding_of
from aquin.production.media import file_of
from aquin.production.raw import decode_of


class BenchLink:
    """Knows which of the production's shots is on the Bench. A file that was opened there by hand belongs to none."""

    def __init__(self, view: BenchView, productions: Productions) -> None:
        self.view, self.productions = view, productions
        self._opened = ""

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
        self.view.bench.tolerances = tolerances_of(production)

        def with_its_grade() -> None:
            if role == "shot":
                self._opened = shot.id
                self.view.bench.set_grade(held_grade(production, shot) or Grade(), f"grade of {shot.name}")
                self.view.refresh()

        raw = decode_of(production, shot)
        self.view.files.open_file(
            role, str(path), encoding, with_its_grade, matrix, signal, raw, frame, first, given
        )
        if encoding is not None:
            with_its_grade()
        return True

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
