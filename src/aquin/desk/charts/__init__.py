"""Charts: readings, solutions, profiles, latitude."""
