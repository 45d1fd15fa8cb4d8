"""Who decides, and at which machine."""

import getpass
import os
import platform


def person() -> str:
    """Who is written into the journal: AQUIN_PERSON, else the name of the account."""
    try:
        return os.environ.get("AQUIN_PERSON") or getpass.getuser()
    except (KeyError, OSError):
        return "someone"


def workstation() -> str:
    """This machine's name: AQUIN_WORKSTATION, else what the system says."""
    return os.environ.get("AQUIN_WORKSTATION") or platform.node() or "workstation"
