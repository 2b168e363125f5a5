"""Layers put together: blends, masks, layout, imprints and hand strokes."""
