"""Long work in the background, one way for all kinds of it: claim, lease, progress, cancel, a clear end."""
