"""Shots: the log, and what is wrong in it."""
