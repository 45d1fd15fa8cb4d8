"""Frames and evidence to numbers: the ledger's axes, and what the scopes draw."""
