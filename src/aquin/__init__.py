"""Aquin: a measuring bench, planner and logbook for matching the cameras of a multi-camera shoot."""

__version__ = "0.1.0"
