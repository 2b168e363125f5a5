"""Maps made of a height field: normal, bump, displacement, and the grey maps beside them.

A grey map is a `CompanionMap` in a file of its own; `COMPANION_MAPS` finds the files by itself.
"""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from relief.maps.companion import CompanionMap
from relief.parameters import discover

COMPANION_MAPS = discover(__name__, CompanionMap)
"""Every grey map by its kind."""

if TYPE_CHECKING:
    AnyCompanionMap = CompanionMap
else:
    AnyCompanionMap = Annotated[reduce(or_, COMPANION_MAPS.values()), Field(discriminator="kind")]
"""The type of one entry of a recipe's list of grey maps."""
