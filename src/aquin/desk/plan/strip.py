"""Where a camera's levels sit in its signal, as a strip: stops as ticks, grey as a line, what is asked for as a
bracket.
"""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from aquin.colour.config import ColourConfig
from aquin.desk.kit import theme
from aquin.production.plan import ExposureCard
from aquin.wording import minus


class ExposureStrip(QWidget):
    """From 0 to 100 % of signal: light at each level as its grey, a tick for each stop, floor, grey, white, and the
    asked grey.
    """

    def __init__(self, config: ColourConfig, card: ExposureCard) -> None:
        super().__init__()
        self.card = card
        import numpy as np

        ramp = np.repeat(np.linspace(0, 1, 101, dtype=np.float32)[:, None], 3, axis=1)
        linear = np.maximum(config.to_linear(card.levels.encoding)(ramp)[:, 1], 0)
        self.shades = [int(v) for v in 255 * (linear / (linear + 0.6)) ** (1 / 2.2)]
        stops = np.arange(-8, 9)
        signal = config.from_linear(card.levels.encoding)(
            np.repeat((0.18 * np.exp2(stops)).astype(np.float32)[:, None], 3, axis=1)
        )[:, 1]
        self.ticks = [(int(s), 100 * float(v)) for s, v in zip(stops, signal, strict=True) if 0 <= v <= 1]
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumSize(QSize(260, 46))
        self.setAccessibleName(
            f"grey at {card.grey.signal:.1f} per cent, asked for at {card.asked.signal:.1f} per cent"
        )
        self.setToolTip(
            "0 to 100 % of signal. A tick for each stop from 18 % grey; the bracket is where the policy "
            "asks for grey; W is 90 % white."
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, width, top, height = 6.0, self.width() - 12.0, 14.0, 11.0

        def x(signal: float) -> float:
            return left + width * signal / 100

        for k, shade in enumerate(self.shades[:-1]):
            painter.fillRect(QRectF(x(k), top, width / 100 + 1, height), QColor(shade, shade, shade))
        painter.setFont(theme.font(theme.SMALL))
        last = x(self.card.floor.signal) + 4
        for stop, signal in self.ticks:
            grey = stop == 0
            painter.setPen(QPen(theme.BRIGHT if grey else theme.FAINT, 2 if grey else 1))
            painter.drawLine(
                QPointF(x(signal), top + height), QPointF(x(signal), top + height + (7 if grey else 4))
            )
            if (
                stop
                and stop % 2 == 0
                and abs(x(signal) - x(self.card.grey.signal)) > 22
                and x(signal) - last > 22
            ):
                last = x(signal)
                painter.setPen(theme.DIM)
                painter.drawText(
                    QRectF(x(signal) - 14, top + height + 3, 28, 13),
                    Qt.AlignmentFlag.AlignCenter,
                    minus(f"{stop:+d}"),
                )
        painter.setPen(theme.TEXT)
        painter.drawText(
            QRectF(x(self.card.grey.signal) - 20, top + height + 6, 40, 14),
            Qt.AlignmentFlag.AlignCenter,
            "grey",
        )
        painter.setPen(theme.DIM)
        for words, level in (("floor", self.card.floor), ("W", self.card.white)):
            painter.drawText(QRectF(x(level.signal) - 20, 0, 40, 13), Qt.AlignmentFlag.AlignCenter, words)
        at = x(self.card.asked.signal)
        painter.setPen(QPen(theme.BRIGHT, 1.6))
        bracket = [
            QPointF(at - 5, top - 4),
            QPointF(at - 5, top - 1),
            QPointF(at + 5, top - 1),
            QPointF(at + 5, top - 4),
        ]
        painter.drawPolyline(QPolygonF(bracket))
