"""What runs a recipe: its stages, their order, and the engine that keeps their results."""
