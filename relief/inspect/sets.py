"""A texture set held against itself: do its maps lie on each other, and do they say the same?"""

from __future__ import annotations

from collections.abc import Mapping

from relief.inspect.finding import SetFinding
from relief.inspect.findings import find_all
from relief.inspect.seen import SeenSet
from relief.sources.picture import Picture
from relief.sources.roles import Green


def set_findings(pictures: Mapping[str, Picture], green: Green = "up", inverted: bool = False) -> list[SetFinding]:
    """What does not fit in a texture set.

    Args:
        pictures: the maps by their role.
        green: which way the green of the normal map is taken to point.
        inverted: whether the height is inverted already.
    """
    return find_all("texture_set", SeenSet(pictures, green, inverted))
