"""Stand-ins for cameras and a crew: spectral scenes filmed by invented cameras and written as real files.

Everything comes from a seed; the truth behind the files is kept apart from them, for tests.
"""
