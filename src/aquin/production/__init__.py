"""What is kept of a production: cameras, setups, shots, edits, grades, and the journal of every decision.

`Production` is the file; `records` are the values in it.
"""

from typing import TYPE_CHECKING, Any

from aquin.production.records import (
    Camera,
    Dismissal,
    Edit,
    Event,
    Grade,
    Option,
    Place,
    Record,
    Root,
    Setup,
    Shot,
)

if TYPE_CHECKING:
    from aquin.production.store import Entry, Production

__all__ = [
    "Camera",
    "Dismissal",
    "Edit",
    "Entry",
    "Event",
    "Grade",
    "Option",
    "Place",
    "Production",
    "Record",
    "Root",
    "Setup",
    "Shot",
]


def __getattr__(name: str) -> Any:
    """The file and what it needs are loaded when one is opened: the window's start does not wait for them."""
    if name in ("Entry", "Production"):
        from aquin.production import store

        return getattr(store, name)
    raise AttributeError(name)
