"""Between the production and the Bench: opening its shots there, and keeping the grade, notes and painted skin that
they get.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from aquin.colour.grade import Grade
from aquin.desk.bench.ledger_dialogs import HistoryDialog, ToleranceDialog, session_steps
from aquin.desk.bench.said import Said
from aquin.desk.bench.state import BenchState, Decisions, Known, dabs_of, dabs_values
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.jobs import Latest
from aquin.desk.kit.timers import later
from aquin.errors import AquinError
from aquin.jobs.load_side import ROLES, Role, Side
from aquin.late import late
from aquin.production import Option, Record, Shot

if TYPE_CHECKING:
    from aquin.desk.bench.files import Files
    from aquin.desk.session import Session
    from aquin.jobs import shown_shot
    from aquin.jobs.shown_shot import Told
    from aquin.measure.skin import Dab
    from aquin.production import Production, audit, cells, grading, history
    from aquin.production.audit import Finding
    from aquin.production.history import Step
else:
    audit, cells, grading, history, shown_shot = late(
        "aquin.production.audit",
        "aquin.production.cells",
        "aquin.production.grading",
        "aquin.production.history",
        "aquin.jobs.shown_shot",
    )


AFTER_MS = 160
"""After another shot is shown, so long until anything else is worked on: pictures come first."""


class BenchLink(QObject):
    """The Bench's door into the production. A side knows by its `shot_id` which shot it is; a file that was opened by
    hand is none.

    `shown`: something else is to be shown. `standing`: a small picture of a shot under a grade may stand in for one
    side's picture.
    """

    shown = Signal()
    standing = Signal(str, object, object)
    told = Signal(str)

    def __init__(self, session: Session, state: BenchState, files: Files, owner: QWidget) -> None:
        super().__init__(owner)
        self.session, self.state, self.files, self.owner = session, state, files, owner
        self._learning = Latest(self)
        self._learning.ready.connect(self._learnt)
        self._serial = 0
        self.said = Said(state)
        files.changed.connect(self._recall)
        self._after = later(self, self._look_further, AFTER_MS)
        session.changed.connect(self.follow)
        session.measured.connect(self._measured)

    # which shots are on the Bench

    @property
    def shot(self) -> Shot | None:
        """The production's shot that is the shot on the Bench."""
        return self.side("shot")

    def side(self, role: Role) -> Shot | None:
        production, side = self.session.production, self.state.side(role)
        if production is None or side is None or not side.shot_id:
            return None
        return production.find(Shot, side.shot_id)

    # opening

    def open_beside(self, shot: Shot) -> bool:
        """A shot beside its hero at that moment; the hero itself alone. False when a file is not there."""
        production, shoot = self.session.production, self.session.shoot
        if production is None or shoot is None:
            return False
        sides: dict[Role, Side] = {}
        for one, role, frame in shown_shot.beside(production, shoot, shot):
            side = shown_shot.side_of(production, one, frame)
            if side is None:
                return False
            sides[role] = side
        self._show(production, sides, shot)
        return True

    def open(self, shot: Shot, role: Role, frame: int | None = None) -> bool:
        """A shot on one side; the other one stays. False when its file is not there."""
        production = self.session.production
        side = None if production is None else shown_shot.side_of(production, shot, frame)
        if production is None or side is None:
            return False
        sides: dict[Role, Side] = {role: side}
        other: Role = "hero" if role == "shot" else "shot"
        if (held := self.state.side(other)) is not None:
            sides[other] = held
        self._show(production, sides, shot)
        return True

    def _show(self, production: Production, sides: dict[Role, Side], selected: Shot) -> None:
        """Look at these sides: what is known of them is there at once, the rest follows."""
        state = self.state
        hero, shot = sides.get("hero"), sides.get("shot")
        owners = {r: production.find(Shot, s.shot_id) for r, s in sides.items() if s.shot_id}
        kept = state.grade if shot is not None and not shot.shot_id and shot == state.now.shot else Grade()
        grade = (
            (grading.held_grade(production, one) or Grade())
            if (one := owners.get("shot")) is not None
            else kept
        )
        hero_owner = owners.get("hero")
        dabs = tuple(self._painted(production, s) for s in (hero, shot))
        state.show(Decisions(hero, shot, grade, dabs=(dabs[0], dabs[1])))
        state.hero_grade = _held_at(production, hero_owner, hero)
        state.tolerances = cells.tolerances_of(production)
        state.known = self._known(production)
        for role, owner in owners.items():
            self.standing.emit(role, owner, state.hero_grade if role == "hero" else state.here)
        self.said.recall(production, anew=True)
        self.session.select(selected.id)
        self.files.waiting = True
        self.files.load_both()
        self._after.start()

    def _recall(self) -> None:
        """Other frames may be on the Bench now."""
        if self.session.production is not None:
            self.said.recall(self.session.production)

    def _look_further(self) -> None:
        """Once the pictures are there: what the production knows, then what may be looked at next."""
        if not self._learn():
            self.files.waiting = False
            self.files.solve()
        if self.session.production is not None:
            self._look_ahead(self.session.production)

    def _painted(self, production: Production, side: Side | None) -> tuple[Dab, ...]:
        """The skin that was painted on this frame of a shot."""
        held = production.option(f"skin:{side.shot_id}") if side is not None and side.shot_id else None
        if side is None or not isinstance(held, dict) or held.get("frame") != side.frame:
            return ()
        try:
            return dabs_of(held.get("dabs", ()))
        except (ValueError, TypeError):  # another program's
            return ()

    def _known(self, production: Production) -> Known:
        """What the Board knows of the shot, and what is open about what is on the Bench."""
        shot, shoot = self.shot, self.session.shoot
        if shot is None or shoot is None:
            hero = self.side("hero")
            found = tuple(cells.open_findings(production).get(hero.id, ())) if hero is not None else ()
            return Known(findings=found)
        measured = self.session.state_of(shot.id)
        rows = measured.rows if measured is not None and measured.grade == self.state.grade else ()
        findings = cells.findings_beside(shoot, shot, cells.open_findings(production))
        return Known(rows, self.state.here if rows else None, findings, shown_shot.used_of(production, shot))

    def _learn(self) -> bool:
        """What charts and compared frames say of the shot is looked up beside this thread; False: nothing can be."""
        production, shoot, shot = self.session.production, self.session.shoot, self.shot
        at = shoot.moment(shot) if shoot is not None and shot is not None else None
        side, hero = self.state.side("shot"), self.state.side("hero")
        if production is None or shot is None or at is None or side is None or hero is None:
            return False
        first = self.side("hero")
        if shot.kind == "chart" and first is not None and first.kind == "chart":
            return False  # what both show is better than what is known
        if (hero.shot_id, hero.frame, side.frame) != (at.hero.id, at.hero_frame, at.shot_frame):
            return False  # other frames than those that were compared
        self._serial += 1
        serial, config = self._serial, self.session.config

        def work() -> tuple[int, Told | None]:
            from aquin.production.shoot import Shoot

            try:
                return serial, shown_shot.known_of(production, Shoot(production, config), shot)
            except AquinError:
                return serial, None

        self._learning.ask(work)
        return True

    def _learnt(self, found: tuple[int, Told | None]) -> None:
        if found[0] != self._serial:
            return
        self.files.waiting = False
        if found[1] is not None:
            self.state.given = found[1]
            self.shown.emit()
        self.files.solve()

    def _look_ahead(self, production: Production) -> None:
        """Read the neighbours' frames meanwhile."""
        shot, shoot = self.shot, self.session.shoot
        if shot is None or shoot is None:
            return
        sides = []
        for by in (1, -1):
            other = shown_shot.neighbour(production, shoot, shot, by)
            for one, _, frame in shown_shot.beside(production, shoot, other) if other is not None else ():
                if (side := shown_shot.side_of(production, one, frame)) is not None:
                    sides.append(side)
        self.files.read_ahead(sides)

    # shots one after the other

    def step(self, by: int) -> str:
        """The previous or next shot of the setup beside its hero, or the first; what stands in the way, in words."""
        production, shoot, shot = self.session.production, self.session.shoot, self.shot
        if production is None or shoot is None or (shot is None and not self.state.empty):
            return "The shot on the Bench is of no production."
        other = shown_shot.neighbour(production, shoot, shot, by)
        if other is None:
            return (
                "There is no further shot in this setup."
                if shot
                else "No shot has a hero yet: see the Board."
            )
        return (
            ""
            if self.open_beside(other)
            else f"The file of {other.name} is not where it was: File, Find missing media."
        )

    # the door

    def newest(self) -> int:
        return self.session.production.newest if self.session.production is not None else 0

    def keep(self, before: Decisions, now: Decisions, what: str) -> bool:
        """Write what was decided on a production's shot into the production. What can't be written stays with the
        Bench, and is told.
        """
        production, shot = self.session.production, self.shot
        same = (before.hero, before.shot, before.faces) == (now.hero, now.shot, now.faces)
        if production is None or shot is None or production.read_only or not same:
            return False
        if before.pairs != now.pairs and not self.said.can_name:
            return False
        try:
            if before.grade != now.grade:
                grading.keep_grade(production, self.session.config, shot, now.grade, what)
            self._keep_painted(production, before, now)
            self.said.keep(production, before, now)
        except AquinError as error:
            self.told.emit(f"The last change is not saved: {error.line()}")
            return False
        return True

    def _keep_painted(self, production: Production, before: Decisions, now: Decisions) -> None:
        puts: list[Record] = []
        for role, was, dabs in zip(ROLES, before.dabs, now.dabs, strict=True):
            side = now.side(role)
            if was != dabs and side is not None and side.shot_id:
                value = {"frame": side.frame, "dabs": dabs_values(dabs)}
                puts.append(Option(value if dabs else None, id=f"skin:{side.shot_id}"))
        if puts:
            production.change("paint skin", *puts)

    def keep_encoding(self, role: Role, side: Side) -> None:
        """How a production's shot was recorded was chosen here: that is the shot's own from now on."""
        production, shot = self.session.production, self.side(role)
        if production is None or shot is None or production.read_only:
            return
        chosen: dict[str, Any] = {
            "encoding": side.encoding,
            "range": side.range or "",
            "matrix": side.matrix or "",
        }
        try:
            from aquin.production.raw import decode_of, layer_record

            layer, held = dict(side.raw).get("layer", ""), decode_of(production, shot)
            other = [] if layer == (held.layer if held else "") else [layer_record(production, shot, layer)]
            production.change(f"encoding of {shot.name}: {side.encoding}", replace(shot, **chosen), *other)
        except AquinError as error:
            self.told.emit(error.line())

    def follow(self) -> None:
        """Something in the production was decided, here or elsewhere: take over what concerns the shots on the
        Bench.
        """
        production, state = self.session.production, self.state
        if production is None or not any(self.side(r) for r in ROLES):
            return
        again: list[Role] = []
        for role in ROLES:
            owner, side = self.side(role), state.side(role)
            if owner is None or side is None:
                continue
            now = shown_shot.side_of(production, owner, side.frame)
            if now is not None and replace(now, corners=side.corners) != side:
                state.follow(**{role: replace(now, corners=side.corners)})
                again.append(role)
        if (shot := self.shot) is not None:
            state.follow(grade=grading.held_grade(production, shot) or Grade())
        hero = self.side("hero")
        first = _held_at(production, hero, state.side("hero")) if hero is not None else state.hero_grade
        moved = first != state.hero_grade
        state.hero_grade, state.tolerances = first, cells.tolerances_of(production)
        painted = tuple(
            self._painted(production, s)
            if (s := state.side(r)) is not None and s.shot_id
            else state.now.dabs[k]
            for k, r in enumerate(ROLES)
        )
        state.follow(dabs=painted)
        moved |= self.said.recall(production)
        state.known = self._known(production)
        for role in again:
            self.files.load(role)
        if moved or again:
            state.given = None
            self.files.waiting = True
            self._after.start()
        self.shown.emit()

    def _measured(self) -> None:
        production = self.session.production
        if production is not None and self.shot is not None and self.state.evidence is None:
            self.state.known = self._known(production)
            self.shown.emit()

    def resolve(self) -> None:
        """After a session file was opened: sides whose shots this production does not have are files like any other."""
        production, now = self.session.production, self.state.now
        self._serial += 1  # what is looked up for the shot before comes too late
        for role in ROLES:
            side = now.side(role)
            if (
                side is not None
                and side.shot_id
                and (production is None or production.find(Shot, side.shot_id) is None)
            ):
                self.state.follow(**{role: replace(side, shot_id="")})
        if production is not None and (shot := self.shot) is not None:
            self.session.select(shot.id)
            self.follow()
            self.files.waiting = True
            self._after.start()

    # what one decides about the shot

    def agree(self) -> str:
        """Mark the shot on the Bench as agreed, or open it again; what was done, in words. Raises AquinError."""
        from aquin.production.agreeing import agree, agreed
        from aquin.production.shoot import Shoot

        production, shot, shoot = self.session.production, self.shot, self.session.shoot
        if production is None or shot is None or shoot is None:
            return "Only shots of the production can be marked as agreed."
        self.state.end_stroke()
        shoot = Shoot(production, self.session.config)
        on = not agreed(production, shoot, shot)
        agree(production, shoot, [shot], on)
        return f"{shot.name} is agreed." if on else f"{shot.name} is open again."

    def fix(self, finding: Finding) -> None:
        """Make the change that a finding offers."""
        if self.session.production is not None:
            try:
                audit.apply_fix(self.session.production, finding)
            except AquinError as error:
                self.told.emit(error.line())

    @property
    def note(self) -> str | None:
        """The note of the shot on the Bench; None where it is not the production's."""
        shot = self.shot
        return None if shot is None else shot.note

    def keep_note(self, text: str) -> None:
        production, shot = self.session.production, self.shot
        if production is not None and shot is not None and text != shot.note:
            try:
                production.change(f"note on {shot.name}", replace(shot, note=text))
            except AquinError as error:
                self.told.emit(error.line())

    def ask_tolerances(self) -> QWidget:
        where = "in this production" if self.session.production is not None else "in this session"
        dialog = ToleranceDialog(self.state.tolerances, where, self.owner)
        dialog.chosen.connect(self._keep_tolerances)
        open_fitting(dialog)
        return dialog

    def _keep_tolerances(self, values: dict[str, float]) -> None:
        production = self.session.production
        try:
            if production is not None:
                cells.keep_tolerances(production, values)
                values = cells.tolerances_of(production)
        except AquinError as error:
            self.told.emit(error.line())
            return
        self.state.tolerances = values
        self.shown.emit()

    def show_history(self) -> HistoryDialog | None:
        """The ledger's history of the shot on the Bench."""
        production, shot, state = self.session.production, self.shot, self.state
        steps: list[Step]
        try:
            if production is not None and shot is not None:
                state.end_stroke()
                steps = history.history_of(production, shot)
            else:
                steps = session_steps([(s.what, s.before.grade) for s in state.past], state.grade)
        except AquinError as error:
            self.told.emit(error.line())
            return None
        name = shot.name if shot is not None else "the shot"
        dialog = HistoryDialog(steps, state.evidence, state.tolerances, name, self.owner)
        dialog.taken.connect(self._take_again)
        open_fitting(dialog)
        return dialog

    def _take_again(self, grade: Grade, what: str) -> None:
        self.state.set_grade(grade, what)
        self.shown.emit()

    def idle(self) -> bool:
        return self._learning.idle() and not self._after.isActive()

    def finish(self) -> None:
        self._learning.finish()


def _held_at(production: Production, shot: Shot | None, side: Side | None) -> Grade:
    """What holds at a side's frame of a production's shot."""
    found = grading.held_grade(production, shot) if shot is not None else None
    return Grade() if found is None else found.at(0 if side is None or side.frame is None else side.frame)
