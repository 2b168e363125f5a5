"""Bytes to pixels and facts."""
