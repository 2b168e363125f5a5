"""For developers: what makes parts of the application, and is not needed to run it."""
