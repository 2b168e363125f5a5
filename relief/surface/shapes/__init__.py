"""Shapes that carry a relief, each in a file of its own. `SHAPES` finds the files by itself."""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from relief.parameters import discover
from relief.surface.shapes.shape import Shape

SHAPES = discover(__name__, Shape)
"""Every shape by its kind."""

if TYPE_CHECKING:
    AnyShape = Shape
else:
    AnyShape = Annotated[reduce(or_, SHAPES.values()), Field(discriminator="kind")]
"""The type of a surface's shape."""
