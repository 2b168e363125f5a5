"""What more faces bring: detail kept against faces, for levels and for budgets of as many, measured on the piece."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from typing import Literal

from relief.displace.deviation import Deviation
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.surface.bisect import as_triangles
from relief.surface.tessellation.face_budget import FaceBudget
from relief.surface.tessellation.levels import Levels

FEWEST, MOST = 200, 600_000
"""Triangles between which it is measured."""

PAYS = 0.02
"""Of the detail: four times as many faces that bring less do not pay any more."""


@dataclass(frozen=True)
class Point:
    """One way of building, and what it keeps.

    Attributes:
        kind: by levels, or by a budget of as many triangles.
        level: of subdivision; a budget stands beside the level of as many.
        triangles: how many.
        off: how far it is from the true surface.
    """

    kind: Literal["levels", "budget"]
    level: int
    triangles: int
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
        triangles = as_triangles(engine.run(at_level.subdivided())).faces
        if triangles > MOST:
            break
        levels.append(Point("levels", cost.level, triangles, engine.run(at_level.deviation())))
        if triangles < max(FEWEST, 2 * levels[0].triangles):
            continue
        way = FaceBudget(faces=triangles)
        spent = replace(pipeline, surface=pipeline.surface.model_copy(update={"tessellation": way}))
        budgets.append(Point("budget", cost.level, triangles, engine.run(spent.deviation())))
    return Advice(levels, budgets)
