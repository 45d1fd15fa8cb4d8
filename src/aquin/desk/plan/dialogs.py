"""Dialogs of the Plan view: an encoding for a camera, the nearest known ones, monitor LUTs, the crew sheet."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QListWidget,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.kit.ask import EXPORTS, PAPERS, ask_folder, ask_save
from aquin.desk.kit.dialogs import open_fitting, take_or_leave
from aquin.desk.kit.labels import Words
from aquin.exchange.monitor import RANGES, SIZES
from aquin.jobs import crew_sheet
from aquin.jobs.monitor_luts import Written, write_luts

if TYPE_CHECKING:
    from aquin.charts.identify import Candidate
    from aquin.colour.config import ColourConfig
    from aquin.desk.kit.jobs import Jobs
    from aquin.look.look import Look
    from aquin.production import Camera, Production
    from aquin.production.plan import Chain


def pick_encoding(
    parent: QWidget, config: ColourConfig, camera: Camera, chosen: Callable[[str, str], None]
) -> QDialog:
    """The searched list of encodings for a camera; `chosen` gets encoding and range (empty: as the files say)."""
    from aquin.desk.kit.picker import Picker

    picker = Picker(config, camera.name, camera.encoding, None, camera.range or None, parent)
    picker.setWindowTitle(f"How does {camera.name} record?")
    picker.matrix.setEnabled(False)
    picker.add.setVisible(False)
    picker.accepted.connect(lambda: chosen(picker.encoding, picker.range.currentData() or ""))
    open_fitting(picker)
    return picker


def ask_nearest(
    parent: QWidget, camera: Camera, found: list[Candidate], chosen: Callable[[Candidate], None]
) -> QDialog:
    """The nearest known encodings with how well they explain the chart."""
    dialog = QDialog(parent)
    dialog.setWindowTitle(f"Nearest known encodings for {camera.name}")
    dialog.resize(560, 300)
    column = QVBoxLayout(dialog)
    words = Words(
        "Tried on this camera's chart: how far its grey steps lie from a straight line, and what its "
        "colours are off by after "
        "balancing. One that stands in is marked doubtful in the plan, with this reason."
    )
    words.setWordWrap(True)
    column.addWidget(words)
    rows = QListWidget()
    rows.setAccessibleName("Encodings")
    for c in found:
        rows.addItem(f"{c.encoding}     {c.rms_stops:.2f} st, slope {c.slope:.2f}, dE00 {c.delta_e00:.1f}")
    rows.setCurrentRow(0)
    column.addWidget(rows)
    good = found[0].rms_stops < 0.1 and found[0].delta_e00 < 4
    verdict = Words(
        "The first fits well."
        if good
        else "None fits well: a profile from an exposure series would be better."
    )
    column.addWidget(verdict)

    def accepted() -> None:
        dialog.accept()
        chosen(found[rows.currentRow()])

    column.addWidget(take_or_leave(dialog, "Let it stand in", accepted))
    open_fitting(dialog)
    return dialog


def _lut_form(
    parent: QWidget, chain: Chain, look: Look | None
) -> tuple[QDialog, QComboBox, QComboBox, QComboBox, QComboBox]:
    """The dialog with its boxes: screen, size, range, look."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("Monitor LUTs")
    column = QVBoxLayout(dialog)
    words = Words(
        "A .cube for each camera, from its signal to the screen. It takes the policy's exposure back, so "
        "that the picture looks "
        "as it will after balancing. Full: the device counts 0 to 1023; legal: 64 to 940."
    )
    words.setWordWrap(True)
    words.setFixedWidth(440)
    column.addWidget(words)
    form = QFormLayout()
    screen, size, range_ = QComboBox(), QComboBox(), QComboBox()
    screen.addItems([f"{s.deliverable.name}: {s.deliverable.view}" for s in chain.screens])
    size.addItems([f"{n} points" for n in SIZES])
    size.setCurrentIndex(1)
    range_.addItems(list(RANGES))
    looks = QComboBox()
    looks.addItems(
        [*([f"{look.name}, {100 * look.strength:.0f} %"] if look is not None else []), "without a look"]
    )
    for label, box in (("Screen", screen), ("Size", size), ("Range", range_), ("Look", looks)):
        box.setAccessibleName(label)
        form.addRow(label, box)
    column.addLayout(form)
    return dialog, screen, size, range_, looks


def ask_luts(
    parent: QWidget,
    config: ColourConfig,
    chain: Chain,
    jobs: Jobs,
    tell: Callable[[str], None],
    look: Look | None = None,
) -> QDialog:
    """Choose screen, size, range and whether the `look` that is on goes into it, then a folder: one LUT for each camera
    whose encoding is known.
    """
    dialog, screen, size, range_, looks = _lut_form(parent, chain, look)
    column = dialog.layout()
    assert column is not None

    def write(folder: Path) -> None:
        dialog.accept()
        number, points, codes = (
            screen.currentIndex(),
            SIZES[size.currentIndex()],
            RANGES[range_.currentIndex()],
        )

        carried = look if looks.currentIndex() < looks.count() - 1 else None

        def done(written: object) -> None:
            assert isinstance(written, list)
            names = [f"{w.file.name} (within {w.error_code10:.1f} codes)" for w in written]
            tell(f"Wrote {', '.join(names)}." if names else "No camera's encoding is known yet.")

        def work() -> list[Written]:
            return write_luts(config, chain, folder, number, points, codes, force=True, look=carried)

        jobs.start("luts", "writing monitor LUTs", work, done, tell)

    def ask() -> None:
        if folder := ask_folder(dialog, "Write the monitor LUTs into", EXPORTS):
            write(folder)

    column.addWidget(take_or_leave(dialog, "Write into a folder …", ask))
    dialog.write = write  # type: ignore[attr-defined]
    open_fitting(dialog)
    return dialog


def ask_sheet(
    parent: QWidget,
    production: Production,
    config: ColourConfig,
    chain: Chain,
    jobs: Jobs,
    tell: Callable[[str], None],
) -> None:
    name = f"{production.name} crew sheet.pdf"
    path, _ = ask_save(parent, "Write the crew sheet", EXPORTS, name, PAPERS)
    if path:
        write_sheet(production, config, chain, path, jobs, tell)


def write_sheet(
    production: Production,
    config: ColourConfig,
    chain: Chain,
    path: Path,
    jobs: Jobs,
    tell: Callable[[str], None],
) -> None:
    """Write the crew sheet of today, in the background: it has pictures."""

    def work() -> str:
        crew_sheet.write_sheet(production, chain, path, force=True, config=config)
        return path.name

    jobs.start("sheet", "writing the crew sheet", work, lambda name: tell(f"Wrote {name}."), tell)
