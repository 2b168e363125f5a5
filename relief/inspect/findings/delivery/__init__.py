"""In what is delivered, and how it is written."""
