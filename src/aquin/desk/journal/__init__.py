"""The Journal view: every decision, by whom, when and why."""
