"""Scallop wall tile: rows of fan shells that overlap like roof tiles, as a height scanner would deliver them."""

from __future__ import annotations

import numpy as np

from relief.deliver.images import png
from relief.synthetic.pieces import scallops

TITLE = "Scallop tile, north wall"
FILENAME = "scallop-tile-height.png"
GUIDE = "Drag the datum in the section below: what lies above it comes out in ochre, below it goes in, in blue."
REMARK = "height scan, 16 bit"
CHANGES = {"footprint.width": 600, "amplitude": 20}


def picture() -> bytes:
    """A 16-bit grey PNG that tiles."""
    return png(np.rint(scallops() * 65535).astype(np.uint16))
