"""Level targets and tied heroes in the Plan view."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.axes import UNITS
from aquin.desk.kit.labels import Words, no_mnemonic
from aquin.desk.plan.parts import Asked, Section, menu_of
from aquin.measure.targets import ORDER, SCHOOLS, UNIT
from aquin.production.heroes import hero_of
from aquin.production.levels import choose_school, targets_in, tie, tied_to
from aquin.production.records import Setup

if TYPE_CHECKING:
    from aquin.production import Production, Shot

SHOWN = ("skin level", "mid level", "black floor", "white ceiling", "skin hue", "saturation")
"""Rows that schools differ in; neutrals are near 0 in all of them."""
ACROSS = 4
NOTE = (
    "Where finished pictures are to lie, as the first screen shows them; common practice, to be edited on the Bench "
    "(E, ranges). A tied hero is brought to another hero's skin level and neutral, its saturation half way."
)


def targets(view: Asked, production: Production) -> QWidget:
    """The school, its ranges, and which hero is tied to which."""
    box = Section("Level targets")
    now = targets_in(production)
    for school, words in SCHOOLS.items():
        button = QPushButton(words[:1].upper() + words[1:])
        button.setCheckable(True)
        button.setChecked(school == now.school)
        button.setToolTip(f"Bring pictures to the levels of the {words} school")
        button.clicked.connect(lambda _=False, s=school: view.attempt(lambda: choose_school(production, s)))
        box.head.addWidget(button)
    grid = QGridLayout()
    grid.setHorizontalSpacing(18)
    shown = [name for name in ORDER if name in SHOWN]
    for k, name in enumerate(shown):
        low, high = now.ranges[name]
        head = Words(name, role="dim", size=theme.SMALL)
        grid.addWidget(head, 0, k)
        grid.addWidget(Words(f"{low:g} to {high:g} {UNITS.get(UNIT[name], UNIT[name])}"), 1, k)
    grid.setColumnStretch(len(shown), 1)
    box.column.addLayout(grid)
    heroes = [h for s in production.all(Setup) if (h := hero_of(production, s)) is not None]
    if len(heroes) > 1:
        ties = QGridLayout()
        ties.setHorizontalSpacing(12)
        for k, hero in enumerate(heroes):
            ties.addWidget(_tie(view, production, hero, heroes), k // ACROSS, k % ACROSS)
        ties.setColumnStretch(ACROSS, 1)
        box.column.addLayout(ties)
    box.column.addWidget(Words(NOTE, role="dim", size=theme.SMALL, wrap=True))
    return box


def _tie(view: Asked, production: Production, hero: Shot, heroes: list[Shot]) -> QWidget:
    """One hero, with a menu of those that it may be tied to."""
    other = tied_to(production, hero)
    setup = production.find(Setup, hero.setup_id)
    where = setup.name if setup is not None else ""
    how = f"tied to {other.name}" if other is not None else "on its own"
    button = QPushButton(no_mnemonic(f"{hero.name} in {where}: {how}"))
    button.setProperty("quiet", True)
    button.setToolTip("Tie its level to another hero's: interiors to exteriors, for instance")
    menu = menu_of(view)
    menu.addAction("on its own").triggered.connect(lambda: view.attempt(lambda: tie(production, hero, None)))
    for one in heroes:
        if one.id != hero.id:
            action = menu.addAction(no_mnemonic(one.name))
            action.triggered.connect(lambda _=False, o=one: view.attempt(lambda: tie(production, hero, o)))
    button.setMenu(menu)
    return button
