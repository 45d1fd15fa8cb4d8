"""Colour mathematics on arrays: the chain on OpenColorIO, CDL, white point work, colour differences, levels.

Unless a docstring says otherwise, scene-linear means ACES AP1 with 1.0 at a perfect diffuser, and log means ACEScct.
"""
