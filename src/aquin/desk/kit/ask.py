"""Asking for files and folders: at the open production's own folders, then where one last was; else at home and on
media volumes, never in the program's folder.
"""

import os
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QSettings, QUrl
from PySide6.QtWidgets import QFileDialog, QWidget

from aquin.own_files import window_settings

PRODUCTIONS, MEDIA, STILLS, EXPORTS, CONFIGS = "productions", "media", "stills", "exports", "configs"
"""Kinds of places, each remembered on its own."""
OCIO = "OpenColorIO configuration (*.ocio)"
PAPERS = "PDF (*.pdf);;HTML (*.html)"


def _settings() -> QSettings:
    return QSettings(str(window_settings()), QSettings.Format.IniFormat)


def volumes() -> list[Path]:
    """Media volumes that are mounted now."""
    user = os.environ.get("USER", "")
    found: list[Path] = []
    for base in (
        Path("/media") / user,
        Path("/run/media") / user,
        Path("/media"),
        Path("/mnt"),
        Path("/Volumes"),
    ):
        try:
            found += [p for p in base.iterdir() if p.is_dir() and os.path.ismount(p)]
        except OSError:
            continue
    return list(dict.fromkeys(found))


_here: dict[str, Path] = {}
"""By kind, where the first dialog begins after a production was opened."""
_beside: list[Path] = []


def work_in(folder: Path | None, media: Sequence[Path] = ()) -> None:
    """A production was opened (or none is): its folder and those that its media lie in are at hand."""
    _here.clear()
    _beside[:] = list(dict.fromkeys([*([folder] if folder is not None else []), *media]))
    if folder is not None:
        _here.update({STILLS: folder, EXPORTS: folder})
    if media:
        _here[MEDIA] = media[0]


def folder_for(kind: str) -> Path:
    """Where a dialog of this kind begins."""
    if (here := _here.get(kind)) is not None and here.is_dir():
        return here
    held = _settings().value(f"last folder/{kind}")
    if held and Path(str(held)).is_dir():
        return Path(str(held))
    if kind == MEDIA and (there := volumes()):
        return there[0]
    return Path.home()


def remember(kind: str, path: Path) -> None:
    """Begin there next time."""
    _here.pop(kind, None)
    _settings().setValue(f"last folder/{kind}", str(path if path.is_dir() else path.parent))


def _dialog(owner: QWidget, title: str, kind: str, start: str, filters: str) -> QFileDialog:
    folder = Path(start).parent if start and Path(start).is_absolute() else folder_for(kind)
    dialog = QFileDialog(owner, title, str(folder), filters)
    dialog.setSidebarUrls([QUrl.fromLocalFile(str(p)) for p in (*_beside, Path.home(), *volumes())])
    if start:
        dialog.selectFile(Path(start).name)
    return dialog


def ask_open(owner: QWidget, title: str, kind: str, filters: str, start: str = "") -> Path | None:
    """One existing file."""
    found = ask_several(owner, title, kind, filters, start, QFileDialog.FileMode.ExistingFile)
    return found[0] if found else None


def ask_several(
    owner: QWidget,
    title: str,
    kind: str,
    filters: str,
    start: str = "",
    mode: QFileDialog.FileMode = QFileDialog.FileMode.ExistingFiles,
) -> list[Path]:
    """Existing files."""
    dialog = _dialog(owner, title, kind, start, filters)
    dialog.setFileMode(mode)
    return _answer(dialog, kind)


def ask_folder(owner: QWidget, title: str, kind: str) -> Path | None:
    """One existing folder."""
    dialog = _dialog(owner, title, kind, "", "")
    dialog.setFileMode(QFileDialog.FileMode.Directory)
    dialog.setOption(QFileDialog.Option.ShowDirsOnly)
    found = _answer(dialog, kind)
    return found[0] if found else None


def ask_save(owner: QWidget, title: str, kind: str, name: str, filters: str) -> tuple[Path | None, str]:
    """A file to write, and the filter that was chosen; an existing one is asked about."""
    dialog = _dialog(owner, title, kind, name, filters)
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    found = _answer(dialog, kind)
    return (found[0] if found else None), dialog.selectedNameFilter()


def _answer(dialog: QFileDialog, kind: str) -> list[Path]:
    if not dialog.exec():
        return []
    found = [Path(p) for p in dialog.selectedFiles()]
    if found:
        remember(kind, found[0])
    return found
