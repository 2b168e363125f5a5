"""Mends that several findings offer."""

from __future__ import annotations

from relief.inspect.finding import Mend
from relief.recipe.relief import CONTENT_PATH

REBUILD_BLUE = Mend("Rebuild blue", {f"{CONTENT_PATH}.rebuild_blue": True})
