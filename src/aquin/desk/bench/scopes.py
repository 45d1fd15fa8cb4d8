"""Waveform, chroma plane and patches. Everywhere the hero is the grey band and the shot is the line work."""

from collections.abc import Sequence

import cv2
import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from aquin.arrays import Float32
from aquin.desk.kit import theme
from aquin.measure.scopes import HIGH, LOW, SKIN_ANGLE, Histogram, Waveform


class _Scope(QWidget):
    def __init__(self, name: str, tip: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(150, 110)
        self.title = name

    def sizeHint(self) -> QSize:
        return QSize(300, 250)

    def _ground(self) -> QPainter:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.WELL)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.font(theme.SMALL))
        p.setPen(theme.DIM)
        p.drawText(QRectF(8, 3, self.width() - 16, 18), Qt.AlignmentFlag.AlignVCenter, self.title)
        return p


class WaveformScope(_Scope):
    """Per cent of the display's signal by column."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(
            "waveform",
            "Display signal in per cent, by column. Grey band: the hero's luma, 5th to 95th percentile, "
            "with its median. Lines: the shot's red, green and blue at the same percentiles; white: its luma median.",
            parent,
        )
        self.hero: Waveform | None = None
        self.shot: Waveform | None = None
        self.mode = "overlaid"

    MODES = ("overlaid", "side by side", "luma")

    def cycle(self) -> None:
        """Red, green and blue over each other, beside each other, or luma alone."""
        self.mode = self.MODES[(self.MODES.index(self.mode) + 1) % len(self.MODES)]
        self.title = "waveform" if self.mode == "overlaid" else f"waveform, {self.mode}"
        self.update()

    def show_waves(self, hero: Waveform | None, shot: Waveform | None) -> None:
        self.hero, self.shot = hero, shot
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self._ground()
        box = QRectF(36, 24, self.width() - 44, self.height() - 32)

        def y(signal: float) -> float:
            return float(box.bottom() - (signal - LOW) / (HIGH - LOW) * box.height())

        for level in (0, 25, 50, 75, 100):
            p.setPen(QPen(theme.grey(70 if level in (0, 100) else 42), 1))
            p.drawLine(QPointF(box.left(), y(level / 100)), QPointF(box.right(), y(level / 100)))
            p.setPen(theme.FAINT)
            p.drawText(
                QRectF(0, y(level / 100) - 8, 30, 16),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                f"{level}",
            )

        parts = 3 if self.mode == "side by side" else 1

        def line(values: Float32, part: int = 0) -> QPolygonF:
            wide = box.width() / parts - (6 if parts > 1 else 0)
            x = box.left() + part * box.width() / parts + (np.arange(len(values)) + 0.5) / len(values) * wide
            level = box.bottom() - (values - LOW) / (HIGH - LOW) * box.height()
            return QPolygonF(list(map(QPointF, x.tolist(), level.tolist())))

        for part in range(parts if self.hero is not None else 0):
            assert self.hero is not None
            channel = part if parts > 1 else 3
            low, middle, high = (line(self.hero.bands[:, k, channel], part) for k in range(3))
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.grey(78))
            p.drawPolygon(QPolygonF(low.toList() + high.toList()[::-1]))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(theme.grey(150), 1.2))
            p.drawPolyline(middle)
        if self.shot is not None:
            p.setRenderHint(QPainter.RenderHint.Antialiasing, self.devicePixelRatioF() > 1.4)
            if self.mode == "luma":
                for k in range(3):
                    p.setPen(QPen(theme.BRIGHT if k == 1 else theme.DIM, 1))
                    p.drawPolyline(line(self.shot.bands[:, k, 3]))
                return
            for channel, colour in enumerate((theme.RED, theme.GREEN, theme.BLUE)):
                for k in range(3):
                    p.setPen(QPen(colour if k == 1 else colour.darker(135), 1))
                    p.drawPolyline(line(self.shot.bands[:, k, channel], channel if parts > 1 else 0))
            if parts == 1:
                p.setPen(QPen(theme.BRIGHT, 1))
                p.drawPolyline(line(self.shot.bands[:, 1, 3]))


class ChromaPlane(_Scope):
    """Cb across, Cr up; the circle and the enlargement follow what is there."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(
            "chroma plane",
            "BT.709 Cb across and Cr up. Grey: where 95 % of the hero's pixels are. Lines: the same for the "
            "shot, and for its middle half. The skin line stands at 123 degrees.",
            parent,
        )
        self.hero: Float32 | None = None
        self.shot: Float32 | None = None
        self._masks: list[np.ndarray | None] = [None, None, None]
        self.reach = 0.5

    def show_density(self, hero: Float32 | None, shot: Float32 | None) -> None:
        self.hero, self.shot = hero, shot
        found = [d for d in (hero, shot) if d is not None]
        self.reach = self._reach(found)
        self._masks = [self._mask(hero, 0.95), self._mask(shot, 0.95), self._mask(shot, 0.5)]
        self.update()

    def _reach(self, densities: Sequence[Float32]) -> float:
        """Half width of the plane that shows 99.5 % of the pixels."""
        for reach in (0.125, 0.25):
            if densities and all(self._crop(d, reach).sum() > 0.995 * d.sum() for d in densities):
                return reach
        return 0.5

    @staticmethod
    def _crop(density: Float32, reach: float) -> Float32:
        size = len(density)
        half = round(size * reach)
        return density[size // 2 - half : size // 2 + half, size // 2 - half : size // 2 + half]

    def _mask(self, density: Float32 | None, share: float) -> np.ndarray | None:
        if density is None:
            return None
        smooth = cv2.GaussianBlur(
            cv2.resize(self._crop(density, self.reach), (256, 256), interpolation=cv2.INTER_LINEAR),
            (0, 0),
            3.0,
        )
        order = np.sort(smooth.ravel())[::-1]
        total = np.cumsum(order)
        level = order[min(int(np.searchsorted(total, share * total[-1])), len(order) - 1)]
        return np.asarray(smooth > max(float(level), 1e-9), np.uint8)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self._ground()
        radius = min(self.width() - 16, self.height() - 34) / 2
        middle = QPointF(self.width() / 2, 24 + (self.height() - 30) / 2)
        box = QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius)
        hero, shot, core = self._masks
        if hero is not None:
            picture = np.zeros((256, 256, 4), np.uint8)
            picture[hero > 0] = (78, 78, 78, 255)
            p.drawImage(box, QImage(picture.data, 256, 256, 1024, QImage.Format.Format_ARGB32))
        p.setPen(QPen(theme.grey(64), 1))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(middle, radius, radius)
        p.drawLine(QPointF(box.left(), middle.y()), QPointF(box.right(), middle.y()))
        p.drawLine(QPointF(middle.x(), box.top()), QPointF(middle.x(), box.bottom()))
        angle = np.radians(SKIN_ANGLE)
        end = middle + QPointF(float(np.cos(angle)), float(-np.sin(angle))) * radius
        p.setPen(QPen(theme.grey(150), 1, Qt.PenStyle.DashLine))
        p.drawLine(middle, end)
        p.setPen(theme.DIM)
        p.drawText(QRectF(end.x() - 70, end.y() - 17, 66, 16), Qt.AlignmentFlag.AlignRight, "skin 123°")
        p.drawText(
            QRectF(self.width() - 90, 3, 82, 18),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            f"± {100 * self.reach:g} %",
        )
        for mask, width in ((shot, 1.2), (core, 1.8)):
            if mask is None:
                continue
            p.setPen(QPen(theme.BRIGHT, width))
            for outline in cv2.findContours(mask, cv2.RETR_LIST, cv2.CHAIN_APPROX_TC89_L1)[0]:
                if len(outline) > 4:
                    x, y = outline.reshape(-1, 2).T * (box.width() / 256.0)
                    p.drawPolygon(
                        QPolygonF(list(map(QPointF, (box.left() + x).tolist(), (box.top() + y).tolist())))
                    )


