"""The commands, one file a family; each asks, calls a job and prints."""
