"""The profile that the desktop's colour service has for a display."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path


def desktop_profile(ask: Callable[[], Path | None] | None = None) -> Path | None:
    """The profile that the desktop's colour service has for a display; None where there is no such service. `ask`: how
    it is asked, where it is not the usual way.
    """
    return (ask or _ask_service)()


def _ask_service() -> Path | None:
    """The colour service on the system bus, by the command that most desktops have: it is a small text."""
    tool = shutil.which("gdbus")
    if tool is None:
        return None
    said = _called(tool, _SERVICE, "GetDevicesByKind", "display")
    for device in _paths(said):
        profiles = _called(tool, device, None, "Profiles")
        for path in _paths(profiles):
            file = _called(tool, path, None, "Filename")
            name = file.partition("'")[2].partition("'")[0]
            if name and Path(name).is_file():
                return Path(name)
    return None


_SERVICE = "/org/freedesktop/ColorManager"


def _called(tool: str, path: str, method: str | None, argument: str) -> str:
    """One call, or one property where no method is named; nothing where it fails."""
    name = "org.freedesktop.ColorManager"
    kind = name if method else f"{name}.{'Profile' if argument == 'Filename' else 'Device'}"
    call = (
        [f"{name}.{method}", argument] if method else ["org.freedesktop.DBus.Properties.Get", kind, argument]
    )
    command = [
        tool,
        "call",
        "--system",
        "--timeout",
        "2",
        "--dest",
        name,
        "--object-path",
        path,
        "--method",
        *call,
    ]
    try:
        done = subprocess.run(command, capture_output=True, text=True, timeout=3, check=False)
    except (OSError, subprocess.SubprocessError):
        return ""
    return done.stdout if done.returncode == 0 else ""


def _paths(said: str) -> list[str]:
    return [p for p in said.split("'")[1::2] if p.startswith(_SERVICE)]
