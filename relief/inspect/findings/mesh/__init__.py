"""In the displaced mesh."""
