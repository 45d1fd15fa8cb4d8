"""The Release view: what is handed on, whether it is whole, what others made of it, and what changed."""
