"""The strip of scopes below the pictures: waveform, chroma plane, and patches or tones; it folds away."""

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QStackedWidget, QWidget

from aquin.desk.bench.scopes import ChromaPlane, Patches, Tones, WaveformScope
from aquin.measure.scopes import Scopes


class ScopeStrip(QSplitter):
    """Widgets only; what they show comes from `Seeing`."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.waveform, self.plane, self.patches, self.tones = (
            WaveformScope(),
            ChromaPlane(),
            Patches(),
            Tones(),
        )
        self.third = QStackedWidget()
        self.third.addWidget(self.patches)
        self.third.addWidget(self.tones)
        for scope, share in ((self.waveform, 46), (self.plane, 27), (self.third, 27)):
            scope.setMinimumHeight(90)
            self.addWidget(scope)
            self.setStretchFactor(self.count() - 1, share)
        self.setSizes([400, 225, 225])
        self.setChildrenCollapsible(False)
        self.wants_tones = False

    def show_tones(self, on: bool) -> None:
        """Tones instead of patches."""
        self.wants_tones = on
        self.show_third(self.patches.colours is not None)

    def show_third(self, charted: bool) -> None:
        """Without a chart there are no patches, and tones stand in their place."""
        self.third.setCurrentIndex(int(self.wants_tones or not charted))

    def show_scopes(self, both: Sequence[Scopes | None]) -> None:
        hero, shot = both
        self.waveform.show_waves(hero.waveform if hero else None, shot.waveform if shot else None)
        self.plane.show_density(hero.density if hero else None, shot.density if shot else None)
        self.tones.show_tones(hero.histogram if hero else None, shot.histogram if shot else None)
