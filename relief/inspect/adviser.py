"""What more faces would gain: detail kept against faces, for levels and for budgets of as many faces, measured."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from relief.displace.deviation import Deviation
from relief.displace.forecast import Forecast
from relief.errors import ReliefError
from relief.figures import say_count, say_number
from relief.progress import Progress, Quiet
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


SECONDS = 16e-6
"""That building and measuring takes for a triangle on two processors, about."""


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


def find_budget(pipeline: SurfacePipeline, engine: Engine, share: float, progress: Progress | None = None) -> int:
    """The fewest triangles, as a budget, that keep a share of the detail.

    Budgets grow from the smallest on, so that no more is built than is needed. Then, as the error falls about as a
    power of the triangles, each guess is drawn through the last two.

    Args:
        share: 0 to 1, apart from both.
        progress: hears how near it is; may cancel between two budgets.

    Raises:
        Cancelled: through `progress`.
        ReliefError: no budget up to `MOST` keeps as much; the message says how much that one keeps.
    """
    if not 0 < share < 1:
        raise ReliefError("The detail to keep must be more than 0 and less than 100 %.")

    progress = progress or Progress()

    def lost(faces: int, done: float) -> float:
        progress.step(done, f"Measuring a budget of {say_count(faces)} faces")
        way = FaceBudget(faces=faces)
        spent = replace(pipeline, surface=pipeline.surface.model_copy(update={"tessellation": way}))
        return max(1 - engine.run(spent.deviation(), Quiet(progress)).detail_kept, 1e-9)

    high, lost_high = FEWEST, lost(FEWEST, 0)
    low, lost_low = high, lost_high
    if lost_high <= 1 - share:
        return FEWEST
    while lost_high > 1 - share:
        if high == MOST:
            kept = say_number(100 * (1 - lost_high), 4)
            raise ReliefError(
                f"Even {say_count(MOST)} faces keep only {kept} % of the detail. Ask for less, or use subdivision "
                "levels."
            )
        low, lost_low = high, lost_high
        high = min(GROWTH * high, MOST)
        lost_high = lost(high, 0.1)
    widest = high / low
    while high / low > CLOSE:
        part = math.log(lost_low / (1 - share)) / math.log(lost_low / lost_high)
        # never so near an end that the stretch hardly shrinks
        faces = round(low * (high / low) ** min(max(part, 0.15), 0.85))
        off = lost(faces, 0.9 - 0.6 * math.log(high / low / CLOSE) / math.log(max(widest, 2) / CLOSE))
        if off > 1 - share:
            low, lost_low = faces, off
        else:
            high, lost_high = faces, off
    return high


def seconds_to_advise(costs: Sequence[Forecast]) -> float:
    """About how long `advise` takes, by what the levels of a piece cost, coarsest first."""
    return 1 + 4 * SECONDS * sum(cost.faces for cost in _levels_to_measure(costs))


def _levels_to_measure(costs: Sequence[Forecast]) -> list[Forecast]:
    """The levels that are measured."""
    return list(itertools.takewhile(lambda cost: cost.faces <= MOST // 2, costs))


def advise(pipeline: SurfacePipeline, engine: Engine, progress: Progress | None = None) -> Advice:
    """Measures levels, and budgets of as many triangles.

    Args:
        pipeline: of the piece.
        engine: which computes.
        progress: hears what is measured; may cancel between two.

    Raises:
        Cancelled: through `progress`.
        TooManyFacesError: not even the base mesh can be built.
    """
    levels, budgets = [], []
    progress = progress or Progress()
    even = replace(pipeline, surface=pipeline.surface.model_copy(update={"tessellation": Levels()}))
    costs = _levels_to_measure(even.forecasts(engine))
    whole, done = max(1, 2 * sum(cost.faces for cost in costs)), 0
    for cost in costs:
        progress.step(done / whole, f"Measuring level {cost.level}")
        at_level = even.with_level(cost.level)
        mesh = engine.run(at_level.subdivided(), Quiet(progress))
        triangles = as_triangles(mesh).faces
        if triangles > MOST:
            break
        off = engine.run(at_level.deviation(), Quiet(progress))
        levels.append(Point("levels", cost.level, triangles, mesh.nbytes, off))
        done += 2 * cost.faces
        if triangles < max(FEWEST, 2 * levels[0].triangles):
            continue
        progress.step((done - cost.faces) / whole, f"Measuring a budget of {say_count(triangles)} faces")
        way = FaceBudget(faces=triangles)
        spent = replace(pipeline, surface=pipeline.surface.model_copy(update={"tessellation": way}))
        off, made = (engine.run(stage, Quiet(progress)) for stage in (spent.deviation(), spent.subdivided()))
        budgets.append(Point("budget", cost.level, triangles, made.nbytes, off))
    return Advice(levels, budgets)
