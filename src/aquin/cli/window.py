"""Opening the window from the command line, and drawing it without a screen."""

import ctypes
import ctypes.util
import gc
import os
import sys
from pathlib import Path


def has_screen() -> bool:
    """True when there is somewhere to show a window."""
    chosen = os.environ.get("QT_QPA_PLATFORM", "")
    return bool(chosen or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def unreachable() -> str:
    """Why the screen that is named can't be reached, and how to go on; empty where it can. The toolkit itself would
    end the program.
    """
    chosen = os.environ.get("QT_QPA_PLATFORM", "")
    name = os.environ.get("DISPLAY", "")
    if chosen not in ("", "xcb") or (not chosen and os.environ.get("WAYLAND_DISPLAY")) or not name:
        return ""
    try:
        xcb = ctypes.CDLL(ctypes.util.find_library("xcb") or "libxcb.so.1")
    except OSError:
        return ""
    xcb.xcb_connect.restype = ctypes.c_void_p
    connection = ctypes.c_void_p(xcb.xcb_connect(name.encode(), None))
    failed = bool(xcb.xcb_connection_has_error(connection))
    xcb.xcb_disconnect(connection)
    if not failed:
        return ""
    return (
        f"the screen {name} that DISPLAY names can't be reached: it is not there, or it does not let this "
        "account in. Start "
        "Aquin from a desktop's own terminal, name the right one (DISPLAY=:0 aquin), or draw the views into a folder:  "
        "aquin demo --screenshots DIR"
    )


def open_window(session: Path | None, demo: Path | None = None) -> int:
    """Run the window until it is closed, filming the rest of the shoot in the folder `demo`; 2 and one line on stderr
    when there is no screen.
    """
    if not has_screen():
        print(
            "aquin: there is no screen here (neither DISPLAY nor WAYLAND_DISPLAY is set). "
            "Draw the views into a folder instead:  aquin demo --screenshots DIR",
            file=sys.stderr,
        )
        return 2
    if why := unreachable():
        print(f"aquin: {why}", file=sys.stderr)
        return 2
    gc.disable()  # nothing that is loaded now is garbage; a tenth of the start would go into looking for it
    from aquin.desk.app import run_window

    return run_window(session, demo)


def save_screenshots(session: Path, folder: Path) -> list[Path]:
    """Draw every main view at 1280 x 800 into `folder`, with or without a screen."""
    if not has_screen():
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from aquin.desk.screenshots import draw_views

    return draw_views(session, folder)
