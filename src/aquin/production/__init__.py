"""What is kept of a production: cameras, setups, shots, edits, grades, and the journal of every decision.

`Production` is the file; `records` are the values in it.
"""

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
