"""Where a surface gets its faces, each way in a file of its own. `TESSELLATIONS` finds the files by itself."""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from relief.parameters import discover
from relief.surface.tessellation.tessellation import Tessellation

TESSELLATIONS = discover(__name__, Tessellation)
"""Every way by its kind."""

if TYPE_CHECKING:
    AnyTessellation = Tessellation
else:
    AnyTessellation = Annotated[reduce(or_, TESSELLATIONS.values()), Field(discriminator="kind")]
"""The type of a surface's tessellation."""
