"""Where the program keeps what belongs to this person and machine."""

import os
from pathlib import Path

from platformdirs import user_data_path, user_state_path


def state_folder() -> Path:
    """Created on first use. AQUIN_STATE names another one."""
    folder = Path(os.environ["AQUIN_STATE"]) if os.environ.get("AQUIN_STATE") else user_state_path("aquin")
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def demo_folder() -> Path:
    """Where the demo is built and kept."""
    return user_data_path("aquin") / "demo"


def last_session() -> Path:
    return state_folder() / "session.json"


def added_config() -> Path:
    return state_folder() / "config.ocio"


def remembered_file() -> Path:
    """Presets and report mappings, for all productions."""
    return state_folder() / "remembered.json"


def window_settings() -> Path:
    return state_folder() / "window.ini"
