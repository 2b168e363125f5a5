"""Own meshes: bytes to polygons, and what is to be known of them."""
