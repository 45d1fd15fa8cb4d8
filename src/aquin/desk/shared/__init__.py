"""Productions on a server: sharing one, opening one, who may do what there, and what waits to be sent."""
