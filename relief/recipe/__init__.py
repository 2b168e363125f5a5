"""A piece as data: its recipe, what it holds, and changes to it."""
