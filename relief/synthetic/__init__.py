"""Surfaces that are made up, so that their relief is known: how they are drawn and photographed."""
