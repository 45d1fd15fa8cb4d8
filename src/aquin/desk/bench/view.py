"""The Bench: hero and shot side by side, the ledger, the stack and the scopes."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import QElapsedTimer, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from aquin.colour import acescct
from aquin.colour.baked import BakedView
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.colour.hue_warp import hue_of, planes
from aquin.colour.primaries import AP1_LUMA
from aquin.colour.region import Ellipse, Region
from aquin.desk.bench.files import Files
from aquin.desk.bench.pictures import MODES, ZONE_NAMES, Pictures
from aquin.desk.bench.playback import Player, Track
from aquin.desk.bench.preview import Seen, Shown, Wish, gaps, graded, see
from aquin.desk.bench.scopes import ChromaPlane, Patches, Tones, WaveformScope
from aquin.desk.bench.side_header import SideHeader
from aquin.desk.bench.side_panel import SidePanel
from aquin.desk.bench.state import ROLES, Bench, Role, colour_at, parted
from aquin.desk.bench.tools import Tools
from aquin.desk.kit import theme
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.desk.kit.labels import Words
from aquin.match.engine import second_pass
from aquin.match.settle import settle as settle_axis
from aquin.measure.ledger import AXES, REPORTED, PictureValues, difference_of
from aquin.measure.looks import Facts, clipped_share, facts
from aquin.measure.scopes import Scopes, scopes_of

_MODE_TIPS = {
    "side": "Hero on the left, shot on the right",
    "seam": "Hero left of a line, shot right of it. Drag the line; drag its end to turn it; arrow keys move it, Alt with arrow keys turns it",
    "strips": "Vertical strips of both in turn",
    "difference": "CIEDE2000 between hero and shot, place by place, in steps: for two recordings of one view",
    "blink": "Hero and shot in turn, two changes a second. Flashing pictures can hurt: it never goes faster",
}


LATER_MS = 80
"""While a number is dragged, the pictures follow at once, and numbers and scopes this much later at most."""


class BenchView(QWidget):
    """Widgets around the `Bench` state. `stated` tells the window that something worth showing or saving changed."""

    stated = Signal()
    told = Signal(str)

    def __init__(self, bench: Bench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.bench = bench
        self.jobs = Jobs(self)
        self.latest = Latest(self)
        self.latest.ready.connect(self._shown)
        self.scoping = Latest(self)
        self.scoping.ready.connect(self._draw_scopes)
        self.judging = Latest(self)
        self.judging.ready.connect(self._judged)
        self.baked: BakedView | None = None
        self.seen_on = bench.config.default_view()
        self._facts: dict[tuple[object, ...], Facts] = {}
        self._seen: dict[Role, tuple[object, object, Seen]] = {}
        """By side: which frame, window and size it is of; which grade and view; and what was made."""
        self.player: Player | None = None
        self._ending: list[Player] = []
        self._hovered: Grade | None = None
        self.used: tuple[tuple[int, int], ...] = ()
        """First and last frames of the shot that the edit uses, where that is known."""
        self.preview_ms: list[float] = []
        self._clock = QElapsedTimer()
        self._scoped: dict[Role, Shown] = {}
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(LATER_MS)
        self._later.timeout.connect(self._caught_up)
        self.files = Files(bench, self.jobs, self)
        self.files.changed.connect(self.refresh)
        self.files.said.connect(self._said)
        self.files.told.connect(self.told)
        self.files.config_chosen.connect(self.set_config)
        self._build()
        self.refresh()
        self.bake()

    # building

    def _build(self) -> None:
        self.headers = {role: SideHeader(role) for role in ROLES}
        self.pictures = Pictures()
        self.waveform, self.plane, self.patches = WaveformScope(), ChromaPlane(), Patches()
        self.tones = Tones()
        self.third = QStackedWidget()
        self.third.addWidget(self.patches)
        self.third.addWidget(self.tones)
        for header in self.headers.values():
            header.open_file.connect(self.files.ask_file)
            header.pick.connect(self.files.pick_encoding)
            header.go_to.connect(self.files.go_to)
        self.pictures.dropped.connect(self.files.dropped)
        self.pictures.corners_moved.connect(self.files.corners_moved)
        self.pictures.resized.connect(self.redraw)
        tools = self.tools = Tools(self.pictures)
        tools.area.changed.connect(self._areas_changed)
        tools.region.moved.connect(self._ellipse_moved)
        tools.region.picked.connect(self._key_picked)
        tools.skin.changed.connect(self._skin_painted)
        tools.pairs.changed.connect(self._pairs_named)
        tools.faces.connect(self._faces)
        tools.play.connect(self.play)
        tools.strip.chosen.connect(lambda frame: self.files.go_to("shot", str(frame)))

        heads = QHBoxLayout()
        heads.setSpacing(theme.GRID)
        for header in self.headers.values():
            heads.addWidget(header, 1)
        modes = QHBoxLayout()
        modes.setContentsMargins(4, 4, 4, 4)
        modes.setSpacing(4)
        self.mode_buttons: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for mode in MODES:
            button = QPushButton(mode)
            button.setCheckable(True)
            button.setProperty("quiet", True)
            button.setToolTip(f"{_MODE_TIPS[mode]} (C cycles)")
            button.clicked.connect(lambda _=False, m=mode: self.set_mode(m))
            group.addButton(button)
            modes.addWidget(button)
            self.mode_buttons[mode] = button
        self.mode_buttons["side"].setChecked(True)
        modes.addStretch()
        self.state_label = Words("")
        self.state_label.set_role("dim")
        self.corners_button, self.grade_button = QPushButton("chart corners"), QPushButton("grade on")
        self.zones_button, self.third_button = QPushButton("zones"), QPushButton("tones")
        self.waves_button = QPushButton("waves")
        self.waves_button.setProperty("quiet", True)
        self.waves_button.setToolTip("Waveform: channels over each other, side by side, or luma alone (W)")
        self.waves_button.clicked.connect(self.waveform.cycle)
        for button, tip in (
            (
                self.zones_button,
                "Exposure zones: stops from grey of the graded scene, each in one colour (Z)",
            ),
            (self.third_button, "How often each level occurs, in the place of the patches (V)"),
            (self.corners_button, "Show the chart's corners; drag them to where the patch field ends (K)"),
            (self.grade_button, "The whole grade on or off (G)"),
        ):
            button.setCheckable(True)
            button.setChecked(True)
            button.setProperty("quiet", True)
            button.setToolTip(tip)
        for button in (self.zones_button, self.third_button):
            button.setChecked(False)
        self.zones_button.toggled.connect(self._toggle_zones)
        self.third_button.toggled.connect(lambda on: self.third.setCurrentIndex(int(on)))
        self.corners_button.toggled.connect(self._toggle_corners)
        self.grade_button.toggled.connect(self._toggle_grade)
        for widget in (
            self.state_label,
            self.waves_button,
            self.third_button,
            self.zones_button,
            self.corners_button,
            self.grade_button,
        ):
            modes.addWidget(widget)

        upper = QWidget()
        column = QVBoxLayout(upper)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(heads)
        column.addWidget(self.pictures, 1)
        column.addWidget(self.tools)
        column.addLayout(modes)
        self.scopes = QSplitter(Qt.Orientation.Horizontal)
        for scope, share in ((self.waveform, 46), (self.plane, 27), (self.third, 27)):
            self.scopes.addWidget(scope)
            self.scopes.setStretchFactor(self.scopes.count() - 1, share)
        self.scopes.setSizes([400, 225, 225])
        self.rows = QSplitter(Qt.Orientation.Vertical)
        self.rows.addWidget(upper)
        self.rows.addWidget(self.scopes)
        self.rows.setStretchFactor(0, 3)
        self.rows.setStretchFactor(1, 2)
        self.rows.setSizes([352, 412])
        self.rows.setChildrenCollapsible(False)

        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self.columns.addWidget(self.rows)
        self.columns.addWidget(self._panel())
        self.columns.setStretchFactor(0, 1)
        self.columns.setStretchFactor(1, 0)
        self.columns.setSizes([850, 344])
        self.columns.setChildrenCollapsible(False)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.columns)

    def _panel(self) -> SidePanel:
        panel = self.panel = SidePanel()
        self.ledger, self.stack, self.alternatives = panel.ledger, panel.stack, panel.alternatives
        self.ledger.settle.connect(self.settle)
        panel.settle_all.connect(self.settle_all)
        self.stack.changed.connect(self._stack_changed)
        self.stack.ended.connect(self._stack_ended)
        panel.regions.changed.connect(self._regions_changed)
        panel.regions.ended.connect(self._stack_ended)
        panel.regions.chosen.connect(lambda _: self._show_region())
        panel.strength_changed.connect(self._strength)
        panel.again.connect(self.second_pass)
        panel.hovered.connect(self._hover)
        panel.taken.connect(self._take)
        panel.export.connect(self.ask_export)
        return panel

    # screen and configuration

    def set_config(self, config: ColourConfig) -> None:
        self.bench.config = config
        self.bake()

    def set_screen(self, display: str, view: str) -> None:
        self.seen_on = (display, view)
        self.bake()
        self.stated.emit()

    def bake(self) -> None:
        """Bake the chosen view for the preview, away from this thread."""
        config, (display, view) = self.bench.config, self.seen_on

        def done(baked: BakedView) -> None:
            self.baked = baked
            self.files.view = baked.process
            self.redraw()
            self.stated.emit()

        self.jobs.start(
            "bake",
            "preparing the view",
            lambda: BakedView.bake(config.view(display, view), 65),
            done,
            self.told.emit,
        )

    def place_corners(self, role: Role) -> None:
        """Corners in the middle of the picture, to be dragged to where the chart is."""
        loaded = self.bench.loaded[role]
        if loaded is None:
            return
        self.set_mode("side")
        self.corners_button.setChecked(True)
        w, h = loaded.clip.source.width, loaded.clip.source.height
        x, y = 0.15 * w, 0.10 * w
        self.pictures.corners[role] = np.array(
            [[w / 2 - x, h / 2 - y], [w / 2 + x, h / 2 - y], [w / 2 + x, h / 2 + y], [w / 2 - x, h / 2 + y]]
        )
        self.pictures.picked = (role, 0)
        self.pictures.setFocus()
        self.pictures.update()
        self.told.emit(
            "Drag the square corner to the first patch (dark skin), the others clockwise on the chart."
        )

    def _said(self, role: Role, text: str) -> None:
        self.pictures.messages[role] = text
        self.pictures.update()

    # the grade

    def settle(self, axis: str) -> None:
        bench, baked = self.bench, self.baked
        found = next(a for a in AXES if a.name == axis)
        if axis in REPORTED:
            self.told.emit(f"The {axis} is only reported: nothing can settle it.")
            return
        hero, shot = bench.loaded["hero"], bench.loaded["shot"]
        if not found.picture:
            bench.settle(axis)
            self.refresh()
        elif bench.match is not None and baked is not None and hero is not None and shot is not None:
            evidence, grade, first = bench.match.evidence, bench.grade, bench.hero_grade

            def work() -> Grade:
                target = facts(hero.linear, first, baked.process).values()
                detail = axis == "sharpness"
                return settle_axis(
                    evidence,
                    grade,
                    axis,
                    lambda g: facts(shot.linear, g, baked.process, detail=detail).values(),
                    target,
                )

            def done(made: Grade) -> None:
                bench.set_grade(made, f"settle {axis}")
                self.refresh()
                if made == grade:
                    self.told.emit(f"Nothing moves the {axis} any nearer to the hero.")

            self.jobs.start("settle axis", f"settling {axis}", work, done, self.told.emit)

    def settle_all(self) -> None:
        self.bench.settle_all()
        self.refresh()

    def _stack_changed(self, grade: Grade, what: str, dragging: bool) -> None:
        self._clock.start()
        self.bench.set_grade(grade, what, what if dragging else None)
        self.refresh(light=dragging)

    def _stack_ended(self) -> None:
        self.bench.end_stroke()
        self.refresh()

    def _toggle_grade(self, on: bool) -> None:
        self.bench.graded = on
        self.grade_button.setText("grade on" if on else "grade off")
        self.refresh()

    def _strength(self, share: float) -> None:
        self.bench.strength = share
        if self._hovered is None:
            self.panel.show_solutions(self.bench.match, self.bench)

    def second_pass(self) -> None:
        """A tone curve and a hue warp on what the present grade leaves, beside this thread."""
        match, grade = self.bench.match, self.bench.grade
        if match is None:
            return

        def done(made: Grade | None) -> None:
            if made is None:
                self.told.emit("A second pass finds nothing that pairs left out would be the better for.")
            elif self.bench.grade == grade:
                self.bench.set_grade(made, "second pass")
                self.refresh()

        self.jobs.start(
            "second pass",
            "solving what is left",
            lambda: second_pass(match.evidence, grade),
            done,
            self.told.emit,
        )

    # regions, skin, pairs, areas

    def _regions_changed(self, regions: tuple[Region, ...], what: str, dragging: bool) -> None:
        self._stack_changed(replace(self.bench.grade, regions=regions), what, dragging)
        self._show_region()

    def _show_region(self) -> None:
        """The selected region's ellipse under the hand."""
        found = self.panel.regions.region
        self.tools.region.ellipse = None if found is None else found.ellipse
        w, h = self.pictures.sizes["shot"]
        self.tools.region.tall = h / w
        self.pictures.update()

    def edit_regions(self) -> None:
        """Take up the regions' tool; without a region there is one then."""
        self.tools.toggle("regions")
        if self.tools.chosen and self.panel.regions.region is None:
            self.panel.regions.add("ellipse")

    def _ellipse_moved(self, ellipse: Ellipse, dragging: bool) -> None:
        found = self.panel.regions.region
        if found is not None:
            self.panel.regions.put(replace(found, ellipse=ellipse), "move a region", dragging)
            if not dragging:
                self._stack_ended()

    def _key_picked(self, x: float, y: float) -> None:
        """The key takes the hue and level of the graded colour under the hand."""
        found, loaded = self.panel.regions.region, self.bench.loaded["shot"]
        if found is None or found.key is None or loaded is None:
            return
        log = np.asarray(self.bench.grade.apply_linear(colour_at(loaded, (x, y))[None]), np.float64)
        level = float(np.log2(max(float(acescct.decode(log)[0] @ AP1_LUMA), 1e-6) / 0.18))
        chroma = float(np.hypot(*(v[0] for v in planes(log))))
        key = replace(
            found.key,
            hue=round(float(hue_of(log)[0]), 1),
            chroma=round(chroma / 3, 4),
            low=round(level - 2, 1),
            high=round(level + 2, 1),
        )
        self.panel.regions.put(replace(found, key=key), "pick a key")

    def _skin_painted(self) -> None:
        dabs = self.tools.skin.dabs
        self.bench.decide("paint skin", replace(self.bench.now, dabs=(dabs["hero"], dabs["shot"])))
        self._marks_changed()

    def _faces(self, on: bool) -> None:
        self.bench.decide("skin in faces only", replace(self.bench.now, faces=on))
        self._marks_changed()

    def _pairs_named(self) -> None:
        self.bench.decide("name a pair", replace(self.bench.now, pairs=self.tools.pairs.pairs))
        self._marks_changed(again=True)

    def _marks_changed(self, again: bool = False) -> None:
        self.refresh()
        if again:
            self.files.solve()
        else:
            self.files.solve_for_skin()

    def _areas_changed(self) -> None:
        self.redraw()

    def _show_marks(self) -> None:
        """What hands hold, as decided."""
        now, tools = self.bench.now, self.tools
        tools.pairs.pairs = now.pairs
        tools.skin.dabs = {"hero": now.dabs[0], "shot": now.dabs[1]}
        tools.faces_button.setChecked(now.faces)
        loaded = self.bench.loaded["shot"]
        used = self.used if loaded is not None else ()
        tools.strip.show_shot(
            None if loaded is None else loaded.clip.source, 0 if loaded is None else loaded.frame.number, used
        )
        tools.play_button.setEnabled(loaded is not None and loaded.clip.source.count > 1)
        self.panel.regions.show_regions(self.bench.grade.regions)
        self.pictures.handled.emit()

    # playback

    def play(self) -> None:
        """Hero and shot from here on, in step; or stop."""
        if self.player is not None:
            self.stop_playing()
            return
        baked, loaded = self.baked, self.bench.loaded
        shot = loaded["shot"]
        if baked is None or shot is None or shot.clip.source.count < 2:
            return
        tracks: dict[Role, Track] = {"shot": Track(shot, self._grade_shown(), shot.frame.number)}
        hero = loaded["hero"]
        if hero is not None:
            tracks["hero"] = Track(hero, self.bench.hero_grade, hero.frame.number)
        area = self.pictures.cell("shot")
        player = self.player = Player(
            tracks, self.bench.config, baked, (round(area.width()), round(area.height())), self
        )
        self.pictures.set_zoom(1.0)
        player.shown.connect(self._played)
        player.ended.connect(self._play_ended)
        self.tools.play_button.setText("stop")
        player.start()

    def _played(self, made: dict[Role, np.ndarray], number: int) -> None:
        if self.player is not None:
            for role, pixels in made.items():
                self.pictures.set_image(role, pixels)
            self.tools.strip.show_playing(number)
            self.player.taken()

    def _play_ended(self, line: str) -> None:
        if line:
            self.told.emit(line)
        self.stop_playing()

    def stop_playing(self) -> None:
        player, self.player = self.player, None
        if player is not None:
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
            self.redraw()

    def _let_go(self, player: Player) -> None:
        if player in self._ending:
            self._ending.remove(player)
            player.deleteLater()

    def _toggle_zones(self, on: bool) -> None:
        self.pictures.zone_names = ZONE_NAMES if on else ()
        self.redraw()

    def _toggle_corners(self, on: bool) -> None:
        self.pictures.show_corners = on
        self.pictures.update()

    def _hover(self, model: str) -> None:
        """Preview an alternative while the pointer is on it; an empty name ends that."""
        if model and self.bench.match is not None:
            self._hovered = self.bench.taken(self.bench.match.solution(*parted(model)))
            self.redraw()
            self.ledger.show_rows(self.bench.ledger(self._hovered))
        elif not model and self._hovered is not None:
            self._hovered = None
            self.refresh()

    def _take(self, model: str) -> None:
        self._hovered = None
        self.bench.take(*parted(model))
        self.refresh()

    def undo(self) -> None:
        self._stepped(self.bench.undo, "Undone")

    def redo(self) -> None:
        self._stepped(self.bench.redo, "Done again")

    def _stepped(self, step: Callable[[], str | None], word: str) -> None:
        before = self.bench.now
        what = step()
        if what is None:
            return
        self.told.emit(f"{word}: {what}")
        read = False
        for role in ROLES:
            now, was = self.bench.side(role), before.hero if role == "hero" else before.shot
            if now != was:
                self.files.load(role)
                read = True
        after = self.bench.now
        if not read and (after.pairs, after.dabs, after.faces) != (before.pairs, before.dabs, before.faces):
            self.files.solve()
        self.refresh()

    def swap(self) -> None:
        """The shot becomes the hero. The grade starts afresh, since it led the other way."""
        now = self.bench.now
        if now.hero is not None and now.shot is not None:
            self.bench.decide(
                "make hero",
                replace(now, hero=now.shot, shot=now.hero, grade=Grade(), pairs=(), dabs=((), ())),
            )
            self.bench.loaded = {"hero": self.bench.loaded["shot"], "shot": self.bench.loaded["hero"]}
            self.bench.match = None
            self._seen.clear()
            self.refresh()
            self.files.solve()

    def set_mode(self, mode: str) -> None:
        self.mode_buttons[mode].setChecked(True)
        self.pictures.set_mode(mode)
        if mode == "difference":
            self.redraw()

    def cycle_mode(self) -> None:
        self.set_mode(MODES[(MODES.index(self.pictures.mode) + 1) % len(MODES)])

    # export

    def ask_export(self) -> None:
        shot = self.bench.side("shot")
        start = str(Path(shot.file).with_suffix(".cdl")) if shot else "grade.cdl"
        kinds = "ASC CDL (*.cdl *.cc *.ccc);;Common LUT Format (*.clf);;3D LUT, 65 points (*.cube);;3D LUT, 33 points (*.cube)"
        path, kind = QFileDialog.getSaveFileName(self, "Export the grade", start, kinds)
        if path:
            self.export(Path(path), 33 if kind.startswith("3D LUT, 33") else 65, force=True)

    def export(self, path: Path, size: int = 65, force: bool = False) -> None:
        """Write the grade and prove the file, in the background; the result stands under the button."""
        from aquin.exchange import grade_file
        from aquin.exchange.proof import Proof, prove

        if not path.suffix:
            path = path.with_suffix(".cdl")
        grade = self.bench.grade
        hero, shot = (self.bench.side(role) for role in ROLES)
        title = f"{Path(shot.file).stem if shot else 'shot'}_to_{Path(hero.file).stem if hero else 'hero'}"

        def work() -> Proof:
            grade_file.write(path, grade, title, force, size)
            return prove(path, grade)

        def done(proof: Proof) -> None:
            left = f" Not in it: {grade.beyond_lut}." if grade.beyond_lut else ""
            self.panel.export_note.setText(f"{path.name} is written and was {proof.line()}.{left}")
            self.told.emit(f"Exported {path.name}")

        def failed(line: str) -> None:
            self.panel.export_note.setText(line)
            self.told.emit(line)

        self.panel.export_note.setText(f"writing {path.name}")
        self.jobs.start("export", "exporting", work, done, failed)

    # showing

    def refresh(self, light: bool = False) -> None:
        """Show the state. `light` leaves out what can't have changed while a number is dragged."""
        bench = self.bench
        self.redraw()
        if light:
            if not self._later.isActive():
                self._later.start()
            return
        self._show_numbers()
        match = bench.match
        for role in ROLES:
            side, loaded = bench.side(role), bench.loaded[role]
            self.headers[role].show_side(side, loaded)
            reading = loaded.reading if loaded else None
            self.pictures.corners[role] = None if reading is None else reading.corners
            if loaded is not None:
                self.pictures.sizes[role] = (loaded.clip.source.width, loaded.clip.source.height)
            elif side is None:
                self.pictures.messages[role] = (
                    f"Drop a {role} here, or press Ctrl+{'O' if role == 'hero' else 'Shift+O'}"
                    + ("\nNo files at hand? Press Demo on the left" if role == "hero" else "")
                )
        self._show_marks()
        self.panel.show_solutions(match, bench)
        sure = match and match.confidence(match.solution())
        self.panel.evidence.setText(f"sure {sure:.2f}" if match else "")
        self.panel.evidence.setToolTip(
            "How far the match is believed, from 0 to 1, by\n" + "\n".join(s.line for s in match.sources)
            if match
            else ""
        )
        self.panel.by.setText(
            " and ".join(s.line.rsplit(", sure", 1)[0] for s in match.sources) if match else ""
        )
        self.panel.export_button.setEnabled(bench.side("shot") is not None)
        busy = self.jobs.titles
        self.state_label.setText(busy[0] if busy else "")
        self.stated.emit()

    def _show_numbers(self) -> None:
        """Ledger, stack and patches under the current grade."""
        self.stack.show_grade(self.bench.grade)
        self.ledger.show_rows(self.bench.ledger())
        self._show_patches()
        self.judge()

    def judge(self) -> None:
        """Measure what the ledger measures on whole pictures, beside this thread."""
        bench, baked = self.bench, self.baked
        hero, shot = bench.loaded["hero"], bench.loaded["shot"]
        if baked is None or hero is None or shot is None or bench.match is None:
            return
        grade, first = self._grade_shown(), bench.hero_grade

        (hero_dabs, shot_dabs), faces = bench.now.dabs, bench.now.faces

        def work() -> tuple[object, PictureValues, dict[Role, np.ndarray | None]]:
            sides = []
            for loaded, g, dabs in (
                (hero, first, hero_dabs),
                (shot, Grade(), shot_dabs),
                (shot, grade, shot_dabs),
            ):
                key = (loaded.serial, repr(g), id(baked), dabs, faces)
                if key not in self._facts:
                    if len(self._facts) > 24:
                        self._facts.clear()
                    clipped = clipped_share(loaded.frame.rgb)
                    found = facts(loaded.linear, g, baked.process, clipped, dabs=dabs, faces=faces)
                    self._facts[key] = found
                sides.append(self._facts[key])
            values = (sides[0].values(), sides[1].values(), sides[2].values())
            return (hero.serial, shot.serial), values, {"hero": sides[0].skin, "shot": sides[2].skin}

        self.judging.ask(work)

    def _judged(self, found: tuple[object, PictureValues, dict[Role, np.ndarray | None]]) -> None:
        of, pictures, skin = found
        for role in ROLES:
            self.tools.skin.set_mask(role, skin[role])
        self.pictures.update()
        hero, shot = self.bench.loaded["hero"], self.bench.loaded["shot"]
        if hero is not None and shot is not None and of == (hero.serial, shot.serial):
            self.bench.pictures = pictures
            self.ledger.show_rows(self.bench.ledger())

    def _show_scopes(self) -> None:
        shown = [self._scoped.get(role) for role in ROLES]
        self.scoping.ask(  # of the very bytes on screen
            lambda: [None if side is None else scopes_of(side.pixels[..., 2::-1]) for side in shown]
        )

    def _draw_scopes(self, both: list[Scopes | None]) -> None:
        hero, shot = both
        self.waveform.show_waves(hero.waveform if hero else None, shot.waveform if shot else None)
        self.plane.show_density(hero.density if hero else None, shot.density if shot else None)
        self.tones.show_tones(hero.histogram if hero else None, shot.histogram if shot else None)

    def _caught_up(self) -> None:
        """What follows a dragged number a little later than the picture."""
        self._show_numbers()
        self._show_scopes()

    def _show_patches(self) -> None:
        match, baked = self.bench.match, self.baked
        hero, shot = self.bench.loaded["hero"], self.bench.loaded["shot"]
        if (
            match is None
            or baked is None
            or hero is None
            or shot is None
            or hero.reading is None
            or shot.reading is None
        ):
            self.patches.show_patches(None, None, 6)
            self.third.setCurrentIndex(1)  # without a chart there are no patches
            return
        self.third.setCurrentIndex(int(self.third_button.isChecked()))
        from aquin.measure.ledger import Evidence

        grade, first = self._grade_shown(), self.bench.hero_grade
        pairs = np.stack(
            [first.apply_linear(hero.reading.linear), grade.apply_linear(shot.reading.linear)], axis=1
        )
        all_of_it = Evidence(
            np.asarray(first.linear(hero.reading.linear)),
            np.asarray(grade.linear(shot.reading.linear)),
            self.bench.chart.neutral,
        )
        self.patches.show_patches(
            baked.process(pairs.astype(np.float32)), difference_of(all_of_it), self.bench.chart.columns
        )

    def _grade_shown(self) -> Grade:
        return self._hovered or (self.bench.grade if self.bench.graded else Grade())

    def redraw(self) -> None:
        """Ask for a new preview of what is on screen; only the latest wish is worked on."""
        baked = self.baked
        if baked is None or self.player is not None:
            return
        ratio = self.devicePixelRatioF()
        grades: dict[Role, Grade] = {"hero": self.bench.hero_grade, "shot": self._grade_shown()}
        wishes: list[tuple[Role, Wish, object, object]] = []
        for role in ROLES:
            loaded = self.bench.loaded[role]
            if loaded is None:
                self.pictures.set_image(role, None)
                self._seen.pop(role, None)
                continue
            area, part = self.pictures.visible(role), self.pictures.part_seen(role)
            size = (round(area.width() * ratio), round(area.height() * ratio))
            zones = self.zones_button.isChecked()
            wish = Wish(loaded.linear, grades[role], part, size, self.tools.area.of(role), zones)
            of: object = (loaded.serial, part, size)
            wishes.append((role, wish, of, (of, id(baked), repr(wish.grade), wish.area, zones)))
        if not wishes:
            self.waveform.show_waves(None, None)
            self.plane.show_density(None, None)
            return
        known, in_gaps = dict(self._seen), self.pictures.mode == "difference"

        def work() -> tuple[dict[Role, tuple[object, object, Seen]], np.ndarray | None]:
            out: dict[Role, tuple[object, object, Seen]] = {}
            for role, wish, of, key in wishes:
                held = known.get(role)
                if held is not None and held[1] == key:
                    out[role] = held
                    continue
                small = (held[2].small, held[2].window) if held is not None and held[0] == of else None
                out[role] = (of, key, see(wish, baked, small))
            if not in_gaps or len(out) < 2:
                return out, None
            sides = [
                graded(out[role][2].small, wish.grade, out[role][2].window) for role, wish, _, _ in wishes
            ]
            h, w = out["shot"][2].small.shape[:2]
            return out, gaps(sides[0], sides[1], (w, h))

        self.latest.ask(work)

    def _shown(self, made: tuple[dict[Role, tuple[object, object, Seen]], np.ndarray | None]) -> None:
        if self.player is not None:
            return
        sides, difference = made
        ratio = self.devicePixelRatioF()
        self.pictures.set_gaps(difference, ratio)
        for role, (_, _, seen) in sides.items():
            pixels = seen.picture.pixels if seen.zones is None else seen.zones
            self.pictures.set_image(role, pixels, ratio, seen.window)
        self._seen = sides
        if self._clock.isValid():  # the pair first, the scopes after it
            self.pictures.repaint()
            self.preview_ms.append(self._clock.nsecsElapsed() / 1e6)
            self._clock.invalidate()
        self._scoped = {role: seen.scoped for role, (_, _, seen) in sides.items()}
        if not self._later.isActive():
            self._show_scopes()
        if self.patches.colours is None:
            self._show_patches()

    def finish(self) -> None:
        self.stop_playing()
        for player in list(self._ending):
            player.wait()
        self.jobs.cancel_all()
        self.latest.finish()
        self.scoping.finish()
        self.judging.finish()
        self.jobs.wait()
