"""How a picture looks on other screens and through wrong tags: light at the eye, what is lost, this screen first."""
