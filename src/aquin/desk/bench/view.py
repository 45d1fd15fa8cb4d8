"""The Bench: hero and shot side by side, the ledger, the stack and the scopes."""

from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QWidget

from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.colour.region import Region
from aquin.desk.bench.files import Files
from aquin.desk.bench.levels import LevelSight
from aquin.desk.bench.link import BenchLink
from aquin.desk.bench.look_sight import LookSight
from aquin.desk.bench.materials import MaterialSight
from aquin.desk.bench.mode_bar import ModeBar
from aquin.desk.bench.notices import Notices
from aquin.desk.bench.over_time import OverTime, words_of
from aquin.desk.bench.playing import Playing
from aquin.desk.bench.presenter import Presenter
from aquin.desk.bench.row_keys import RowKeys
from aquin.desk.bench.scope_strip import ScopeStrip
from aquin.desk.bench.seeing import Seeing
from aquin.desk.bench.side_header import SideHeader
from aquin.desk.bench.side_panel import SidePanel
from aquin.desk.bench.state import BenchState
from aquin.desk.bench.tools import Tools
from aquin.desk.kit import theme
from aquin.desk.kit.ask import EXPORTS, ask_save
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.jobs import Jobs
from aquin.desk.kit.pictures import MODES, Pictures
from aquin.desk.session import Session
from aquin.jobs.load_side import ROLES, Role

LONE = 0.84
"""Share of the width that a hero has which is looked at alone."""
PICTURES, SCOPES = 586, 178
"""Heights of the upper part and of the scopes at 1280 x 800: three fifths of the view are pictures."""
EXPORT_KINDS = (
    "ASC CDL (*.cdl *.cc *.ccc);;Common LUT Format (*.clf);;3D LUT, 65 points (*.cube);;3D LUT, 33 points "
    "(*.cube)"
)


