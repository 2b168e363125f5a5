"""In a finished height field, and in how its layers and maps are set."""
