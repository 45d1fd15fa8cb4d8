"""The Screens view: this screen first, other screens, wrong tags, deliverables side by side."""
