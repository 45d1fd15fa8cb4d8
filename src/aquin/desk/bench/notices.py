"""What lies over the Bench's pictures: what is open about the shot, and what is missing to open a side."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QRect, Signal

from aquin.desk.bench.notice import Choice, Notice
from aquin.desk.kit.axes import disagreement
from aquin.jobs.load_side import ROLES, Role

if TYPE_CHECKING:
    from aquin.desk.bench.link import BenchLink
    from aquin.desk.bench.over_time import OverTime
    from aquin.desk.bench.state import BenchState
    from aquin.desk.kit.pictures import Pictures
    from aquin.desk.session import Session
    from aquin.production.audit import Finding


class _SideNotice(Notice):
    """Over one side's picture."""

    def __init__(self, pictures: Pictures, role: Role) -> None:
        super().__init__(pictures, f"What is missing for the {role}", top=False)
        self.pictures, self.role = pictures, role

    def area(self) -> QRect:
        return self.pictures.cell(self.role).toRect()


class Notices(QObject):
    """`asked` carries a command to run."""

    asked = Signal(str)

    def __init__(
        self,
        session: Session,
        state: BenchState,
        link: BenchLink,
        over_time: OverTime,
        pictures: Pictures,
    ) -> None:
        super().__init__(pictures)
        self.session, self.state, self.link, self.over_time = session, state, link, over_time
        self.finding = Notice(pictures, "What is open about this shot", top=True)
        self.sides = {role: _SideNotice(pictures, role) for role in ROLES}
        session.changed.connect(self.show)

    def show(self) -> None:
        """What is open about the shot, or where its chart and its picture disagree; and what is missing."""
        found = self.state.known.findings
        choices: list[Choice] = []
        words = ""
        if found and self.state.now.shot is not None:
            more = f" And {len(found) - 1} more." if len(found) > 1 else ""
            words = f"{'!' if found[0].severity == 'error' else '?'}  {found[0].said.rstrip('.')}.{more}"
            choices = self._choices(found[0])
        elif against := disagreement(self.state.ledger()):
            words = f"?  {against}"
            choices.append(
                (
                    "Name a pair (J)",
                    "The same thing in both pictures decides",
                    lambda: self.asked.emit("bench.pairs"),
                )
            )
        asked = self.session.asked.get(self.session.shot_id)
        if asked and self.state.now.shot is not None:
            words = f"{words}\n" if words else ""
            words += f"{asked} asks to leave this shot alone for now."
        if note := self._note():
            words = f"{words}\n{note}" if words else note
            tip = "Read it, answer, or say that it is seen to"
            choices.append(("Notes …", tip, lambda: self.asked.emit("app.notes")))
        self.finding.say(words, choices)
        for role in ROLES:
            self._show_missing(role)

    def _note(self) -> str:
        """The newest open note on the shot."""
        production, id = self.session.production, self.session.shot_id
        if production is None or not id:
            return ""
        from aquin.production.notes import open_notes  # not at the window's start

        found = open_notes(production, id)
        more = f" And {len(found) - 1} more." if len(found) > 1 else ""
        return f"✎  {found[-1].words.rstrip('.')}.{more}" if found else ""

    def _choices(self, found: Finding) -> list[Choice]:
        out: list[Choice] = []
        fix = found.fix
        if fix is not None and self.session.writable:
            text = fix.words[:1].upper() + fix.words[1:]
            out.append((text, "Makes this change; it can be undone (Ctrl+Z)", lambda: self.link.fix(found)))
        if found.kind == "changing light" and self.session.writable:
            tip = "Keys over time take back what light does after this frame; it can be undone (Ctrl+Z)"
            out.append(("Follow the light (D)", tip, self.over_time.follow))
        out.append(
            (
                "Show in Shots",
                "All that speaks for it, and setting it aside",
                lambda: self.asked.emit("shots.finding"),
            )
        )
        return out

    def _show_missing(self, role: Role) -> None:
        side = self.state.side(role)
        if side is None or side.encoding:
            self.sides[role].say("")
            return
        choices: list[Choice] = [
            (
                "Choose its encoding …",
                "How this recording is to be understood",
                lambda: self.link.files.pick_encoding(role),
            ),
        ]
        if side.shot_id:
            choices.append(
                (
                    "Choose it for the camera …",
                    "In Plan, for all that this camera recorded",
                    lambda: self.asked.emit("app.plan"),
                )
            )
        self.sides[role].say(f"Nobody has said yet how {Path(side.file).name} was recorded.", choices)

    def place(self) -> None:
        for notice in (self.finding, *self.sides.values()):
            notice.place()