class Tones(_Scope):
    """How often each level of the display's signal occurs, and what is clipped on the display."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(
            "tones",
            "How often each level of the display's signal occurs. Grey: the hero's luma. Lines: the shot's "
            "red, green and blue. "
            "Below: share of the shot's pixels at the display's floor and ceiling.",
            parent,
        )
        self.hero: Histogram | None = None
        self.shot: Histogram | None = None

    def show_tones(self, hero: Histogram | None, shot: Histogram | None) -> None:
        self.hero, self.shot = hero, shot
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self._ground()
        box = QRectF(10, 26, self.width() - 20, self.height() - 62)
        sides = [h for h in (self.hero, self.shot) if h is not None]
        if not sides:
            return
        top = max(float(np.sqrt(h.share[:, 1:-1]).max()) for h in sides) or 1.0

        def line(share: Float32) -> QPolygonF:
            x = box.left() + (np.arange(len(share)) + 0.5) / len(share) * box.width()
            y = box.bottom() - np.minimum(np.sqrt(share) / top, 1) * box.height()
            return QPolygonF(list(map(QPointF, x.tolist(), y.tolist())))

        for level in (0.0, 0.5, 1.0):
            x = box.left() + (level - LOW) / (HIGH - LOW) * box.width()
            p.setPen(QPen(theme.grey(52), 1))
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        if self.hero is not None:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.grey(78))
            outline = line(self.hero.share[3])
            p.drawPolygon(
                QPolygonF(
                    [QPointF(box.left(), box.bottom()), *outline.toList(), QPointF(box.right(), box.bottom())]
                )
            )
            p.setBrush(Qt.BrushStyle.NoBrush)
        if self.shot is None:
            return
        for channel, colour in enumerate((theme.RED, theme.GREEN, theme.BLUE)):
            p.setPen(QPen(colour, 1))
            p.drawPolyline(line(self.shot.share[channel]))
        p.setPen(theme.DIM)
        for right, shares, word in ((False, self.shot.under, "at 0"), (True, self.shot.over, "at 100 %")):
            text = f"{word}: " + " ".join(f"{100 * float(v):.1f}" for v in shares) + " %"
            side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            p.drawText(QRectF(8, box.bottom() + (18 if right else 4), self.width() - 16, 14), side, text)


class Patches(_Scope):
    """The chart's patches as split swatches: hero on the left, shot on the right, with their difference."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(
            "patches",
            (
                "Each patch of the chart: left half as the hero read it, right half as the shot has it now, and "
                "their dE00."
            ),
            parent,
        )
        self.colours: np.ndarray | None = None
        self.gaps: np.ndarray | None = None
        self.columns = 6

    def show_patches(self, colours: np.ndarray | None, gaps: np.ndarray | None, columns: int) -> None:
        """`colours`: (n, 2, 3) display signal of hero and shot. `gaps`: (n,) dE00."""
        self.colours, self.gaps, self.columns = colours, gaps, columns
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self._ground()
        p.setPen(theme.FAINT)
        p.drawText(
            QRectF(60, 3, self.width() - 68, 18),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            "hero | shot, dE00",
        )
        if self.colours is None or self.gaps is None:
            return
        from PySide6.QtGui import QColor

        rows = -(-len(self.colours) // self.columns)
        w = min((self.width() - 12) / self.columns, 72.0)
        h = (self.height() - 32) / rows
        text = 16 if h > 34 else 0
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for k, pair in enumerate(self.colours):
            x, y = 6 + (k % self.columns) * w, 24 + (k // self.columns) * h
            for side in (0, 1):
                r, g, b = (int(v) for v in (np.clip(pair[side], 0, 1) * 255).round())
                p.fillRect(
                    QRectF(x + 2 + side * (w - 4) / 2, y + 2, (w - 4) / 2, h - 4 - text), QColor(r, g, b)
                )
            if text:
                p.setPen(theme.BRIGHT if self.gaps[k] > 2 else theme.DIM)
                p.drawText(
                    QRectF(x, y + h - text - 1, w, text), Qt.AlignmentFlag.AlignCenter, f"{self.gaps[k]:.1f}"
                )
