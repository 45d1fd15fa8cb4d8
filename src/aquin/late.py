"""Modules that are loaded when something of them is first asked for: the window comes up without them."""

from importlib import import_module
from typing import Any


class Late:
    """Stands for a module of that name."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, what: str) -> Any:
        return getattr(import_module(self._name), what)


def late(*names: str) -> tuple[Late, ...]:
    """One for each module."""
    return tuple(Late(name) for name in names)
