"""What more faces bring: detail kept against faces, for levels and for budgets of as many, measured on the piece."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace
from typing import Literal

from relief.displace.deviation import Deviation
from relief.errors import ReliefError
from relief.figures import say_count, say_number
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.surface.bisect import as_triangles
from relief.surface.tessellation.face_budget import FaceBudget
from relief.surface.tessellation.levels import Levels

FEWEST, MOST = 200, 300_000
"""Triangles between which it is measured."""

GROWTH = 16
"""Times as many triangles are tried next while too much is lost."""

CLOSE = 1.15
"""Times as many triangles as needed that are near enough."""

PAYS = 0.02
"""Of the detail: four times as many faces that bring less do not pay any more."""


@dataclass(frozen=True)
class Point:
    """One way of building, and what it keeps.

    Attributes:
        kind: by levels, or by a budget of as many triangles.
        level: of subdivision; a budget stands beside the level of as many.
        triangles: how many.
        memory: bytes of the mesh.
        off: how far it is from the true surface.
    """

    kind: Literal["levels", "budget"]
    level: int
    triangles: int
    memory: int
    off: Deviation


@dataclass(frozen=True)
class Advice:
    """The curve of each kind, coarsest first, and of each the last point that pays."""

    levels: list[Point]
    budgets: list[Point]

    @property
    def level(self) -> Point | None:
        """The level after which more faces stop paying."""
        return _where_it_stops(self.levels)

    @property
    def budget(self) -> Point | None:
        """The budget after which more faces stop paying."""
        return _where_it_stops(self.budgets)


def _where_it_stops(points: list[Point]) -> Point | None:
    for point, finer in itertools.pairwise(points):
        if finer.off.detail_kept - point.off.detail_kept < PAYS:
            return point
    return points[-1] if points else None


def find_budget(pipeline: SurfacePipeline, engine: Engine, share: float) -> int:
    """The fewest triangles, as a budget, that keep a share of the detail.

    Budgets grow from the smallest on, so that no more is built than is needed. Then, as the error falls about as a
    power of the triangles, each guess is drawn through the last two.

    Args:
        share: 0 to 1, apart from both.

    Raises:
        ReliefError: no budget up to `MOST` keeps as much; the message says how much that one keeps.
    """
    if not 0 < share < 1:
        raise ReliefError("How much of the detail the geometry keeps lies between 0 and 100 %, apart from both.")

    def lost(faces: int) -> float:
        way = FaceBudget(faces=faces)
        spent = replace(pipeline, surface=pipeline.surface.model_copy(update={"tessellation": way}))
        return max(1 - engine.run(spent.deviation()).detail_kept, 1e-9)

    high, lost_high = FEWEST, lost(FEWEST)
    low, lost_low = high, lost_high
    if lost_high <= 1 - share:
        return FEWEST
    while lost_high > 1 - share:
        if high == MOST:
            kept = say_number(100 * (1 - lost_high))
            raise ReliefError(f"{say_count(MOST)} faces keep {kept} % of the detail. Ask for less, or for levels.")
        low, lost_low = high, lost_high
        high = min(GROWTH * high, MOST)
        lost_high = lost(high)
    while high / low > CLOSE:
        part = math.log(lost_low / (1 - share)) / math.log(lost_low / lost_high)
        # never so near an end that the stretch hardly shrinks
        faces = round(low * (high / low) ** min(max(part, 0.15), 0.85))
        off = lost(faces)
        if off > 1 - share:
            low, lost_low = faces, off
        else:
            high, lost_high = faces, off
    return high


def advise(pipeline: SurfacePipeline, engine: Engine) -> Advice:
    """Measures levels, and budgets of as many triangles.

    Raises:
        TooManyFacesError: not even the base mesh can be built.
    """
    levels, budgets = [], []
    even = replace(pipeline, surface=pipeline.surface.model_copy(update={"tessellation": Levels()}))
    for cost in even.forecasts(engine):
        if cost.faces > MOST // 2:
            break
        at_level = even.with_level(cost.level)
        mesh = engine.run(at_level.subdivided())
        triangles = as_triangles(mesh).faces
        if triangles > MOST:
            break
        levels.append(Point("levels", cost.level, triangles, mesh.nbytes, engine.run(at_level.deviation())))
        if triangles < max(FEWEST, 2 * levels[0].triangles):
            continue
        way = FaceBudget(faces=triangles)
        spent = replace(pipeline, surface=pipeline.surface.model_copy(update={"tessellation": way}))
        off, made = engine.run(spent.deviation()), engine.run(spent.subdivided())
        budgets.append(Point("budget", cost.level, triangles, made.nbytes, off))
    return Advice(levels, budgets)
