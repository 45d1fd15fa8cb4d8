"""The places of the ferry film: what stands there, who is there, how it is lit, and where each camera stands."""

from aquin.simulate.places.aboard import engine_room, galley, wheelhouse
from aquin.simulate.places.ashore import pier, test_corner
from aquin.simulate.places.decks import car_deck, open_water, upper_deck
from aquin.simulate.places.place import Place

PLACES = {
    "wheelhouse": wheelhouse,
    "car-deck": car_deck,
    "galley": galley,
    "engine-room": engine_room,
    "upper-deck": upper_deck,
    "pier": pier,
    "open-water": open_water,
    "test-corner": test_corner,
}
"""How to build each place."""

__all__ = ["PLACES", "Place"]
