"""Ways to lay a relief on a surface, each in a file of its own. `MAPPINGS` finds the files by itself."""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from relief.parameters import discover
from relief.surface.mapping.mapping import Mapping

MAPPINGS = discover(__name__, Mapping)
"""Every mapping by its kind."""

if TYPE_CHECKING:
    AnyMapping = Mapping
else:
    AnyMapping = Annotated[reduce(or_, MAPPINGS.values()), Field(discriminator="kind")]
"""The type of a surface's mapping."""
