"""Exposure and the chart routine in the Plan view."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QMenu, QPushButton, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.labels import Words
from aquin.desk.kit.number import Number
from aquin.desk.plan.parts import Asked, Section, menu_of
from aquin.desk.plan.strip import ExposureStrip
from aquin.production import Camera, Setup
from aquin.production.plan import (
    POLICY_STOPS,
    TARGETS,
    Chain,
    checklist,
    choose_policy,
    routine_of,
    set_routine,
)
from aquin.production.settings import POLICIES, policy_of
from aquin.wording import minus

if TYPE_CHECKING:
    from aquin.production import Production


def exposure(view: Asked, production: Production, chain: Chain) -> QWidget:
    box = Section("Exposure")
    policy = policy_of(production)
    for value, words in POLICIES.items():
        button = QPushButton(words[:1].upper() + words[1:])
        button.setCheckable(True)
        button.setChecked(value == policy)
        button.setToolTip(
            "Grey above the curve's own target: clean shadows, less room for highlights"
            if value == "bright"
            else "Grey below the curve's own target: room for highlights, noisier shadows"
        )
        button.clicked.connect(lambda _=False, v=value: view.attempt(lambda: choose_policy(production, v)))
        box.head.addWidget(button)
    stops = Number("Where the policy puts grey", "st", 0.0, 0.1, -4.0, 4.0, 1, signed=True)
    held = production.option("policy stops", {}) or {}

    stops.show_value(float(held.get(policy, POLICY_STOPS[policy])))
    stops.setFixedWidth(64)
    stops.ended.connect(lambda: view.attempt(lambda: choose_policy(production, policy, stops.value)))
    stops.changed.connect(
        lambda value, drag: None if drag else view.attempt(lambda: choose_policy(production, policy, value))
    )
    box.head.addWidget(stops)
    box.head.addWidget(Words("st from each curve's grey"))
    box.column.addLayout(_levels(view, chain))
    box.column.addWidget(Words(LEVELS_NOTE, role="dim", size=theme.SMALL, wrap=True))
    for words in chain.differing:
        box.column.addWidget(Words(f"?  {words}.", wrap=True))
    return box


LEVELS_NOTE = (
    "Levels in % of signal and as 10-bit code in the camera's files. Below grey: whole stops that still have four "
    "codes each."
)


def _levels(view: Asked, chain: Chain) -> QGridLayout:
    """Each camera's levels as a row."""
    grid = QGridLayout()
    grid.setHorizontalSpacing(14)
    grid.setVerticalSpacing(8)
    heads = (
        "",
        "grey 18 %",
        "asked for grey",
        "90 % white",
        "floor",
        "ceiling",
        "above grey",
        "left above",
        "below grey",
        "0 to 100 % of signal",
    )
    for k, words in enumerate(heads):
        label = Words(words)
        label.setFont(theme.font(theme.SMALL))
        label.set_role("dim")
        label.setAlignment(Qt.AlignmentFlag.AlignRight if 0 < k < 9 else Qt.AlignmentFlag.AlignLeft)
        grid.addWidget(label, 0, k)
    for row, camera in enumerate(chain.cameras, 1):
        name = Words(camera.camera.name)
        name.setFont(theme.font(theme.BASE, True))
        grid.addWidget(name, row, 0)
        card = camera.card
        if card is None:
            unknown = Words("its encoding is not known, so nothing can be asked of it")
            unknown.set_role("dim")
            grid.addWidget(unknown, row, 1, 1, 8)
            continue
        cells = [
            f"{v.signal:.1f} %  {v.code10}"
            for v in (card.grey, card.asked, card.white, card.floor, card.ceiling)
        ]
        cells += [minus(f"{card.above:+z.1f} st"), minus(f"{card.headroom:+z.1f} st"), f"−{card.below} st"]
        for k, words in enumerate(cells, 1):
            label = Words(words)
            label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if k == 2:
                label.setFont(theme.font(theme.BASE, True))
            grid.addWidget(label, row, k)
        grid.addWidget(ExposureStrip(view.config, card), row, 9)
    grid.setColumnStretch(9, 1)
    return grid


ONCE = (
    "Hold each card once, where the people are, all cameras rolling on it at once, before the light changes."
)
"""Common practice, no source: it then shows each camera the same light."""


def routine(view: Asked, production: Production) -> QWidget:
    """Setups by cameras: what is to be filmed, and whether it was."""
    box = Section("Chart routine")
    rows = checklist(production)
    if not rows:
        box.column.addWidget(Words(f"No shots yet. {ONCE}", wrap=True))
        return box
    box.column.addWidget(Words(ONCE, role="soft", wrap=True))
    cameras = [c for c in production.all(Camera) if any(f.camera.id == c.id for f in rows)]
    grid = QGridLayout()
    grid.setHorizontalSpacing(18)
    grid.setVerticalSpacing(5)
    for k, camera in enumerate(cameras, 1):
        label = Words(camera.name)
        label.setFont(theme.font(theme.SMALL))
        label.set_role("dim")
        grid.addWidget(label, 0, k)
    setups = list({f.setup.id: f.setup for f in rows}.values())
    for row, setup in enumerate(setups, 1):
        name = QPushButton(setup.name)
        name.setProperty("quiet", True)
        name.setToolTip("Choose what every camera films in this setup")
        name.setMenu(routine_menu(view, production, setup))
        grid.addWidget(name, row, 0, Qt.AlignmentFlag.AlignLeft)
        for k, camera in enumerate(cameras, 1):
            filmed = next((f for f in rows if f.setup.id == setup.id and f.camera.id == camera.id), None)
            if filmed is None:
                continue
            words = "   ".join(f"{'●' if there else '○'} {target}" for target, there in filmed.targets)
            label = Words(words)
            label.setFont(theme.font(theme.SMALL))
            if not any(there for _, there in filmed.targets):
                label.setText(words + "   !")
                label.setToolTip(f"{camera.name} has neither chart nor card in {setup.name}")
            label.setAccessibleName(
                f"{camera.name} in {setup.name}: "
                + ", ".join(f"{t} {'filmed' if th else 'missing'}" for t, th in filmed.targets)
            )
            grid.addWidget(label, row, k)
    grid.setColumnStretch(len(cameras) + 1, 1)
    box.column.addLayout(grid)
    legend = Words("● filmed   ○ not filmed")
    legend.setFont(theme.font(theme.SMALL))
    legend.set_role("dim")
    box.head.addWidget(legend)
    return box


def routine_menu(view: Asked, production: Production, setup: Setup) -> QMenu:
    menu = menu_of(view)
    wanted = routine_of(production, setup)
    for target in TARGETS:
        action = menu.addAction(target)
        action.setCheckable(True)
        action.setChecked(target in wanted)
        action.triggered.connect(
            lambda on, t=target: view.attempt(
                lambda: set_routine(production, setup, tuple(x for x in TARGETS if (x in wanted) != (x == t)))
            )
        )
    return menu
