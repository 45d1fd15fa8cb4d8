"""The chain of the Plan view: a table that reads from the screens on the left back to the cameras on the right."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.labels import Words
from aquin.desk.plan.parts import Asked, Section, cell_frame, check_row, menu_of
from aquin.own_files import remembered_file
from aquin.production import Camera, Option
from aquin.production.plan import CameraPlan, Chain, Check, ScreenPlan
from aquin.production.remembered import Remembered

if TYPE_CHECKING:
    from aquin.production import Production


def chain_table(view: Asked, production: Production, chain: Chain) -> QWidget:
    """A table that reads from the screens on the left back to the cameras: shared cells span all cameras."""
    box = Section("Chain, from the screens back to the cameras")
    grid = QGridLayout()
    grid.setHorizontalSpacing(1)
    grid.setVerticalSpacing(1)
    for k, title in enumerate(
        ("screens", "working space", "into working space", "range", "encoding", "camera")
    ):
        head = Words(title)
        head.set_role("dim padded")
        head.setFont(theme.font(theme.SMALL))
        grid.addWidget(head, 0, k)
    rows = max(len(chain.cameras), 1)
    grid.addWidget(screens_cell(view, production, chain), 1, 0, rows, 1)
    grid.addWidget(working_cell(view, production, chain), 1, 1, rows, 1)
    for row, camera in enumerate(chain.cameras, 1):
        by_name = {c.name: c for c in camera.checks}
        for k, link in ((2, "working space"), (3, "range"), (4, "encoding")):
            grid.addWidget(link_cell(view, camera, by_name.get(link)), row, k)
        grid.addWidget(camera_cell(view, production, camera), row, 5)
    if not chain.cameras:
        empty = Words("No camera yet: log media in Shots, and cameras are proposed from them.")
        empty.set_role("soft padded")
        grid.addWidget(empty, 1, 2, 1, 4)
    for k, stretch in enumerate((7, 4, 5, 5, 5, 4)):
        grid.setColumnStretch(k, stretch)
    box.column.addLayout(grid)
    return box


def screens_cell(view: Asked, production: Production, chain: Chain) -> QWidget:
    cell = cell_frame()
    column = column_of((8, 6, 8, 6), cell, spacing=8)
    for k, screen in enumerate(chain.screens):
        column.addLayout(screen_part(view, production, chain, k, screen))
    add = QPushButton("Add a screen")
    add.setProperty("quiet", True)
    add.setToolTip(
        "Several deliverables can be made from one grade: each display of the configuration has its views"
    )
    add.setMenu(screen_menu(view, lambda d, v: view.add_screen(d, v)))
    column.addWidget(add, 0, Qt.AlignmentFlag.AlignLeft)
    column.addStretch()
    return cell


def screen_part(view: Asked, production: Production, chain: Chain, k: int, screen: ScreenPlan) -> QVBoxLayout:
    part = QVBoxLayout()
    part.setSpacing(2)
    line = QHBoxLayout()
    line.setSpacing(4)
    name = QPushButton(screen.deliverable.display.replace(" - Display", ""))
    name.setProperty("quiet", True)
    name.setFont(theme.font(theme.BASE, True))
    name.setToolTip("Choose another display and view")
    name.setMenu(screen_menu(view, lambda d, v: view.change_screen(k, d, v)))
    line.addWidget(name, 1, Qt.AlignmentFlag.AlignLeft)
    if len(chain.screens) > 1:
        drop = QPushButton("Remove")
        drop.setProperty("quiet", True)
        drop.setToolTip("Take this screen out of the plan")
        drop.clicked.connect(lambda: view.drop_screen(k))
        line.addWidget(drop)
    part.addLayout(line)
    choice = QComboBox()
    choice.setAccessibleName(f"View on {screen.deliverable.display}")
    choice.setToolTip("Tone-mapped views compress the scene's highlights; plain ones cut them off")
    choice.addItems(dict(view.config.displays()).get(screen.deliverable.display, [screen.deliverable.view]))
    choice.setCurrentText(screen.deliverable.view)
    choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    choice.setMinimumContentsLength(18)
    choice.textActivated.connect(lambda v: view.change_screen(k, screen.deliverable.display, v))
    part.addWidget(choice)
    part.addWidget(check_row(screen.check))
    if screen.check.state == "right":
        levels = Words(f"shows grey at {screen.grey:.1f}\u00a0%, scene white at {screen.white:.1f}\u00a0%")
        levels.setFont(theme.font(theme.SMALL))
        levels.set_role("dim")
        levels.setWordWrap(True)
        part.addWidget(levels)
    return part


def working_cell(view: Asked, production: Production, chain: Chain) -> QWidget:
    cell = cell_frame()
    column = column_of((8, 6, 8, 6), cell)
    space = QComboBox()
    space.setAccessibleName("Working space")
    space.setToolTip("The log space in which trims, curves and looks work")
    names = [
        e.name for e in view.config.encodings() if e.kind == "log" and e.family.upper().startswith("ACES")
    ]
    names = names or [e.name for e in view.config.encodings() if e.kind == "log"]
    space.addItems(names if chain.working.name in names else [chain.working.name, *names])
    space.setCurrentText(chain.working.name)
    space.textActivated.connect(
        lambda name: view.attempt(
            lambda: production.change(f"working space {name}", Option(name, id="working space"))
        )
    )
    column.addWidget(space)
    column.addWidget(check_row(chain.working))
    config = QPushButton(view.config.path.name if view.config.path else "built-in studio config")
    config.setToolTip(f"Colour configuration: {view.config.label}. Click to use another")
    menu = QMenu(config)
    menu.addAction("A config.ocio file …").triggered.connect(lambda: view.ask_config())
    menu.addAction("The built-in studio configuration").triggered.connect(lambda: view.use_config(None))
    config.setMenu(menu)
    said = Words("configuration")
    said.setFont(theme.font(theme.SMALL))
    said.set_role("dim")
    column.addSpacing(6)
    column.addWidget(said)
    column.addWidget(config)
    column.addStretch()
    return cell


def link_cell(view: Asked, camera: CameraPlan, check: Check | None) -> QWidget:
    cell = cell_frame()
    column = column_of((8, 6, 8, 6), cell)
    column.addWidget(
        check_row(check if check is not None else Check("", "wrong", "not before the encoding is known"))
    )
    column.addStretch()
    return cell


def camera_cell(view: Asked, production: Production, camera: CameraPlan) -> QWidget:
    cell = cell_frame()
    line = line_of((8, 6, 8, 6), cell)
    words = QVBoxLayout()
    words.setSpacing(0)
    name = Words(camera.camera.name)
    name.setFont(theme.font(theme.BASE, True))
    count = Words(f"{camera.shots} recordings")
    count.set_role("dim")
    count.setFont(theme.font(theme.SMALL))
    words.addWidget(name)
    words.addWidget(count)
    words.addStretch()
    line.addLayout(words, 1)
    change = QPushButton("Change")
    change.setToolTip(f"Encoding, range and presets of {camera.camera.name}")
    change.setAccessibleName(f"Change {camera.camera.name}")
    change.setMenu(camera_menu(view, production, camera.camera))
    line.addWidget(change, 0, Qt.AlignmentFlag.AlignTop)
    return cell


def camera_menu(view: Asked, production: Production, camera: Camera) -> QMenu:
    menu = menu_of(view)
    menu.addAction("Choose its encoding …").triggered.connect(lambda: view.ask_encoding(camera))
    menu.addAction("Nearest known encoding by its chart …").triggered.connect(
        lambda: view.ask_nearest(camera)
    )
    ranges = menu.addMenu("Range of its files")
    for words, value in (("as the files say", ""), ("legal", "legal"), ("full", "full")):
        action = ranges.addAction(words)
        action.setCheckable(True)
        action.setChecked(camera.range == value)
        action.triggered.connect(
            lambda _=False, v=value: view.change_camera(camera, f"range {v or 'as the files say'}", range=v)
        )
    menu.addSeparator()
    kept = Remembered.read(remembered_file())
    preset = kept.cameras.get(camera.name)
    use = menu.addAction(
        f"As in earlier productions: {preset['encoding']}" if preset else "As in earlier productions"
    )
    use.setEnabled(preset is not None)
    if preset is not None:
        use.triggered.connect(lambda: view.use_preset(camera, preset))
    keep = menu.addAction("Keep as a preset for other productions")
    keep.setEnabled(bool(camera.encoding))
    keep.triggered.connect(lambda: view.keep_preset(camera))
    return menu


def screen_menu(view: Asked, chosen: Callable[[str, str], None]) -> QMenu:
    menu = menu_of(view)
    for display, views in view.config.displays():
        part = menu.addMenu(display.replace(" - Display", ""))
        for name in views:
            part.addAction(name).triggered.connect(lambda _=False, d=display, v=name: chosen(d, v))
    return menu
