"""Meshes moved by a height field, and what that will cost."""
