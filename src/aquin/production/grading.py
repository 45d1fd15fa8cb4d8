"""Grades of shots in the production: a balance for each camera in a setup, from its card, and a trim on top for each shot."""

from dataclasses import replace

from aquin.colour.config import ColourConfig
from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.production.records import Grade, Record, Shot
from aquin.production.stale import inputs_of
from aquin.production.store import Entry, Production

CARDS = ("chart", "grey card")


def balance_of(production: Production, shot: Shot) -> Grade | None:
    """The balance of the shot's camera in its setup."""
    return next(
        (
            g
            for g in production.all(Grade)
            if g.layer == "balance" and (g.camera_id, g.setup_id) == (shot.camera_id, shot.setup_id)
        ),
        None,
    )


def trim_of(production: Production, shot: Shot) -> Grade | None:
    return next((g for g in production.all(Grade) if g.layer == "trim" and g.shot_id == shot.id), None)


def held_grade(production: Production, shot: Shot) -> Correction | None:
    """What a shot is graded with: its own trim, else its camera's balance in the setup; None where there is neither.

    A trim record holds the shot's whole correction, so that a later balance does not move a shot that was already looked at; it
    is then stale. Values that another program spoilt count as none.
    """
    for record in (trim_of(production, shot), balance_of(production, shot)):
        if record is not None and record.on:
            try:
                return Correction.of(record.values)
            except (ValueError, KeyError, TypeError):
                continue
    return None


def keep_grade(
    production: Production, config: ColourConfig, shot: Shot, grade: Correction, origin: str
) -> Entry | None:
    """Write a shot's grade: of a chart or card its balance is the camera's in the setup, of any other shot all is its trim.

    None when nothing differs from what is kept. Raises AquinError.
    """
    now = held_grade(production, shot)
    if grade == (now or Correction()):
        return None
    puts: list[Record] = []
    if shot.kind in CARDS and shot.camera_id and shot.setup_id:
        values = {"stops": grade.balance.stops, "gains": list(grade.balance.gains)}
        old = balance_of(production, shot) or Grade("balance", shot.camera_id, shot.setup_id)
        puts.append(_made(production, config, replace(old, values=values, origin=f"{origin} of {shot.name}")))
    own = trim_of(production, shot)
    if not puts or own is not None or replace(grade, balance=Balance()) != Correction():
        puts.append(
            _made(
                production,
                config,
                replace(own or Grade("trim", shot_id=shot.id), values=grade.values(), origin=origin),
            )
        )
    what = "balance" if shot.kind in CARDS else "trim"
    return production.change(f"{what} of {shot.name}: {origin}", *puts)


def _made(production: Production, config: ColourConfig, grade: Grade) -> Grade:
    """With the hash of what it was made from."""
    return replace(grade, inputs=inputs_of(production, config, grade))
