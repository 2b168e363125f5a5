"""Shapes that carry a relief, each in a file of its own. `SHAPES` finds the files by itself."""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from relief.parameters import discover
from relief.surface.shape import Shape

SHAPES = discover(__name__, Shape)
"""Every shape by its kind."""

if TYPE_CHECKING:
    AnyShape = Shape
else:
    # a union of one is that one, which Pydantic does not tell apart by its kind
    AnyShape = (
        Annotated[reduce(or_, SHAPES.values()), Field(discriminator="kind")]
        if len(SHAPES) > 1
        else next(iter(SHAPES.values()))
    )
"""The type of a recipe's surface."""
