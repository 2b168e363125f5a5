"""Between the maps of a texture set."""
