"""List the profiles that ship with it."""

from __future__ import annotations

import argparse
import json

from relief.deliver.profiles import SHIPPED, read_profile


def add_options(_parser: argparse.ArgumentParser) -> None:
    """This command takes no options."""


def run(_chosen: argparse.Namespace) -> None:
    """Prints them as JSON by their names, each with all of its choices: what --profile takes as a file."""
    told = {name: read_profile(values)[0].model_dump(mode="json") for name, values in SHIPPED.items()}
    print(json.dumps(told, indent=2, ensure_ascii=False))
