"""The Plan view: the chain from the screens back to the cameras, exposure, the chart routine, and what the crew gets."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from aquin.colour.config import ColourConfig
from aquin.desk import theme
from aquin.desk.exposure import ExposureStrip
from aquin.desk.numbers import Number
from aquin.desk.places import remembered_file
from aquin.desk.plan_dialogs import ask_luts, ask_nearest, ask_sheet, pick_encoding
from aquin.desk.work import Jobs
from aquin.errors import AquinError
from aquin.production import Camera, Option, Production, Setup
from aquin.production.plan import (
    TARGETS,
    CameraPlan,
    Chain,
    Check,
    ScreenPlan,
    asked_stops,
    chain_of,
    checklist,
    choose_policy,
    routine_of,
    set_routine,
)
from aquin.production.remembered import Remembered
from aquin.production.settings import (
    POLICIES,
    Deliverable,
    choose_config,
    deliverables_of,
    keep_deliverables,
    policy_of,
)

MARKS = {"right": "○", "doubt": "?", "wrong": "!"}
WORDS = {"right": "right", "doubt": "doubtful", "wrong": "wrong"}


class PlanView(QScrollArea):
    """Reads the production anew after each change; every control writes one decision."""

    told = Signal(str)
    config_changed = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self.jobs = jobs
        self.production: Production | None = None
        self.config = ColourConfig.load()
        self.chain: Chain | None = None
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._build()

    def show_production(self, production: Production | None, config: ColourConfig) -> None:
        self.production, self.config = production, config
        self.refresh()

    def refresh(self) -> None:
        """Draw the plan as it is now; where one had scrolled to stays."""
        at = self.verticalScrollBar().value()
        self.chain = chain_of(self.production, self.config) if self.production is not None else None
        self._build()
        self.verticalScrollBar().setValue(at)

    @property
    def open_count(self) -> int:
        """Links that are not right."""
        if self.chain is None:
            return 0
        checks = [self.chain.working, *(s.check for s in self.chain.screens)]
        checks += [c for camera in self.chain.cameras for c in camera.checks]
        return sum(c.state != "right" for c in checks)

    def _try(self, work: Callable[[], object]) -> None:
        try:
            work()
        except AquinError as error:
            self.told.emit(error.line())

    # building

    def _build(self) -> None:
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(14)
        if self.production is None or self.chain is None:
            words = QLabel(
                "No production is open.\n\nMake one with File, New production (Ctrl+N), open one (Ctrl+Shift+P), or look at the demo."
            )
            words.setAlignment(Qt.AlignmentFlag.AlignCenter)
            words.setStyleSheet("color: #bebebe;")
            column.addWidget(words)
        else:
            column.addLayout(self._head(self.production, self.chain))
            column.addWidget(self._chain(self.production, self.chain))
            column.addWidget(self._exposure(self.production, self.chain))
            column.addWidget(self._routine(self.production))
            column.addStretch()
        body.setEnabled(self.production is None or not self.production.read_only)
        self.setWidget(body)

    def _head(self, production: Production, chain: Chain) -> QHBoxLayout:
        line = QHBoxLayout()
        name = QLabel(production.name)
        name.setFont(theme.font(theme.TITLE, True))
        open_ = self.open_count
        state = QLabel(
            "every link is right" if not open_ else f"{open_} link{'s' if open_ > 1 else ''} to look at"
        )
        state.setStyleSheet("color: #9e9e9e;")
        line.addWidget(name)
        line.addSpacing(12)
        line.addWidget(state, 1)
        for words, tip, action in (
            ("Monitor LUTs …", "A .cube for each camera, for field monitors and recorders", self.ask_luts),
            ("Crew sheet …", "Exposure, charts and policy as PDF or HTML", self.ask_sheet),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, a=action: a())
            line.addWidget(button)
        return line

    def _chain(self, production: Production, chain: Chain) -> QWidget:
        """A table that reads from the screens on the left back to the cameras: shared cells span all cameras."""
        box = _Section("Chain, from the screens back to the cameras")
        grid = QGridLayout()
        grid.setHorizontalSpacing(1)
        grid.setVerticalSpacing(1)
        for k, title in enumerate(
            ("screens", "working space", "into working space", "range", "encoding", "camera")
        ):
            head = QLabel(title)
            head.setStyleSheet("color: #9e9e9e; padding: 2px 8px;")
            head.setFont(theme.font(theme.SMALL))
            grid.addWidget(head, 0, k)
        rows = max(len(chain.cameras), 1)
        grid.addWidget(self._screens(production, chain), 1, 0, rows, 1)
        grid.addWidget(self._working(production, chain), 1, 1, rows, 1)
        for row, camera in enumerate(chain.cameras, 1):
            by_name = {c.name: c for c in camera.checks}
            for k, link in ((2, "working space"), (3, "range"), (4, "encoding")):
                grid.addWidget(self._link(camera, by_name.get(link)), row, k)
            grid.addWidget(self._camera(production, camera), row, 5)
        if not chain.cameras:
            empty = QLabel("No camera yet: log media in Shots, and cameras are proposed from them.")
            empty.setStyleSheet("color: #bebebe; padding: 8px;")
            grid.addWidget(empty, 1, 2, 1, 4)
        for k, stretch in enumerate((7, 4, 5, 5, 5, 4)):
            grid.setColumnStretch(k, stretch)
        box.column.addLayout(grid)
        return box

    def _screens(self, production: Production, chain: Chain) -> QWidget:
        cell = _cell()
        column = QVBoxLayout(cell)
        column.setContentsMargins(8, 6, 8, 6)
        column.setSpacing(8)
        for k, screen in enumerate(chain.screens):
            column.addLayout(self._screen(production, chain, k, screen))
        add = QPushButton("Add a screen")
        add.setProperty("quiet", True)
        add.setToolTip(
            "Several deliverables can be made from one grade: each display of the configuration has its views"
        )
        add.setMenu(self._screen_menu(lambda d, v: self._add_screen(d, v)))
        column.addWidget(add, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch()
        return cell

    def _screen(self, production: Production, chain: Chain, k: int, screen: ScreenPlan) -> QVBoxLayout:
        part = QVBoxLayout()
        part.setSpacing(2)
        line = QHBoxLayout()
        line.setSpacing(4)
        name = QPushButton(screen.deliverable.display.replace(" - Display", ""))
        name.setProperty("quiet", True)
        name.setFont(theme.font(theme.BASE, True))
        name.setToolTip("Choose another display and view")
        name.setMenu(self._screen_menu(lambda d, v: self._change_screen(k, d, v)))
        line.addWidget(name, 1, Qt.AlignmentFlag.AlignLeft)
        if len(chain.screens) > 1:
            drop = QPushButton("Remove")
            drop.setProperty("quiet", True)
            drop.setToolTip("Take this screen out of the plan")
            drop.clicked.connect(lambda: self._drop_screen(k))
            line.addWidget(drop)
        part.addLayout(line)
        view = QComboBox()
        view.setAccessibleName(f"View on {screen.deliverable.display}")
        view.setToolTip("Tone-mapped views compress the scene's highlights; plain ones cut them off")
        view.addItems(dict(self.config.displays()).get(screen.deliverable.display, [screen.deliverable.view]))
        view.setCurrentText(screen.deliverable.view)
        view.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        view.setMinimumContentsLength(18)
        view.textActivated.connect(lambda v: self._change_screen(k, screen.deliverable.display, v))
        part.addWidget(view)
        part.addWidget(_check(screen.check))
        if screen.check.state == "right":
            levels = QLabel(
                f"shows grey at {screen.grey:.1f}\u00a0%, scene white at {screen.white:.1f}\u00a0%"
            )
            levels.setFont(theme.font(theme.SMALL))
            levels.setStyleSheet("color: #9e9e9e;")
            levels.setWordWrap(True)
            part.addWidget(levels)
        return part

    def _working(self, production: Production, chain: Chain) -> QWidget:
        cell = _cell()
        column = QVBoxLayout(cell)
        column.setContentsMargins(8, 6, 8, 6)
        space = QComboBox()
        space.setAccessibleName("Working space")
        space.setToolTip("The log space in which trims, curves and looks work")
        names = [
            e.name for e in self.config.encodings() if e.kind == "log" and e.family.upper().startswith("ACES")
        ]
        names = names or [e.name for e in self.config.encodings() if e.kind == "log"]
        space.addItems(names if chain.working.name in names else [chain.working.name, *names])
        space.setCurrentText(chain.working.name)
        space.textActivated.connect(
            lambda name: self._try(
                lambda: production.change(f"working space {name}", Option(name, id="working space"))
            )
        )
        column.addWidget(space)
        column.addWidget(_check(chain.working))
        config = QPushButton(self.config.path.name if self.config.path else "built-in studio config")
        config.setToolTip(f"Colour configuration: {self.config.label}. Click to use another")
        menu = QMenu(config)
        menu.addAction("A config.ocio file …").triggered.connect(lambda: self.ask_config())
        menu.addAction("The built-in studio configuration").triggered.connect(lambda: self.use_config(None))
        config.setMenu(menu)
        said = QLabel("configuration")
        said.setFont(theme.font(theme.SMALL))
        said.setStyleSheet("color: #9e9e9e;")
        column.addSpacing(6)
        column.addWidget(said)
        column.addWidget(config)
        column.addStretch()
        return cell

    def _link(self, camera: CameraPlan, check: Check | None) -> QWidget:
        cell = _cell()
        column = QVBoxLayout(cell)
        column.setContentsMargins(8, 6, 8, 6)
        column.addWidget(
            _check(check if check is not None else Check("", "wrong", "not before the encoding is known"))
        )
        column.addStretch()
        return cell

    def _camera(self, production: Production, camera: CameraPlan) -> QWidget:
        cell = _cell()
        line = QHBoxLayout(cell)
        line.setContentsMargins(8, 6, 8, 6)
        words = QVBoxLayout()
        words.setSpacing(0)
        name = QLabel(camera.camera.name)
        name.setFont(theme.font(theme.BASE, True))
        count = QLabel(f"{camera.shots} recordings")
        count.setStyleSheet("color: #9e9e9e;")
        count.setFont(theme.font(theme.SMALL))
        words.addWidget(name)
        words.addWidget(count)
        words.addStretch()
        line.addLayout(words, 1)
        change = QPushButton("Change")
        change.setToolTip(f"Encoding, range and presets of {camera.camera.name}")
        change.setAccessibleName(f"Change {camera.camera.name}")
        change.setMenu(self._camera_menu(production, camera.camera))
        line.addWidget(change, 0, Qt.AlignmentFlag.AlignTop)
        return cell

    def _camera_menu(self, production: Production, camera: Camera) -> QMenu:
        menu = QMenu(self)
        menu.addAction("Choose its encoding …").triggered.connect(lambda: self.ask_encoding(camera))
        menu.addAction("Nearest known encoding by its chart …").triggered.connect(
            lambda: self.ask_nearest(camera)
        )
        ranges = menu.addMenu("Range of its files")
        for words, value in (("as the files say", ""), ("legal", "legal"), ("full", "full")):
            action = ranges.addAction(words)
            action.setCheckable(True)
            action.setChecked(camera.range == value)
            action.triggered.connect(
                lambda _=False, v=value: self._change_camera(
                    camera, f"range {v or 'as the files say'}", range=v
                )
            )
        menu.addSeparator()
        kept = Remembered.read(remembered_file())
        preset = kept.cameras.get(camera.name)
        use = menu.addAction(
            f"As in earlier productions: {preset['encoding']}" if preset else "As in earlier productions"
        )
        use.setEnabled(preset is not None)
        if preset is not None:
            use.triggered.connect(lambda: self.use_preset(camera, preset))
        keep = menu.addAction("Keep as a preset for other productions")
        keep.setEnabled(bool(camera.encoding))
        keep.triggered.connect(lambda: self.keep_preset(camera))
        return menu

    def _screen_menu(self, chosen: Callable[[str, str], None]) -> QMenu:
        menu = QMenu(self)
        for display, views in self.config.displays():
            part = menu.addMenu(display.replace(" - Display", ""))
            for view in views:
                part.addAction(view).triggered.connect(lambda _=False, d=display, v=view: chosen(d, v))
        return menu

    def _exposure(self, production: Production, chain: Chain) -> QWidget:
        box = _Section("Exposure")
        policy = policy_of(production)
        for value, words in POLICIES.items():
            button = QPushButton(words[:1].upper() + words[1:])
            button.setCheckable(True)
            button.setChecked(value == policy)
            button.setToolTip(
                "Grey above the curve's own target: clean shadows, less room for highlights"
                if value == "bright"
                else "Grey below the curve's own target: room for highlights, noisier shadows"
            )
            button.clicked.connect(lambda _=False, v=value: self._try(lambda: choose_policy(production, v)))
            box.head.addWidget(button)
        stops = Number("Where the policy puts grey", "st", 0.0, 0.1, -4.0, 4.0, 1, signed=True)
        held = production.option("policy stops", {}) or {}
        from aquin.production.plan import POLICY_STOPS

        stops.show_value(float(held.get(policy, POLICY_STOPS[policy])))
        stops.setFixedWidth(64)
        stops.ended.connect(lambda: self._try(lambda: choose_policy(production, policy, stops.value)))
        stops.changed.connect(
            lambda value, drag: None if drag else self._try(lambda: choose_policy(production, policy, value))
        )
        box.head.addWidget(stops)
        box.head.addWidget(QLabel("st from each curve's grey"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(8)
        heads = (
            "",
            "grey 18 %",
            "asked for grey",
            "90 % white",
            "floor",
            "ceiling",
            "above grey",
            "left above",
            "below grey",
            "0 to 100 % of signal",
        )
        for k, words in enumerate(heads):
            label = QLabel(words)
            label.setFont(theme.font(theme.SMALL))
            label.setStyleSheet("color: #9e9e9e;")
            label.setAlignment(Qt.AlignmentFlag.AlignRight if 0 < k < 9 else Qt.AlignmentFlag.AlignLeft)
            grid.addWidget(label, 0, k)
        for row, camera in enumerate(chain.cameras, 1):
            name = QLabel(camera.camera.name)
            name.setFont(theme.font(theme.BASE, True))
            grid.addWidget(name, row, 0)
            card = camera.card
            if card is None:
                unknown = QLabel("its encoding is not known, so nothing can be asked of it")
                unknown.setStyleSheet("color: #9e9e9e;")
                grid.addWidget(unknown, row, 1, 1, 8)
                continue
            cells = [
                f"{v.signal:.1f} %  {v.code10}"
                for v in (card.grey, card.asked, card.white, card.floor, card.ceiling)
            ]
            cells += [f"{card.above:+.1f} st", f"{card.headroom:+.1f} st", f"-{card.below} st"]
            for k, words in enumerate(cells, 1):
                label = QLabel(words)
                label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if k == 2:
                    label.setFont(theme.font(theme.BASE, True))
                grid.addWidget(label, row, k)
            grid.addWidget(ExposureStrip(self.config, card), row, 9)
        grid.setColumnStretch(9, 1)
        box.column.addLayout(grid)
        note = QLabel(
            "Levels in % of signal and as 10-bit code in the camera's files. Below grey: whole stops that still have four codes each."
        )
        note.setFont(theme.font(theme.SMALL))
        note.setStyleSheet("color: #9e9e9e;")
        note.setWordWrap(True)
        box.column.addWidget(note)
        for words in chain.differing:
            warning = QLabel(f"?  {words}.")
            warning.setWordWrap(True)
            box.column.addWidget(warning)
        return box

    def _routine(self, production: Production) -> QWidget:
        """Setups by cameras: what is to be filmed, and whether it was."""
        box = _Section("Chart routine")
        rows = checklist(production)
        if not rows:
            box.column.addWidget(
                QLabel("No shots yet. Each camera films its charts in each setup, before the light changes.")
            )
            return box
        cameras = [c for c in production.all(Camera) if any(f.camera.id == c.id for f in rows)]
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(5)
        for k, camera in enumerate(cameras, 1):
            label = QLabel(camera.name)
            label.setFont(theme.font(theme.SMALL))
            label.setStyleSheet("color: #9e9e9e;")
            grid.addWidget(label, 0, k)
        setups = list({f.setup.id: f.setup for f in rows}.values())
        for row, setup in enumerate(setups, 1):
            name = QPushButton(setup.name)
            name.setProperty("quiet", True)
            name.setToolTip("Choose what every camera films in this setup")
            name.setMenu(self._routine_menu(production, setup))
            grid.addWidget(name, row, 0, Qt.AlignmentFlag.AlignLeft)
            for k, camera in enumerate(cameras, 1):
                filmed = next((f for f in rows if f.setup.id == setup.id and f.camera.id == camera.id), None)
                if filmed is None:
                    continue
                words = "   ".join(f"{'●' if there else '○'} {target}" for target, there in filmed.targets)
                label = QLabel(words)
                label.setFont(theme.font(theme.SMALL))
                if not any(there for _, there in filmed.targets):
                    label.setText(words + "   !")
                    label.setToolTip(f"{camera.name} has neither chart nor card in {setup.name}")
                label.setAccessibleName(
                    f"{camera.name} in {setup.name}: "
                    + ", ".join(f"{t} {'filmed' if th else 'missing'}" for t, th in filmed.targets)
                )
                grid.addWidget(label, row, k)
        grid.setColumnStretch(len(cameras) + 1, 1)
        box.column.addLayout(grid)
        legend = QLabel("● filmed   ○ not filmed")
        legend.setFont(theme.font(theme.SMALL))
        legend.setStyleSheet("color: #9e9e9e;")
        box.head.addWidget(legend)
        return box

    def _routine_menu(self, production: Production, setup: Setup) -> QMenu:
        menu = QMenu(self)
        wanted = routine_of(production, setup)
        for target in TARGETS:
            action = menu.addAction(target)
            action.setCheckable(True)
            action.setChecked(target in wanted)
            action.triggered.connect(
                lambda on, t=target: self._try(
                    lambda: set_routine(
                        production, setup, tuple(x for x in TARGETS if (x in wanted) != (x == t))
                    )
                )
            )
        return menu

    # decisions

    def _change_camera(self, camera: Camera, what: str, **fields: Any) -> None:
        production = self.production
        if production is not None:
            self._try(lambda: production.change(f"{camera.name}: {what}", replace(camera, **fields)))

    def _kept_screens(self) -> list[Deliverable]:
        return [] if self.production is None else deliverables_of(self.production, self.config)

    def _put_screens(self, screens: list[Deliverable], what: str) -> None:
        production = self.production
        if production is not None:
            self._try(lambda: keep_deliverables(production, screens, what))

    def _add_screen(self, display: str, view: str) -> None:
        screens = self._kept_screens()
        self._put_screens(
            [*screens, Deliverable(_new_name(display, view, screens), display, view)], f"add screen {display}"
        )

    def _change_screen(self, k: int, display: str, view: str) -> None:
        screens = self._kept_screens()
        others = screens[:k] + screens[k + 1 :]
        screens[k] = Deliverable(_new_name(display, view, others), display, view)
        self._put_screens(screens, f"screen {display}, {view}")

    def _drop_screen(self, k: int) -> None:
        screens = self._kept_screens()
        gone = screens.pop(k)
        self._put_screens(screens, f"remove screen {gone.display}")

    def ask_config(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "Use another colour configuration", "", "OpenColorIO configuration (*.ocio)"
        )
        if path:
            self.use_config(Path(path))

    def use_config(self, path: Path | None) -> None:
        """Another configuration for the production."""
        production = self.production
        if production is not None:
            self._try(lambda: choose_config(production, path))
            self.config_changed.emit()

    def ask_encoding(self, camera: Camera) -> None:
        self.picker = pick_encoding(
            self, self.config, camera,
            lambda encoding, range: self._change_camera(camera, f"encoding {encoding}", encoding=encoding, encoding_note="", range=range),
        )  # fmt: skip

    def ask_nearest(self, camera: Camera) -> None:
        """Rank the known encodings by the camera's charts, and let the person take one."""
        production, config = self.production, self.config
        if production is None:
            return
        from aquin.production.stand_in import nearest_for, take_stand_in

        def done(found: object) -> None:
            assert isinstance(found, list)
            self.nearest = ask_nearest(
                self,
                camera,
                found,
                lambda candidate: self._try(lambda: take_stand_in(production, camera, candidate)),
            )

        self.jobs.start_long(
            "nearest", f"trying encodings on {camera.name}'s charts",
            lambda tell: nearest_for(production, config, camera, tell=tell), done, self.told.emit,
        )  # fmt: skip

    def use_preset(self, camera: Camera, preset: dict[str, str]) -> None:
        try:
            encoding = self.config.resolve(preset["encoding"])
        except AquinError as error:
            self.told.emit(error.line())
            return
        self._change_camera(
            camera, f"encoding {encoding}, as in earlier productions",
            encoding=encoding, range=preset.get("range", ""), encoding_note=preset.get("note", ""),
        )  # fmt: skip

    def keep_preset(self, camera: Camera) -> None:
        kept = Remembered.read(remembered_file())
        self._try(lambda: kept.keep_camera(camera.name, camera.encoding, camera.range, camera.encoding_note))
        self.told.emit(f"{camera.name} as {camera.encoding} can now be used in other productions.")
        self.refresh()

    def ask_luts(self) -> None:
        if self.production is not None and self.chain is not None:
            stops = {c.camera.id: asked_stops(self.production, c.camera) for c in self.chain.cameras}
            self.luts = ask_luts(self, self.config, self.chain, stops, self.jobs, self.told.emit)

    def ask_sheet(self) -> None:
        if self.production is not None and self.chain is not None:
            ask_sheet(self, self.production, self.chain, self.told.emit)


