"""The files that pictures and meshes are written as: one format a module, found by being there."""
