"""Teaches the network that reads the relief, the colour and the certainty of a single photo."""
