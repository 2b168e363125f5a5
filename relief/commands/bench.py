"""Measure the kernels on this machine."""

from __future__ import annotations

import argparse

from relief.benchmark import QUICK, Extent, table


def add_options(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("--quick", action="store_true", help="a smoke run: small sizes, every row")


def run(chosen: argparse.Namespace) -> None:
    """Prints the table of times."""
    print(table(QUICK if chosen.quick else Extent()))
