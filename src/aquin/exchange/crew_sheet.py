"""The crew sheet: where each camera's levels must sit and which charts are filmed, for print and screen."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from aquin.colour.levels import GREY, WHITE
from aquin.exchange import paper
from aquin.exchange.paper import Block, Heading, Lines, Paper, Picture, Pictures, Table, write_paper
from aquin.exchange.plots import Bar, Drawing, bars
from aquin.production.plan import CameraPlan, Chain, Filmed


@dataclass(frozen=True)
class Sheet:
    """Everything that is printed. `routine` is by setup in the order of the shoot."""

    production: str
    date: str
    policy: str
    chain: Chain
    routine: tuple[Filmed, ...]
    look: tuple[str, ...] = ()
    """What the look does, in lines."""
    seen: tuple[tuple[str, bytes], ...] = ()
    """A picture without the look and with it: what stands under each, and a JPEG."""
    charts: tuple[tuple[str, bytes], ...] = ()
    """The same of charts that were filmed already."""

    @property
    def columns(self) -> list[str]:
        return [
            "camera",
            "encoding",
            "range",
            "grey 18 %",
            "asked for grey",
            "white 90 %",
            "floor",
            "ceiling",
            "above",
            "below",
        ]

    def rows(self) -> list[list[str]]:
        """One line of words for each camera; levels as per cent and 10-bit code."""
        return [[c.camera.name, *_words(c)] for c in self.chain.cameras]

    @property
    def cameras(self) -> list[str]:
        """The cameras that filmed anything."""
        return list(
            dict.fromkeys(f.camera.name for f in sorted(self.routine, key=lambda f: f.camera.position))
        )

    def setups(self) -> list[tuple[str, list[list[str]]]]:
        """Each setup with the targets of each of `cameras`, ticked where filmed; none where a camera was not there."""
        out: dict[str, dict[str, list[str]]] = {}
        for f in self.routine:
            marks = [f"[{'x' if there else '  '}] {target}" for target, there in f.targets]
            out.setdefault(f.setup.name, {})[f.camera.name] = marks
        return [(setup, [held.get(c, []) for c in self.cameras]) for setup, held in out.items()]


ADVICE = (
    "Expose each camera to its own grey, not all to one line on a monitor.",
    "Hold the card once, where the people are, turned to the main camera, with all cameras rolling on it at the same "
    "time: then it shows each camera the same light. Film it before the light changes.",
    "Tilt the chart while filming it, so that one frame at least is free of glare; no fingers on the patches.",
    "Leave white fixed within a setup.",
)
"""Common practice."""


def _words(camera: CameraPlan) -> list[str]:
    card = camera.card
    if card is None:
        return [camera.camera.encoding or "not chosen", *["-"] * 8]

    def level(v: object) -> str:
        return f"{v.signal:.1f} % ({v.code10})"  # type: ignore[attr-defined]

    asked = level(card.asked) if card.asked_stops else "the same"
    return [
        card.levels.encoding,
        card.range,
        level(card.grey),
        f"{asked} {card.asked_stops:+z.1f} st" if card.asked_stops else asked,
        level(card.white),
        level(card.floor),
        level(card.ceiling),
        f"{card.above:.1f} st",
        f"{card.below} st",
    ]


def write_crew_sheet(path: Path, sheet: Sheet, force: bool = False) -> None:
    """Write .html or .pdf by the name's ending. Raises AquinError."""
    write_paper(path, paper_of(sheet), "a crew sheet", force)


def html(sheet: Sheet) -> str:
    """The sheet as one HTML page; names are escaped."""
    return paper.html(paper_of(sheet))


def paper_of(sheet: Sheet) -> Paper:
    """The sheet as blocks."""
    about = f"Crew sheet of {sheet.date}. Policy: {sheet.policy}."
    units = "Levels in per cent of signal, 10-bit code in brackets."
    width = 222 / max(len(sheet.cameras), 1)
    return Paper(
        f"{sheet.production}: crew sheet",
        [
            Heading(sheet.production, 1),
            Lines([f"{about} {units}"]),
            Heading("Exposure"),
            Table(sheet.columns, sheet.rows(), (24, 46, 14, 28, 40, 28, 26, 28, 16, 16)),
            *_bars(sheet),
            Lines([f"{line}." for line in sheet.chain.differing]),
            Heading("Charts"),
            Table(
                ["", *sheet.cameras],
                [[setup, *marks] for setup, marks in sheet.setups()],
                [44, *[width] * len(sheet.cameras)],
            ),
            *(
                [Pictures([Picture(data, words, 40.0) for words, data in sheet.charts])]
                if sheet.charts
                else []
            ),
            *_under(sheet),
            Heading("On set"),
            Lines(ADVICE, points=True),
        ],
    )


def _bars(sheet: Sheet) -> list[Drawing]:
    """Each camera's range in stops about grey, with where white lies and where grey is asked for."""
    rows = []
    for c in sheet.chain.cameras:
        if c.card is not None:
            asked = c.card.asked_stops
            marks = ((asked, "grey"), (asked + float(np.log2(WHITE / GREY)), "white"))
            rows.append(Bar(c.camera.name, -float(c.card.below), c.card.above, marks))
    if not rows:
        return []
    title = "What each camera holds, and where the policy puts grey and white"
    return [bars(title, rows, "stops from grey", zero="18 %")]


def _under(sheet: Sheet) -> list[Block]:
    """What the look does; nothing where none is on."""
    if not sheet.look:
        return []
    pictures = [Picture(data, words) for words, data in sheet.seen]
    seen = [Pictures(pictures)] if pictures else []
    return [Heading("Under the look"), Lines([f"{line}." for line in sheet.look], points=True), *seen]
