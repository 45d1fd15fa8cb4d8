"""Opening the window from the command line, and drawing it without a screen."""

import os
import sys
from pathlib import Path


def has_screen() -> bool:
    """True when there is somewhere to show a window."""
    chosen = os.environ.get("QT_QPA_PLATFORM", "")
    return bool(chosen or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def open_window(session: Path | None, demo: Path | None = None) -> int:
    """Run the window until it is closed, filming the rest of the shoot in the folder `demo`; 2 and one line on stderr when there is no screen."""
    if not has_screen():
        print(
            "aquin: there is no screen here (neither DISPLAY nor WAYLAND_DISPLAY is set). "
            "Draw the views into a folder instead:  aquin demo --screenshots DIR",
            file=sys.stderr,
        )
        return 2
    from aquin.desk.app import run_window

    return run_window(session, demo)


def save_screenshots(session: Path, folder: Path) -> list[Path]:
    """Draw every main view at 1280 x 800 into `folder`, with or without a screen."""
    if not has_screen():
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from aquin.desk.screenshots import draw_views

    return draw_views(session, folder)
