"""In a shape and how the relief lies on it."""
