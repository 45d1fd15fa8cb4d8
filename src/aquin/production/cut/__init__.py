"""The edit as it is graded: its pieces, what jumps at its cuts, what falls out of its setup, and what a newer edit
changes.
"""
