"""Pictures as files: one format a module, found by being there."""
