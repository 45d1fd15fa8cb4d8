"""Widgets and helpers that every view is built from."""
