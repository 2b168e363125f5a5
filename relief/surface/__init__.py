"""Shapes that carry a relief."""
