"""Evidence to correction: what brings a shot to its hero, with what is left over and how sure it is."""
