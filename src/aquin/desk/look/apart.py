"""A reference still taken apart beside the shots: rows of numbers by tone zone, hues, and the fitted parts."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QPushButton, QSizePolicy, QWidget

from aquin.desk.commands import tip, words
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import line_of
from aquin.desk.kit.gauge import draw_gauge

if TYPE_CHECKING:
    from aquin.jobs.look_work import Dissected
    from aquin.look.reference import Apart, Zone

LINE = 22
COLUMNS = ("share", "level", "mired", "10⁻³ Duv", "C*")
NUMBER, NAME, MARK = 52, 58, 66
LEVEL_NEAR = 3.0
"""Per cent of signal within which a zone's level counts as the reference's."""


class ApartSheet(QWidget):
    """Numbers of the reference in the left half, those of the shots in the right one, with how far they hang off."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The reference taken apart")
        self.found: Dissected | None = None
        self.still: QImage | None = None
        self.shot: QImage | None = None
        """A shot under the fitted look."""

    def sizeHint(self) -> QSize:
        return QSize(720, 480)

    def show_found(self, found: Dissected | None) -> None:
        self.found = found
        if found is not None:
            worst = found.data()["suitability"]
            self.setAccessibleDescription(
                f"suits {found.score:.2f}; " + "; ".join(worst["reasons"]) + "; " + "; ".join(_parts(found))
            )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.PANEL)
        if self.found is None:
            return
        y = self._zones(p, 8.0)
        y = self._ends(p, y + 8)
        y = self._hues(p, y + 10)
        self._words(p, y + 8)

    def _text(self, p: QPainter, x: float, y: float, width: float, text: str, right: bool = True) -> None:
        flag = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        p.drawText(QRectF(x, y, width, LINE), flag | Qt.AlignmentFlag.AlignVCenter, text)

    def _zones(self, p: QPainter, y: float) -> float:
        assert self.found is not None
        second = 16 + NAME + len(COLUMNS) * NUMBER + 10
        p.setFont(theme.font(theme.BASE, True))
        p.setPen(theme.TEXT)
        self._text(p, 16 + NAME, y, len(COLUMNS) * NUMBER, "reference")
        self._text(p, second, y, len(COLUMNS) * NUMBER, "shots, without a look")
        y += LINE
        p.setFont(theme.font(theme.SMALL))
        p.setPen(theme.FAINT)
        for k, title in enumerate(COLUMNS):
            self._text(p, 16 + NAME + k * NUMBER, y, NUMBER - 6, title)
            self._text(p, second + k * NUMBER, y, NUMBER - 6, title)
        self._text(p, second + len(COLUMNS) * NUMBER, y, MARK, "level off", right=True)
        y += LINE
        for theirs, own in zip(self.found.reference.zones, self.found.own.zones, strict=True):
            p.setFont(theme.font())
            p.setPen(theme.TEXT)
            self._text(p, 16, y, NAME, theirs.name, right=False)
            for start, zone in ((16 + NAME, theirs), (second, own)):
                for k, text in enumerate(_numbers(zone)):
                    p.setPen(theme.DIM if text == "–" else theme.TEXT)
                    self._text(p, start + k * NUMBER, y, NUMBER - 6, text)
            if math.isfinite(theirs.level) and math.isfinite(own.level):
                box = QRectF(second + len(COLUMNS) * NUMBER + 4, y, MARK, LINE)
                draw_gauge(p, box, own.level - theirs.level, LEVEL_NEAR)
            y += LINE
        return y

    def _ends(self, p: QPainter, y: float) -> float:
        assert self.found is not None
        p.setFont(theme.font())
        p.setPen(theme.TEXT)
        for name, of in (("reference", self.found.reference), ("shots", self.found.own)):
            self._text(p, 16, y, self.width() - 32, f"{name}: {_ends(of)}", right=False)
            y += LINE
        return y

    def _hues(self, p: QPainter, y: float) -> float:
        """The reference as grey bars, the shots as a line over them."""
        assert self.found is not None
        from aquin.look.reference import HUE_NAMES

        theirs, own = self.found.reference, self.found.own
        wide, high = (self.width() - 32) / len(HUE_NAMES), 64.0
        most = max(*(theirs.coloured * v for v in theirs.hues), *(own.coloured * v for v in own.hues), 0.02)
        p.setFont(theme.font(theme.SMALL))
        points = []
        for k, name in enumerate(HUE_NAMES):
            x = 16 + k * wide
            bar = high * theirs.coloured * theirs.hues[k] / most
            p.fillRect(QRectF(x + 3, y + high - bar, wide - 6, bar), theme.grey(92))
            points.append(QPointF(x + wide / 2, y + high - high * own.coloured * own.hues[k] / most))
            p.setPen(theme.DIM)
            p.drawText(QRectF(x - 4, y + high + 2, wide + 8, 16), Qt.AlignmentFlag.AlignCenter, name)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(theme.BRIGHT, 1.4))
        p.drawPolyline(points)
        p.setPen(theme.FAINT)
        self._text(p, 16, y - 4, self.width() - 32, "hues: reference as bars, shots as the line", right=True)
        return y + high + 20

    def _words(self, p: QPainter, y: float) -> None:
        assert self.found is not None
        p.setFont(theme.font())
        p.setPen(theme.TEXT)
        suits = self.found.data()["suitability"]
        worst = ", ".join(f"{s['shot']} {s['score']:.2f}" for s in suits["shots"][:3])
        against = [f"{s['shot']}: {r}" for s in suits["shots"][:3] for r in s["reasons"][:2]]
        lines = [f"Suits {suits['score']:.2f} of 1; worst {worst}", *against, *_parts(self.found)]
        for k, line in enumerate(lines):
            p.setPen(theme.TEXT if k == 0 or k > len(against) else theme.DIM)
            self._text(p, 16, y, self.width() - 32, line, right=False)
            y += LINE - 2
        if self.still is not None:
            room = QRectF(16, y + LINE, self.width() - 32, max(self.height() - y - LINE - 6, 60))
            size = self.still.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(QRectF(room.left(), room.top(), size.width(), size.height()), self.still)
            if self.shot is not None:
                left = room.left() + size.width() + 12
                rest = QRectF(left, room.top(), max(self.width() - left - 16, 40), size.height())
                size = self.shot.size().scaled(rest.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
                p.drawImage(QRectF(rest.left(), rest.top(), size.width(), size.height()), self.shot)
                p.setPen(theme.DIM)
                none = self.found.fitted.look.neutral
                name = self.found.best[0]
                said = f"{name}: no look was fitted" if none else f"{name} under the fitted look"
                self._text(p, rest.left(), rest.top() - LINE, rest.width(), said, False)


class FitAgain(QWidget):
    """What may be tried after a fit: the shot alone that the still suits best, or all that differs."""

    def __init__(self) -> None:
        super().__init__()
        line = line_of((16, 4, 16, 8), self)
        self.alone, self.bold = QPushButton(), QPushButton(words("look.bold"))
        for button, id in ((self.alone, "look.alone"), (self.bold, "look.bold")):
            button.setToolTip(tip(id))
            line.addWidget(button)
        line.addStretch()

    def show_found(self, found: Dissected | None, writable: bool) -> None:
        several = found is not None and len(found.by_shot) > 1
        if found is not None:
            name, best = found.best
            self.alone.setText(f"{words('look.alone')}: {name}, {best.score:.2f}")
        self.alone.setVisible(several)
        self.bold.setVisible(found is not None and not found.asked.bold)
        self.setVisible(not (self.alone.isHidden() and self.bold.isHidden()))
        for button in (self.alone, self.bold):
            button.setEnabled(writable)

    def take_keyboard(self) -> None:
        (self.bold if self.alone.isHidden() else self.alone).setFocus()


def _numbers(zone: Zone) -> tuple[str, ...]:
    def number(v: float, digits: int = 1, signed: bool = False) -> str:
        return f"{v:{'+' if signed else ''}.{digits}f}".replace("-", "−") if math.isfinite(v) else "–"

    return (
        f"{100 * zone.share:.0f} %",
        number(zone.level),
        number(zone.warmth, 1, True),
        number(zone.tint, 1, True),
        number(zone.chroma),
    )


def _ends(of: Apart) -> str:
    skin = "" if of.skin is None else f", skin {of.skin[0]:.0f}° at {of.skin[1]:.0f} %"
    return (
        f"floor {of.floor:.1f} %, ceiling {of.ceiling:.1f} %, contrast {of.contrast:.1f} st, "
        f"{100 * of.coloured:.0f} % coloured{skin}"
    )


def _parts(found: Dissected) -> list[str]:
    said = [f"Without a look the two lie {found.fitted.distance[0]:.1f} apart"]
    return said + [
        f"{p.name} leaves {p.left:.1f}" + ("" if p.kept else ": not kept") for p in found.fitted.parts
    ]
