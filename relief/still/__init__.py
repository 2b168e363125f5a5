"""A finished picture of a surface: rays from a camera to its mesh, and on to the sun, the sky and its other parts."""
