"""List the treatments that --treat takes, with their parameters."""

from __future__ import annotations

import argparse

from relief.figures import say_number
from relief.parameters import controls
from relief.treat import TREATMENTS


def add_options(parser: argparse.ArgumentParser) -> None:
    """None."""


def run(chosen: argparse.Namespace) -> None:
    """Prints every treatment with its parameters."""
    print(_in_words())


def _in_words() -> str:
    """Every treatment with its parameters, their bounds and units."""
    lines = []
    for kind, model in TREATMENTS.items():
        lines.append(f"{kind}  {model.about()}")
        for known in controls(model):
            if known.name == "on":
                continue
            match known.kind:
                case "number":
                    values = f"{say_number(known.low or 0, 6)} to {say_number(known.high or 0, 6)} {known.unit}"
                case "choice":
                    values = ", ".join(map(str, known.names or ()))
                case "switch":
                    values = "true, false"
                case _:
                    values = "as JSON in brackets"
            lines.append(f"    {known.name:14}{values}")
    return "\n".join(lines)