class _Section(QFrame):
    """A titled part of the plan with room for controls beside its title."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)
        self.head = QHBoxLayout()
        label = QLabel(title)
        label.setFont(theme.font(theme.LARGE, True))
        self.head.addWidget(label)
        self.head.addStretch()
        self.column.addLayout(self.head)


def _cell() -> QWidget:
    cell = QFrame()
    cell.setStyleSheet("QFrame { background: #262626; } QLabel { background: transparent; }")
    return cell


def _check(check: Check) -> QWidget:
    """A mark and the words of a check."""
    row = QWidget()
    row.setStyleSheet("background: transparent;")
    line = QHBoxLayout(row)
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(6)
    mark = QLabel(MARKS[check.state])
    mark.setFixedWidth(12)
    mark.setFont(theme.font(theme.BASE, True))
    mark.setToolTip(WORDS[check.state])
    words = QLabel(check.words)
    words.setWordWrap(True)
    words.setAccessibleName(f"{check.name}: {WORDS[check.state]}, {check.words}")
    if check.state == "right":
        words.setStyleSheet("color: #bebebe;")
    else:
        words.setFont(theme.font(theme.BASE, True))
    line.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
    line.addWidget(words, 1)
    return row


def _new_name(display: str, view: str, others: list[Deliverable]) -> str:
    """The display's name, with its view or a number where it is there already."""
    taken = {d.name for d in others}
    plain = display.replace(" - Display", "")
    names = (plain, f"{plain}, {view}", *(f"{plain}, {view} {k}" for k in range(2, 100)))
    return next(n for n in names if n not in taken)
