"""The Board: setups by cameras, heroes, settling."""
