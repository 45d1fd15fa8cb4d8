"""Releases: a folder that holds one grade for everybody, in open formats, proved and comparable."""
