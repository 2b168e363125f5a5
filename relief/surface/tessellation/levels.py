"""By levels: every base face is cut as often."""

from __future__ import annotations

from typing import ClassVar, Literal

from relief.parameters import Surroundings
from relief.surface.tessellation.tessellation import Tessellation


class Levels(Tessellation):
    """The same everywhere, by the level of subdivision."""

    title: ClassVar[str] = "Levels"
    about: ClassVar[str] = "The same everywhere"
    even: ClassVar[bool] = True
    kind: Literal["levels"] = "levels"

    def unused(self, around: Surroundings) -> set[str]:
        return {"most_level"}
