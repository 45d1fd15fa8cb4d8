"""What the commands say to people: tables of what jobs give."""
