"""Open files out: images, meshes, the note on how to read them, and the bundle."""
