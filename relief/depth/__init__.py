"""Depth from light: slopes and colours of a surface from photos of it, the light moved between them."""
