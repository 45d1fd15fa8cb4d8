"""The world in front of the cameras: meshes, surfaces, lights, people, and what a pinhole camera sees of them.

Metres; x right, y up, z away. Light levels: 1.0 is a perfect diffuser at the nominal exposure.
"""
