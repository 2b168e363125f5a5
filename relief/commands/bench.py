"""Measure the kernels on this machine."""

from __future__ import annotations

import argparse

from relief.benchmark import table


def add_options(parser: argparse.ArgumentParser) -> None:
    """None."""


def run(chosen: argparse.Namespace) -> None:
    """Prints the table of times."""
    print(table())
