"""The date that everything delivered bears, so that the same input gives the same bytes."""

LONG_AGO = (1980, 1, 1, 0, 0, 0)
"""The earliest that a ZIP can say."""
