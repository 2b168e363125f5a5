"""Tests of what makes parts of the application."""
