"""The command line: the same core as the window, for scripts and render machines."""
