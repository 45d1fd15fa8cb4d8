"""Dialogs of the Plan view: an encoding for a camera, the nearest known ones, monitor LUTs, the crew sheet."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QListWidget,
    QVBoxLayout,
    QWidget,
)

from aquin.charts.identify import Candidate
from aquin.colour.config import ColourConfig
from aquin.desk.kit.ask import EXPORTS, PAPERS, ask_folder, ask_save
from aquin.desk.kit.jobs import Jobs
from aquin.desk.kit.labels import Words
from aquin.errors import AquinError
from aquin.exchange.crew_sheet import Sheet, write_crew_sheet
from aquin.exchange.monitor import RANGES, SIZES, write_monitor_lut
from aquin.production import Camera, Production
from aquin.production.plan import Chain, checklist
from aquin.production.settings import POLICIES, policy_of


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
    picker.open()
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
        "Tried on this camera's chart: how far its grey steps lie from a straight line, and what its colours are off by after "
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
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
    buttons.button(QDialogButtonBox.StandardButton.Ok).setText("Let it stand in")
    column.addWidget(buttons)

    def accepted() -> None:
        dialog.accept()
        chosen(found[rows.currentRow()])

    buttons.accepted.connect(accepted)
    buttons.rejected.connect(dialog.reject)
    dialog.open()
    return dialog


def ask_luts(
    parent: QWidget,
    config: ColourConfig,
    chain: Chain,
    stops: dict[str, float],
    jobs: Jobs,
    tell: Callable[[str], None],
) -> QDialog:
    """Choose screen, size and range, then a folder: one LUT for each camera whose encoding is known."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("Monitor LUTs")
    column = QVBoxLayout(dialog)
    words = Words(
        "A .cube for each camera, from its signal to the screen. It takes the policy's exposure back, so that the picture looks "
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
    for label, box in (("Screen", screen), ("Size", size), ("Range", range_)):
        box.setAccessibleName(label)
        form.addRow(label, box)
    column.addLayout(form)
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
    buttons.button(QDialogButtonBox.StandardButton.Ok).setText("Write into a folder …")
    column.addWidget(buttons)

    def write(folder: Path) -> None:
        dialog.accept()
        deliverable = chain.screens[screen.currentIndex()].deliverable
        points, codes = SIZES[size.currentIndex()], RANGES[range_.currentIndex()]

        def work() -> list[str]:
            from aquin.exchange.names import safe_name

            out = []
            for c in chain.cameras:
                if c.card is not None:
                    path = folder / f"{safe_name(c.camera.name)}-monitor.cube"
                    off = write_monitor_lut(
                        path, config, c.card.levels.encoding, deliverable.display, deliverable.view, points, codes,
                        stops[c.camera.id], force=True,
                    )  # fmt: skip
                    out.append(f"{path.name} (within {off:.1f} codes)")
            return out

        def done(names: object) -> None:
            assert isinstance(names, list)
            tell(f"Wrote {', '.join(names)}." if names else "No camera's encoding is known yet.")

        jobs.start("luts", "writing monitor LUTs", work, done, tell)

    def ask() -> None:
        if folder := ask_folder(dialog, "Write the monitor LUTs into", EXPORTS):
            write(folder)

    buttons.accepted.connect(ask)
    buttons.rejected.connect(dialog.reject)
    dialog.write = write  # type: ignore[attr-defined]
    dialog.open()
    return dialog


def ask_sheet(parent: QWidget, production: Production, chain: Chain, tell: Callable[[str], None]) -> None:
    name = f"{production.name} crew sheet.pdf"
    path, _ = ask_save(parent, "Write the crew sheet", EXPORTS, name, PAPERS)
    if path:
        write_sheet(production, chain, path, tell)


def write_sheet(production: Production, chain: Chain, path: Path, tell: Callable[[str], None]) -> None:
    """Write the crew sheet of today."""
    from datetime import date

    policy = POLICIES[policy_of(production)]
    sheet = Sheet(production.name, date.today().isoformat(), policy, chain, tuple(checklist(production)))
    try:
        write_crew_sheet(path, sheet, force=True)
    except AquinError as error:
        tell(error.line())
    else:
        tell(f"Wrote {path.name}.")
