"""Makes the examples that the network is taught by, and keeps them in files."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import cv2
import numpy as np

from tools.learn.photo import Example, make_example

TOGETHER = 500
"""Examples in a file."""


def make_examples(folder: Path, first: int, many: int, workers: int) -> None:
    """Makes the examples of some seeds; files that are there are left as they are.

    Args:
        folder: where they are kept, made if missing.
        first: the first seed, a multiple of `TOGETHER`.
        many: how many examples, a multiple of `TOGETHER`.
        workers: processes that work at once.
    """
    folder.mkdir(parents=True, exist_ok=True)
    apart = get_context("spawn")  # what is forked beside the threads of JAX may wait for them for ever
    with ProcessPoolExecutor(workers, apart, initializer=cv2.setNumThreads, initargs=(1,)) as pool:
        for begun in range(first, first + many, TOGETHER):
            path = folder / f"{begun:08}.npz"
            if not path.exists():
                _keep(path, list(pool.map(make_example, range(begun, begun + TOGETHER), chunksize=10)))


def _keep(path: Path, made: list[Example]) -> None:
    part = path.with_suffix(".part")
    with part.open("wb") as file:
        np.savez(
            file,
            photo=np.stack([each.photo for each in made]),
            slopes=np.stack([each.slopes for each in made]),
            colour=np.stack([each.colour for each in made]),
            linear=np.stack([each.linear for each in made]),
            elevation=np.array([each.elevation for each in made], np.float32),
            given=np.array([each.given for each in made], np.float32),
            sun=np.array([each.sun for each in made], np.float32),
        )
    part.replace(path)