class BenchView(QWidget):
    """Widgets around the state. `stated` tells the window that something worth showing or saving changed; `asked`
    carries a command to run.
    """

    stated = Signal()
    told = Signal(str)
    asked = Signal(str)

    def __init__(self, session: Session, jobs: Jobs, state: BenchState | None = None) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self.state = state or BenchState(session.config)
        self.headers = {role: SideHeader(role) for role in ROLES}
        self.pictures, self.scopes, self.panel = Pictures(), ScopeStrip(), SidePanel()
        self.tools, self.bar = Tools(self.pictures), ModeBar()
        bar = self.bar
        self.mode_buttons, self.state_label = bar.modes, bar.state
        self.zones_button, self.third_button, self.grade_button = bar.zones, bar.tones, bar.grade
        self.corners_button, self.scopes_button, self.bare_button = bar.corners, bar.scopes, bar.bare
        self.files = Files(self.state, jobs, self)
        self.seeing = Seeing(self.state, session, self.pictures, self.scopes, self.tools, jobs)
        self.files.view = lambda: self.seeing.view
        self.presenter = Presenter(self.state, self.files, self.seeing, jobs)
        self.playing = Playing(self.state, self.seeing, self.tools)
        self.link = BenchLink(session, self.state, self.files, self)
        self.state.door = self.link
        self.levels = LevelSight(
            session, self.state, self.seeing, self.presenter, self.link, self.tools.neutral, jobs, self
        )
        self.look_sight = LookSight(session, self.link, self.seeing)
        self.look_sight.told.connect(self.told)
        self.materials = MaterialSight(self.state, self.tools.materials, self)
        self.over_time = OverTime(self.state, self.presenter, self.files, jobs)
        self.notices = Notices(session, self.state, self.link, self.over_time, self.pictures)
        self.bare = False
        self._alone = self._by_targets = False
        self._before_bare = (True, True)
        self._build()
        self._connect()
        self.refresh()
        self.seeing.bake()

    # building

    def _build(self) -> None:
        heads = QHBoxLayout()
        heads.setSpacing(theme.GRID)
        for header in self.headers.values():
            heads.addWidget(header, 1)
        upper = QWidget()
        column = column_of(0, upper, spacing=0)
        column.addLayout(heads)
        column.addWidget(self.pictures, 1)
        column.addWidget(self.tools)
        column.addWidget(self.bar)
        self.rows = QSplitter(Qt.Orientation.Vertical)
        self.rows.addWidget(upper)
        self.rows.addWidget(self.scopes)
        self.rows.setStretchFactor(0, 5)
        self.rows.setStretchFactor(1, 1)
        self.rows.setSizes([PICTURES, SCOPES])
        self.rows.setChildrenCollapsible(False)
        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self.columns.addWidget(self.rows)
        self.columns.addWidget(self.panel)
        self.columns.setStretchFactor(0, 1)
        self.columns.setStretchFactor(1, 0)
        self.columns.setSizes([850, 338])
        self.columns.setChildrenCollapsible(False)
        line_of(0, self).addWidget(self.columns)
        self.state.for_cdl = self.panel.cdl_button.isChecked()

    def _connect(self) -> None:
        for header in self.headers.values():
            header.open_file.connect(self.files.ask_file)
            header.pick.connect(self.files.pick_encoding)
            header.go_to.connect(self.files.go_to)
        files, pictures, panel, tools = self.files, self.pictures, self.panel, self.tools
        files.changed.connect(self.refresh)
        files.said.connect(self._said)
        files.config_chosen.connect(self.set_config)
        files.encoding_chosen.connect(self.link.keep_encoding)
        pictures.dropped.connect(files.dropped)
        pictures.corners_moved.connect(files.corners_moved)
        pictures.resized.connect(self.seeing.redraw)
        pictures.resized.connect(self.notices.place)
        self.bar.chosen.connect(self.set_mode)
        self.bar.waves.clicked.connect(self.scopes.waveform.cycle)
        self.third_button.toggled.connect(self.scopes.show_tones)
        self.zones_button.toggled.connect(self.seeing.show_zones)
        self.corners_button.toggled.connect(self._toggle_corners)
        self.grade_button.toggled.connect(self._toggle_grade)
        self.scopes_button.toggled.connect(self._toggle_scopes)
        self.bare_button.toggled.connect(self.show_bare)
        self.presenter.changed.connect(self._presented)
        self.presenter.previewed.connect(self._show_rows)
        self.presenter.exported.connect(panel.say_exported)
        self.seeing.caught_up.connect(self._show_numbers)
        self.seeing.judged.connect(self._show_rows)
        self.seeing.baked_anew.connect(self.stated)
        self.seeing.baked_anew.connect(self.files.view_there)
        for speaker in (files, self.presenter, self.playing, self.seeing, self.link, self.over_time):
            speaker.told.connect(self.told)
        self.link.shown.connect(self.refresh)
        self._connect_hands()
        panel.ledger.settle.connect(self.presenter.settle)
        panel.settle.connect(self.settle)
        panel.settle_all.connect(self.settle_all)
        self._connect_levels()
        panel.stack.changed.connect(self.levels.number)
        panel.stack.ended.connect(self.levels.number_ended)
        panel.strength_changed.connect(self._strength)
        panel.cdl_wanted.connect(self.presenter.for_cdl)
        panel.again.connect(self.presenter.second_pass)
        panel.alternatives.hovered.connect(self.presenter.hover)
        panel.alternatives.taken.connect(self.presenter.take)
        panel.export.connect(self.ask_export)
        panel.note_written.connect(self.link.keep_note)
        panel.tolerances.connect(self.link.ask_tolerances)
        panel.history.connect(self.link.show_history)
        tools.play.connect(self.playing.toggle)
        self.session.screened.connect(self.seeing.bake)
        self.notices.asked.connect(self.asked)
        RowKeys(panel, self)
        self.session.opened.connect(self._opened)

    def _connect_levels(self) -> None:
        levels, panel = self.levels, self.panel
        panel.against.connect(self._against)
        panel.levels.settle.connect(levels.settle)
        panel.levels.school.connect(levels.choose)
        panel.levels.numbers.connect(levels.ask_ranges)
        levels.found.connect(
            lambda: panel.levels.show_levels(levels.levelled, levels.targets, levels.why, levels.apart)
        )
        levels.found.connect(self.stated)
        levels.told.connect(self.told)
        self.tools.neutral.changed.connect(levels.look)
        self.seeing.baked_anew.connect(levels.look)
        self.session.changed.connect(levels.look)

    def _against(self, on: bool) -> None:
        self.levels.on = on
        self.levels.look()

    def settle(self) -> None:
        """The selected row: to the hero, or into its range."""
        if self.panel.by_targets:
            self.levels.settle(self.panel.levels.ledger.selected)
        else:
            self.presenter.settle(self.panel.ledger.selected)

    def settle_all(self) -> None:
        if self.panel.by_targets:
            self.levels.settle()
        else:
            self.presenter.settle_all()

    def _connect_hands(self) -> None:
        """What hands on the pictures do, and the regions' numbers."""
        tools, regions, presenter = self.tools, self.panel.regions, self.presenter
        tools.area.changed.connect(self.seeing.redraw)
        tools.region.moved.connect(lambda e, dragging: presenter.move_ellipse(regions, e, dragging))
        tools.region.picked.connect(lambda x, y: presenter.pick_key(regions, x, y))
        tools.skin.changed.connect(lambda: presenter.paint_skin(tools.skin.dabs))
        tools.pairs.changed.connect(lambda: presenter.name_pairs(tools.pairs.pairs))
        tools.materials.struck.connect(presenter.strike)
        self.materials.found.connect(self._show_materials)
        self.materials.outlined.connect(self.pictures.update)
        self.panel.materials.hovered.connect(self.materials.outline)
        self.panel.materials.taken.connect(self.materials.strike)
        self.pictures.handled.connect(self._show_materials)
        tools.faces.connect(presenter.faces_only)
        tools.strip.chosen.connect(lambda frame: self.files.go_to("shot", str(frame)))
        regions.changed.connect(self._regions_changed)
        regions.ended.connect(presenter.end_stroke)
        regions.chosen.connect(lambda _: self._show_region())

    def _show_materials(self) -> None:
        on = self.tools.chosen == "materials"
        if on:
            self.materials.look()
        self.panel.show_materials(self.tools.materials.found, on)
        self.pictures.update()

    # configuration and layout

    def set_config(self, config: ColourConfig) -> None:
        """A file that was opened by hand brings its own configuration, or a session file does."""
        self.state.config = config
        self.files.forget()
        self.seeing.bake()

    def _opened(self) -> None:
        """The session shows another production, or its configuration is another one."""
        if self.session.production is not None or self.state.now.shot is None:
            self.set_config(self.session.config)
        if self.state.empty:  # what to do next depends on it
            self.refresh()

    def show_bare(self, on: bool) -> None:
        """Pictures only, and back as it was."""
        if on == self.bare:
            return
        self.bare = on
        if on:
            self._before_bare = (self.scopes.isVisibleTo(self.rows), self.panel.isVisibleTo(self.columns))
        scopes, panel = (False, False) if on else self._before_bare
        self.scopes.setVisible(scopes)
        self.panel.setVisible(panel)
        self.tools.setVisible(not on)
        self.bare_button.setChecked(on)
        self.scopes_button.setEnabled(not on)
        if scopes:
            self.seeing.show_scopes()
        self.pictures.setFocus()

    def _toggle_scopes(self, on: bool) -> None:
        if not self.bare:
            self.scopes.setVisible(on)
            if on:
                self.seeing.show_scopes()

    def take_keyboard(self) -> None:
        """Number fields give the keyboard back to the pictures."""
        self.pictures.setFocus()

    def set_mode(self, mode: str) -> None:
        self.mode_buttons[mode].setChecked(True)
        self.pictures.set_mode(mode)
        self.notices.place()
        if mode == "difference":
            self.seeing.redraw()

    def cycle_mode(self) -> None:
        self.set_mode(MODES[(MODES.index(self.pictures.mode) + 1) % len(MODES)])

    def place_corners(self, role: Role) -> None:
        """Corners in the middle of the picture, to be dragged to where the chart is."""
        loaded = self.state.loaded[role]
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

    def edit_regions(self) -> None:
        """Take up the regions' tool; without a region there is one then."""
        self.panel.sections["regions"].set_open(True)
        self.tools.toggle("regions")
        if self.tools.chosen and self.panel.regions.region is None:
            self.panel.regions.add("ellipse")

    def ask_export(self) -> None:
        shot = self.state.side("shot")
        start = f"{Path(shot.file).stem if shot else 'grade'}.{'cdl' if self.state.for_cdl else 'clf'}"
        path, kind = ask_save(self, "Export the grade", EXPORTS, start, EXPORT_KINDS)
        if path:
            self.presenter.export(path, 33 if kind.startswith("3D LUT, 33") else 65, force=True)

    def _said(self, role: Role, text: str) -> None:
        self.pictures.messages[role] = text
        self.pictures.update()

    def _toggle_corners(self, on: bool) -> None:
        self.pictures.show_corners = on
        self.pictures.update()

    def _toggle_grade(self, on: bool) -> None:
        self.grade_button.setText("grade on" if on else "grade off")
        self.presenter.show_graded(on)

    def _strength(self, share: float) -> None:
        self.state.strength = share
        if self.seeing.hovered is None:
            self.panel.show_solutions(self.state.match, self.state)

    def _regions_changed(self, regions: tuple[Region, ...], what: str, dragging: bool) -> None:
        self.presenter.set_regions(regions, what, dragging)
        self._show_region()

    def _show_region(self) -> None:
        """The selected region's ellipse under the hand."""
        found = self.panel.regions.region
        self.tools.region.ellipse = None if found is None else found.ellipse
        w, h = self.pictures.sizes["shot"]
        self.tools.region.tall = h / w
        self.pictures.update()

    # showing

    def _presented(self, light: bool) -> None:
        if light:  # leaves out what can't have changed while a number is dragged
            self.seeing.redraw()
            self.seeing.later()
        else:
            self.refresh()

    def refresh(self) -> None:
        """Show the state."""
        state = self.state
        self.seeing.redraw()
        self._show_alone()
        for role in ROLES:
            self._show_side(role)
        self._show_numbers()
        self._show_marks()
        self.panel.show_solutions(state.match, state)
        self.panel.show_evidence(state.match, state.ledger())
        self.panel.export_button.setEnabled(state.side("shot") is not None)
        busy = self.jobs.titles
        self.state_label.setText(busy[0] if busy else "")
        self.notices.show()
        self.stated.emit()

    def _show_alone(self) -> None:
        """A production's hero alone is looked at against targets; a pair as the person had it."""
        alone = self.state.side("shot") is None and self.link.side("hero") is not None
        if alone != self._alone:
            self._alone = alone
            if alone:
                self._by_targets = self.panel.by_targets
            self.panel.targets_button.setChecked(alone or self._by_targets)
            self.pictures.split = LONE if alone else 0.5
            self.pictures.resized.emit()

    def _show_side(self, role: Role) -> None:
        side, loaded = self.state.side(role), self.state.loaded[role]
        self.headers[role].show_side(side, loaded)
        reading = loaded.reading if loaded else None
        self.pictures.corners[role] = None if reading is None else reading.corners
        if loaded is not None:
            self.pictures.sizes[role] = (loaded.clip.source.width, loaded.clip.source.height)
        elif side is None:
            self.pictures.messages[role] = self._nothing_there(role)

    def _nothing_there(self, role: Role) -> str:
        """What to do where nothing is open on a side."""
        more = ""
        if role == "hero" and self.state.empty:
            film = self.session.production is not None
            more = (
                "\nThe film's first shot: press ." if film else "\nNo files at hand? Press Demo on the left"
            )
        return f"Drop a {role} here, or press Ctrl+{'O' if role == 'hero' else 'Shift+O'}{more}"

    def _show_numbers(self) -> None:
        """Ledger, stack and patches under the current grade."""
        whole, frame = self.state.grade, self.state.frame
        shown = self.state.hero_grade if self._alone else self.state.here
        self.panel.stack.show_grade(shown, "" if self._alone else words_of(whole, frame))
        self.tools.strip.show_keys([k.frame for k in whole.keys])
        self._show_rows()
        self.seeing.show_patches()
        self.seeing.judge()

    def _show_rows(self) -> None:
        self.panel.ledger.show_rows(self.state.ledger(self.seeing.hovered))
        self.levels.look()

    def _show_marks(self) -> None:
        """What hands hold, as decided."""
        now, tools = self.state.now, self.tools
        tools.pairs.pairs = now.pairs
        tools.skin.dabs = {"hero": now.dabs[0], "shot": now.dabs[1]}
        tools.faces_button.setChecked(now.faces)
        loaded = self.state.loaded["shot"]
        used = self.state.known.used if loaded is not None else ()
        source = None if loaded is None else loaded.clip.source
        tools.strip.show_shot(source, 0 if loaded is None else loaded.frame.number, used)
        tools.play_button.setEnabled(loaded is not None and loaded.clip.source.count > 1)
        self.panel.regions.show_regions(self.state.grade.regions)
        self.pictures.handled.emit()

    def show_nothing(self) -> None:
        """An empty Bench."""
        self.state.show(type(self.state.now)(grade=Grade()))
        self.refresh()

    def finish(self) -> None:
        self.playing.finish()
        self.jobs.cancel_all()
        self.seeing.finish()
        self.materials.finish()
        self.levels.finish()
        self.files.finish()
        self.jobs.wait()
