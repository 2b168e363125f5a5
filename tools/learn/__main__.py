"""python -m tools.learn make|teach|export: makes the examples, teaches the network from its last checkpoint on, and
writes it for the application.
"""

from __future__ import annotations

import argparse
from pathlib import Path

CHECKPOINT = Path(__file__).parent / "checkpoint.npz"


def main() -> None:
    """Reads the command line and does what it says."""
    parser = argparse.ArgumentParser(prog="python -m tools.learn", description=__doc__)
    parser.add_argument("what", choices=("make", "teach", "export"))
    parser.add_argument("--examples", type=Path, default=Path("var/examples"), help="folder of the examples")
    parser.add_argument("--first", type=int, default=0, help="the first seed")
    parser.add_argument("--many", type=int, default=8000, help="how many examples")
    parser.add_argument("--workers", type=int, default=2, help="processes that make them")
    parser.add_argument("--checkpoint", type=Path, default=CHECKPOINT)
    parser.add_argument("--minutes", type=float, default=30, help="how long it is taught at most")
    parser.add_argument("--steps", type=int, default=20_000, help="of the whole course")
    chosen = parser.parse_args()
    if chosen.what == "make":
        from tools.learn.examples import make_examples

        make_examples(chosen.examples, chosen.first, chosen.many, chosen.workers)
    elif chosen.what == "export":
        from relief.depth.learned import WEIGHTS
        from tools.learn.export import export
        from tools.learn.teach import restore

        export(restore(chosen.checkpoint)[0], WEIGHTS)
    else:
        from tools.learn.teach import teach

        print(f"{teach(chosen.examples, chosen.checkpoint, chosen.minutes, chosen.steps):.2f} degrees off at the end")


main()
