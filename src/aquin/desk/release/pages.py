"""The pages of the Release view."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QComboBox, QPushButton, QSpinBox, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.labels import Words
from aquin.desk.kit.plain_table import PlainTable
from aquin.desk.kit.sheet import Cell, Sheet, image_of
from aquin.desk.release.state import ReleaseDesk, Row
from aquin.wording import minus

SHOTS = {"all": "All shots", "agreed": "Only agreed shots"}
STATES = {"changed": "changed", "missing": "missing", "added": "not of the release", "older": "older"}


class Page(QWidget):
    """`desk`: what it shows."""

    def __init__(self, desk: ReleaseDesk) -> None:
        super().__init__()
        self.desk = desk
        self.column = column_of((8, 4, 8, 8), self, spacing=6)

    def show_desk(self) -> None:
        """Show what the desk knows now."""


class ContentsPage(Page):
    """What would go out. `changed`: other shots are wished."""

    changed = Signal()

    def __init__(self, desk: ReleaseDesk) -> None:
        super().__init__(desk)
        line = line_of(0, spacing=8)
        self.only = QComboBox()
        self.only.setAccessibleName("Which shots go out")
        for name, title in SHOTS.items():
            self.only.addItem(title, name)
        self.only.activated.connect(self._choose)
        self.summary = Words("", role="dim", wrap=True)
        line.addWidget(self.only)
        line.addWidget(self.summary, 1)
        self.column.addLayout(line)
        names = ("shot", "camera", "setup", "its grade", "beside its hero", "agreed", "note")
        self.table = PlainTable("Shots that go out", names, wide=6)
        self.table.setToolTip("Enter looks at the shot on the Bench")
        self.column.addWidget(self.table, 1)

    def _choose(self) -> None:
        self.desk.only = str(self.only.currentData())
        self.changed.emit()

    def show_desk(self) -> None:
        rows = self.desk.rows
        self.only.setCurrentIndex(self.only.findData(self.desk.only))
        going = self.desk.going
        agreed = sum(bool(r.agreed) and "earlier" not in r.agreed for r in going)
        beyond = sum(bool(r.beyond) and r.beyond != "more than a CDL" for r in going)
        text = f"{len(going)} of {len(rows)} shots go out; {agreed} are agreed"
        self.summary.setText(text + (f"; of {beyond} no file can carry all" if beyond else ""))
        self.table.show_many(
            [r.id for r in rows],
            lambda k: _shot_cells(rows[k]),
            lambda k: bool(rows[k].why),
        )


def _shot_cells(r: Row) -> tuple[str, ...]:
    return r.name, r.camera, r.setup, minus(r.grade), r.state, r.agreed, r.note


class VerifyPage(Page):
    """Every file and every route."""

    def __init__(self, desk: ReleaseDesk) -> None:
        super().__init__(desk)
        self.title = Words("", size=theme.LARGE, strong=True, wrap=True)
        self.about = Words("", role="dim", wrap=True)
        self.column.addWidget(self.title)
        self.column.addWidget(self.about)
        self.routes = PlainTable("Routes", ("route", "", "99.9 %", "at worst", "shots", "note"), wide=5)
        self.routes.setFixedHeight(22 * 7 + 6)
        self.column.addWidget(self.routes)
        self.files = Words("", wrap=True)
        self.column.addWidget(self.files)
        self.table = PlainTable("Files that are not as released", ("file", "", "what is known"), wide=2)
        self.column.addWidget(self.table, 8)
        self.column.addStretch(1)

    def show_desk(self) -> None:
        found = self.desk.verified
        there = found is not None
        for widget in (self.routes, self.table, self.files):
            widget.setVisible(there)
        if found is None:
            self.title.setText("No release is verified yet")
            self.about.setText(
                "Every file is read and compared with its hash, and the check frames are made again by every route: "
                "CDL, CLF, LUT, ready LUT and configuration, through OpenColorIO alone."
            )
            return
        about = found.manifest.about
        state = "is whole" if found.ok else "is not as it was made"
        self.title.setText(f"{about['production']['name']}, release {found.manifest.version}, {state}")
        signature = {
            "none": "not signed",
            "good": "its signature holds",
            "bad": "its signature does not hold",
        }
        lines = [f"{about['when'][:10]} by {about['who']}; {len(found.manifest.shots)} shots"]
        lines += [signature[found.standing.signature]] + ([found.newest] if found.newest else [])
        lines += [str(about["note"])] if about["note"] else []
        self.about.setText("; ".join(lines) + ".")
        self.routes.show_rows([_route(r) for r in found.routes])
        wrong = found.standing.wrong
        many = len(found.standing.files)
        self.files.setText(
            f"All {many} files are as released."
            if not wrong
            else f"{len(wrong)} of {many} files are not as released:"
        )
        self.table.setVisible(bool(wrong))
        self.table.show_rows([(f.name, (f.name, STATES[f.state], f.words)) for f in wrong])


def _route(route: Any) -> tuple[str, Sequence[str]]:
    from aquin.release.routes import TITLES

    seen = route.route == "ready"
    near = [f"{v:.2f} dE00" if seen else f"{1023 * v:.3f} code" for v in (route.p999, route.worst)]
    notes = []
    data = route.data()
    if data.get("nearest"):
        notes.append(f"{len(data['nearest'])} more have the nearest CDL")
    if any(g.tabled for g in route.gaps):
        notes.append("root polynomials and hue warps are tabled")
    notes += [f"{shot}: {why}" for shot, why in route.trouble[:2]]
    word = "right" if route.ok else "wrong"
    return route.route, (TITLES[route.route], word, *near, str(len(route.exact)), "; ".join(notes))


class PicturePage(Page):
    """What did they do? `asked`: the shot or the frame is another one."""

    asked = Signal()

    def __init__(self, desk: ReleaseDesk) -> None:
        super().__init__(desk)
        line = line_of(0, spacing=8)
        line.addWidget(Words("It shows"))
        self.shots = QComboBox()
        self.shots.setAccessibleName("The shot that the picture shows")
        self.shots.setMinimumWidth(160)
        self.shots.activated.connect(lambda: self.asked.emit())
        line.addWidget(self.shots)
        line.addWidget(Words("frame"))
        self.number = QSpinBox()
        self.number.setAccessibleName("Frame; the release's check frame at -1")
        self.number.setRange(-1, 9_999_999)
        self.number.setValue(-1)
        self.number.setSpecialValueText("of the check")
        self.number.setToolTip("Another frame than the release's own needs the media")
        self.number.editingFinished.connect(self._framed)
        line.addWidget(self.number)
        self.made_for = Words("made for")
        line.addWidget(self.made_for)
        self.deliverables = QComboBox()
        self.deliverables.setAccessibleName("The deliverable that the picture was made for")
        self.deliverables.setMaximumWidth(240)
        self.deliverables.activated.connect(lambda: self.asked.emit())
        line.addWidget(self.deliverables)
        self.name = Words("", role="dim").gives_way()
        line.addWidget(self.name, 1)
        self.column.addLayout(line)
        self.verdict = Words("", size=theme.LARGE, strong=True, wrap=True)
        self.column.addWidget(self.verdict)
        self.sheet = Sheet()
        self.column.addWidget(self.sheet, 1)
        self.table = PlainTable("Causes, the likeliest first", ("explains", "left", "what they did"), wide=2)
        self.table.setFixedHeight(22 * 7 + 6)
        self.column.addWidget(self.table)
        self._last = -1
        self._shown: object = None

    @property
    def shot_name(self) -> str:
        return str(self.shots.currentData() or "")

    @property
    def frame(self) -> int | None:
        return None if self.number.value() < 0 else self.number.value()

    @property
    def deliverable(self) -> str | None:
        """None: the first one."""
        return None if self.deliverables.currentIndex() <= 0 else self.deliverables.currentText()

    def _framed(self) -> None:
        if self.number.value() != self._last:
            self._last = self.number.value()
            self.asked.emit()

    def choose(self, name: str) -> None:
        at = self.shots.findData(name)
        if at >= 0:
            self.shots.setCurrentIndex(at)

    def step(self, by: int) -> None:
        """The next or previous shot."""
        if self.shots.count():
            self.shots.setCurrentIndex((self.shots.currentIndex() + by) % self.shots.count())
            self.asked.emit()

    def show_desk(self) -> None:
        desk = self.desk
        verified = desk.verified
        names = [s.name for s in desk.shots]
        if verified is not None:
            names = [str(s["name"]) for s in verified.manifest.shots]
        _offer(self.shots, names)
        made_for = desk.deliverables
        _offer(self.deliverables, made_for)
        for widget in (self.made_for, self.deliverables):
            widget.setVisible(len(made_for) > 1)
        self.name.setText("" if desk.picture is None else desk.picture.name)
        found = desk.told
        if found is None:
            self.verdict.setText(
                "Bring a still or a movie that somebody made elsewhere of one of these shots: drop it here, or Ctrl+O."
                if desk.picture is None
                else "Looking …"
            )
            self.sheet.show_cells([""], [""], [])
            self.table.show_rows([])
            self._shown = None
            return
        if self._shown is found:
            return
        self._shown = found
        self.verdict.setText(found.verdict)
        self.table.show_rows(
            [
                (
                    c.id,
                    (f"{100 * c.explains:.0f} %", f"{c.left:.2f} dE00" if c.left == c.left else "", c.words),
                )
                for c in found.causes
            ]
        )
        made = "made again, as the likeliest has it"
        pictures = [(found.expected, "as it must be"), (found.theirs, "theirs"), (found.best, made)]
        if found.exact:
            pictures = pictures[:2]
        off = np.abs(found.theirs - found.expected).max(axis=2, keepdims=True)
        pictures.append(
            (np.repeat(np.clip(off * 4, 0, 1), 3, axis=2), "difference of the first two, four times")
        )
        across = 2
        cells = [Cell(image_of(p), k % across, k // across, said) for k, (p, said) in enumerate(pictures)]
        self.sheet.show_cells([""] * across, [""] * -(-len(cells) // across), cells)


def _offer(box: QComboBox, names: Sequence[str]) -> None:
    """Names to choose from; the chosen one stays where it is still there."""
    if list(names) == [box.itemData(k) for k in range(box.count())]:
        return
    kept = box.currentData()
    box.clear()
    for name in names:
        box.addItem(name, name)
    box.setCurrentIndex(max(box.findData(kept), 0))


class ChangesPage(Page):
    """What changed. `saved`: it is to be written with its pictures."""

    saved = Signal()

    def __init__(self, desk: ReleaseDesk) -> None:
        super().__init__(desk)
        line = line_of(0, spacing=8)
        self.title = Words("", wrap=True)
        self.save_button = QPushButton("Write with pictures …")
        self.save_button.setToolTip("As PDF or HTML, with both pictures of each shot")
        self.save_button.clicked.connect(self.saved)
        line.addWidget(self.title, 1)
        line.addWidget(self.save_button)
        self.column.addLayout(line)
        self.sheet = Sheet()
        self.column.addWidget(self.sheet, 1)
        names = ("shot", "exposure", "warmth", "tint", "saturation", "check frame", "what")
        self.table = PlainTable("Shots that changed", names, wide=6)
        self.table.chosen.connect(self._choose)
        self.column.addWidget(self.table, 1)

    def _choose(self, name: str) -> None:
        found = self.desk.compared
        if found is not None:
            self.desk.chosen = next((k for k, c in enumerate(found.changed) if c.shot == name), 0)
            self._show_pictures()

    def show_desk(self) -> None:
        from aquin.jobs.compare_releases import row_of

        found = self.desk.compared
        self.save_button.setEnabled(found is not None)
        if found is None:
            self.title.setText(
                "Nothing is compared yet: the release that is open with the production as it is now."
            )
            self.table.show_rows([])
            self.sheet.show_cells([""], [""], [])
            return
        parts = [f"{found.a} → {found.b}: {len(found.changed)} shots changed, {found.same} are the same"]
        parts += [f"added: {', '.join(found.added)}"] if found.added else []
        parts += [f"gone: {', '.join(found.gone)}"] if found.gone else []
        self.title.setText("; ".join([*parts, *found.about, *found.notes]) + ".")
        self.table.show_rows([(c.shot, row_of(c)) for c in found.changed])
        if found.changed and self.table.currentRow() < 0:
            self.table.setCurrentCell(min(self.desk.chosen, len(found.changed) - 1), 0)
        self._show_pictures()

    def _show_pictures(self) -> None:
        found = self.desk.compared
        chosen = found.changed[self.desk.chosen] if found is not None and found.changed else None
        if found is None or chosen is None or chosen.pictures is None:
            self.sheet.show_cells([""], [""], [])
            return
        both = [QImage.fromData(p) for p in chosen.pictures]
        cells = [Cell(i, k, 0, f"{chosen.shot}: {(found.a, found.b)[k]}") for k, i in enumerate(both)]
        self.sheet.show_cells(["", ""], [""], cells)
