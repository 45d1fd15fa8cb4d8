"""Charts: found in a frame, read patch by patch, compared with a reference.

A chart's corners are the outer corners of its patch field, in pixels of the frame (the centre of the first pixel is
0.5, 0.5): the first patch's corner, then clockwise on the chart, four (x, y) pairs.
"""
