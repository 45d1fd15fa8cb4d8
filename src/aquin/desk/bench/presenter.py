"""What one does on the Bench: settling, taking, typing, regions, skin, pairs, export. Decisions go to the state; slow
work into jobs.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from aquin.colour import acescct
from aquin.colour.grade import Grade
from aquin.colour.hue_warp import hue_of, planes
from aquin.colour.primaries import AP1_LUMA
from aquin.colour.region import Ellipse, Region
from aquin.desk.bench.files import Files
from aquin.desk.bench.regions import Regions
from aquin.desk.bench.seeing import Seeing
from aquin.desk.bench.state import BenchState, Decisions, parted
from aquin.desk.kit.jobs import Jobs
from aquin.jobs.load_side import ROLES, Role, colour_at
from aquin.measure.ledger import AXES, REPORTED
from aquin.measure.looks import facts

if TYPE_CHECKING:
    from aquin.exchange.proof import Proof
    from aquin.jobs.same_materials import Shown


class Presenter(QObject):
    """`changed`: show the state again (True: only what a drag changes). `previewed`: an alternative is looked at.
    `exported`: words for under the button.
    """

    changed = Signal(bool)
    previewed = Signal()
    exported = Signal(str)
    told = Signal(str)

    def __init__(self, state: BenchState, files: Files, seeing: Seeing, jobs: Jobs) -> None:
        super().__init__(seeing)
        self.state, self.files, self.seeing, self.jobs = state, files, seeing, jobs

    # the grade

    def settle(self, axis: str) -> None:
        """Bring one axis to the hero."""
        if axis in REPORTED:
            self.told.emit(f"The {axis} is only reported: nothing can settle it.")
        elif not next(a for a in AXES if a.name == axis).picture:
            self.state.settle(axis)
            self.changed.emit(False)
        else:
            self._settle_picture(axis)

    def _settle_picture(self, axis: str) -> None:
        """An axis that is measured on whole pictures: beside this thread."""
        from aquin.match.settle import settle as settle_axis

        state, baked = self.state, self.seeing.baked
        hero, shot = state.loaded["hero"], state.loaded["shot"]
        if state.match is None or baked is None or hero is None or shot is None:
            return
        evidence, grade, first = state.match.evidence, state.here, state.hero_grade
        detail = axis == "sharpness"

        def work() -> Grade:
            masks = [self.seeing.skin_in(role) for role in ROLES]
            target = facts(hero.linear, first, baked.process, mask=masks[0]).values()

            def measured(g: Grade) -> dict[str, float]:
                return facts(shot.linear, g, baked.process, detail=detail, mask=masks[1]).values()

            return settle_axis(evidence, grade, axis, measured, target)

        def done(made: Grade) -> None:
            state.set_here(made, f"settle {axis}")
            self.changed.emit(False)
            if made == grade:
                self.told.emit(f"Nothing moves the {axis} any nearer to the hero.")

        self.jobs.start("settle axis", f"settling {axis}", work, done, self.told.emit)

    def settle_all(self) -> None:
        self.state.settle_all()
        self.changed.emit(False)

    def for_cdl(self, on: bool) -> None:
        """Whether the wanted file is a CDL."""
        self.state.for_cdl = on
        self.changed.emit(False)

    def set_grade(self, grade: Grade, what: str, dragging: bool = False) -> None:
        """A number of what holds at this frame was typed or dragged: where a key lies here, it moves alone."""
        self.seeing.clock.start()
        whole = self.state.grade.edited_at(self.state.frame, grade)
        self.state.set_grade(whole, what, what if dragging else None)
        self.changed.emit(dragging)

    def end_stroke(self) -> None:
        self.state.end_stroke()
        self.changed.emit(False)

    def show_graded(self, on: bool) -> None:
        """The whole grade on or off."""
        self.state.graded = on
        self.changed.emit(False)

    def second_pass(self) -> None:
        """A tone curve and a hue warp on what the present grade leaves."""
        from aquin.match.engine import second_pass

        match, grade = self.state.match, self.state.here
        if match is None:
            return

        def done(made: Grade | None) -> None:
            if made is None:
                self.told.emit("A second pass finds nothing that pairs left out would be the better for.")
            elif self.state.here == grade:
                self.state.set_here(made, "second pass")
                self.changed.emit(False)

        self.jobs.start(
            "second pass",
            "solving what is left",
            lambda: second_pass(match.evidence, grade),
            done,
            self.told.emit,
        )

    def hover(self, model: str) -> None:
        """Preview an alternative while the pointer is on it; an empty name ends that."""
        if model and self.state.match is not None:
            self.seeing.hovered = self.state.taken(self.state.match.solution(*parted(model)))
            self.seeing.redraw()
            self.previewed.emit()
        elif not model and self.seeing.hovered is not None:
            self.seeing.hovered = None
            self.changed.emit(False)

    def take(self, model: str) -> None:
        self.seeing.hovered = None
        self.state.take(*parted(model))
        self.changed.emit(False)

    def swap(self) -> None:
        """The shot becomes the hero. The grade starts afresh, since it led the other way."""
        state, now = self.state, self.state.now
        if now.hero is None or now.shot is None:
            return
        fresh = replace(now, hero=now.shot, shot=now.hero, grade=Grade(), pairs=(), dabs=((), ()))
        state.decide("make hero", fresh)
        state.loaded = {"hero": state.loaded["shot"], "shot": state.loaded["hero"]}
        state.match = state.given = None
        self.seeing.forget()
        self.changed.emit(False)
        self.files.solve()

    def stepped(self, before: Decisions) -> None:
        """The state was taken back or brought on: read again what is other than before."""
        after, read = self.state.now, False
        for role in ROLES:
            if after.side(role) != before.side(role):
                self.files.load(role)
                read = True
        marks = [(d.pairs, d.dabs, d.faces, d.struck) for d in (before, after)]
        if not read and marks[0] != marks[1]:
            self.files.solve()
        self.changed.emit(False)

    # regions, skin, pairs

    def set_regions(self, regions: tuple[Region, ...], what: str, dragging: bool = False) -> None:
        self.set_grade(replace(self.state.here, regions=regions), what, dragging)

    def move_ellipse(self, regions: Regions, ellipse: Ellipse, dragging: bool) -> None:
        found = regions.region
        if found is not None:
            regions.put(replace(found, ellipse=ellipse), "move a region", dragging)
            if not dragging:
                self.end_stroke()

    def pick_key(self, regions: Regions, x: float, y: float) -> None:
        """The key takes the hue and level of the graded colour under the hand."""
        found, loaded = regions.region, self.state.loaded["shot"]
        if found is None or found.key is None or loaded is None:
            return
        log = np.asarray(self.state.here.apply_linear(colour_at(loaded, (x, y))[None]), np.float64)
        level = float(np.log2(max(float(acescct.decode(log)[0] @ AP1_LUMA), 1e-6) / 0.18))
        chroma = float(np.hypot(*(v[0] for v in planes(log))))
        key = replace(
            found.key,
            hue=round(float(hue_of(log)[0]), 1),
            chroma=round(chroma / 3, 4),
            low=round(level - 2, 1),
            high=round(level + 2, 1),
        )
        regions.put(replace(found, key=key), "pick a key")

    def paint_skin(self, dabs: dict[Role, tuple]) -> None:  # type: ignore[type-arg]
        self.state.decide("paint skin", replace(self.state.now, dabs=(dabs["hero"], dabs["shot"])))
        self._marks_changed(again=False)

    def faces_only(self, on: bool) -> None:
        self.state.decide("skin in faces only", replace(self.state.now, faces=on))
        self._marks_changed(again=False)

    def name_pairs(self, pairs: tuple) -> None:  # type: ignore[type-arg]
        self.state.decide("name a pair", replace(self.state.now, pairs=pairs))
        self._marks_changed(again=True)

    def strike(self, one: Shown) -> None:
        """A material is not to count, or counts again."""
        from aquin.jobs.same_materials import toggled

        now = self.state.now
        words = "take a material back" if one.struck else "strike a material"
        self.state.decide(words, replace(now, struck=toggled(now.struck, one)))
        self._marks_changed(again=True)

    def _marks_changed(self, again: bool) -> None:
        self.changed.emit(False)
        if again:
            self.files.solve()
        else:
            self.files.solve_for_skin()

    # export

    def export(self, path: Path, size: int = 65, force: bool = False) -> None:
        """Write the grade and prove the file, in the background."""
        from aquin.jobs.export_grade import export_grade

        if not path.suffix:
            path = path.with_suffix(".cdl")
        grade, loaded = self.state.grade, self.state.loaded["shot"]
        picture = loaded.linear if loaded is not None else None
        hero, shot = (self.state.side(role) for role in ROLES)
        title = f"{Path(shot.file).stem if shot else 'shot'}_to_{Path(hero.file).stem if hero else 'hero'}"

        def done(proof: Proof) -> None:
            left = f" Not in it: {grade.beyond_lut}." if grade.beyond_lut else ""
            self.exported.emit(f"{path.name} is written and was {proof.line()}.{left}")
            self.told.emit(f"Exported {path.name}")

        def failed(line: str) -> None:
            self.exported.emit(line)
            self.told.emit(line)

        self.exported.emit(f"writing {path.name}")
        self.jobs.start(
            "export",
            "exporting",
            lambda: export_grade(path, grade, title, force, size, picture),
            done,
            failed,
        )
