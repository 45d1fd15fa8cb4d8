"""The look: one layer over graded pictures, taken apart from a reference still, judged for what it suits and what it
costs.
"""
