"""Open descriptions of a material or a scene: one format a module, found by being there."""
