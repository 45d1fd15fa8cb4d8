"""Columns and lines of widgets with their margins and gaps."""

from typing import TypeVar

from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QVBoxLayout, QWidget

Box = TypeVar("Box", bound=QBoxLayout)
Margins = int | tuple[int, int, int, int]


def column_of(margins: Margins, parent: QWidget | None = None, spacing: int | None = None) -> QVBoxLayout:
    """A column; `margins` in pixels, one for all or left, top, right, bottom; `spacing`: the toolkit's own if None."""
    return _spaced(QVBoxLayout(parent) if parent is not None else QVBoxLayout(), margins, spacing)


def line_of(margins: Margins, parent: QWidget | None = None, spacing: int | None = None) -> QHBoxLayout:
    """A line; see `column_of`."""
    return _spaced(QHBoxLayout(parent) if parent is not None else QHBoxLayout(), margins, spacing)


def _spaced(box: Box, margins: Margins, spacing: int | None) -> Box:
    box.setContentsMargins(*((margins,) * 4 if isinstance(margins, int) else margins))
    if spacing is not None:
        box.setSpacing(spacing)
    return box
