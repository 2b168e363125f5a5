"""Maps made of a height field: normal, bump, displacement."""
