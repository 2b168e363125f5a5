"""In a normal map, as it is stored."""
