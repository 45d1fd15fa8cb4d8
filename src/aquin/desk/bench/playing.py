"""Starting and stopping playback on the Bench."""

import numpy as np
from PySide6.QtCore import QObject, Signal

from aquin.colour.grade import Grade
from aquin.desk.bench.playback import Player, Track
from aquin.desk.bench.seeing import Seeing
from aquin.desk.bench.state import BenchState
from aquin.desk.bench.tools import Tools
from aquin.jobs.load_side import Role


class Playing(QObject):
    """Hero and shot from the measured frames on, in step; stopped, the measured frames come back."""

    told = Signal(str)

    def __init__(self, state: BenchState, seeing: Seeing, tools: Tools) -> None:
        super().__init__(seeing)
        self.state, self.seeing, self.tools = state, seeing, tools
        self.player: Player | None = None
        self._ending: list[Player] = []

    def toggle(self) -> None:
        """Play from here on, or stop."""
        if self.player is not None:
            self.stop()
            return
        baked, loaded = self.seeing.baked, self.state.loaded
        shot, hero = loaded["shot"], loaded["hero"]
        if baked is None or shot is None or shot.clip.source.count < 2:
            return
        tracks: dict[Role, Track] = {"shot": Track(shot, self._grade(), shot.frame.number)}
        if hero is not None:
            tracks["hero"] = Track(hero, self.state.hero_grade, hero.frame.number)
        pictures = self.seeing.pictures
        area = pictures.cell("shot")
        size = (round(area.width()), round(area.height()))
        player = self.player = Player(tracks, self.state.config, baked, size, self)
        self.seeing.paused = True
        pictures.set_zoom(1.0)
        player.shown.connect(self._played)
        player.ended.connect(self._ended)
        self.tools.play_button.setText("stop")
        player.start()

    def _grade(self) -> Grade:
        """The whole grade, moving over time; or what is shown in its place."""
        if self.seeing.hovered is None and self.state.graded:
            return self.state.grade
        return self.seeing.grade_shown()

    def _played(self, made: dict[Role, np.ndarray], number: int) -> None:
        if self.player is not None:
            for role, pixels in made.items():
                self.seeing.pictures.set_image(role, pixels)
            self.tools.strip.show_playing(number)
            self.player.taken()

    def _ended(self, line: str) -> None:
        if line:
            self.told.emit(line)
        self.stop()

    def stop(self) -> None:
        player, self.player = self.player, None
        if player is None:
            return
        player.stop()  # it ends by itself, after the frame that it is at
        self._ending.append(player)
        player.finished.connect(lambda: self._let_go(player))
        if player.isFinished():
            self._let_go(player)
        rate = player.frames / player.took if player.took else 0.0
        if player.frames:
            self.told.emit(f"Played {player.frames} frames, {rate:.0f} a second.")
        self.tools.play_button.setText("play")
        self.tools.strip.show_playing(None)
        self.seeing.paused = False
        self.seeing.redraw()

    def _let_go(self, player: Player) -> None:
        if player in self._ending:
            self._ending.remove(player)
            player.deleteLater()

    def finish(self) -> None:
        self.stop()
        for player in list(self._ending):
            player.wait()
