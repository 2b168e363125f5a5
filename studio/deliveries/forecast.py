"""What a final mesh will cost, said before it is begun, and what fits where it would be too much."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from relief.deliver.rates import Rate
from relief.displace.forecast import Forecast, Limit, most_triangles
from relief.displace.tessellate import too_many_triangles
from relief.errors import ReliefError
from relief.run.meshes import SurfacePipeline
from relief.surface.tessellation.tessellation import round_to_fit
from studio.bench.models import Revision
from studio.bench.rates import mesh_rates
from studio.shelf.engine import get_engine
from studio.shelf.models import read_source

SURELY = 2
"""Times as few faces as may be are offered where it is told about: halved edges make faces twice as many at once."""


@dataclass(frozen=True)
class BuildForecast:
    """The final mesh of a revision, before it is built.

    Attributes:
        pipeline: its stages, at full size.
        ending: of the file that it is written as.
    """

    pipeline: SurfacePipeline
    ending: str

    @cached_property
    def cost(self) -> Forecast | None:
        """Faces, vertices and memory; none where that cannot be told, as `problem` says."""
        try:
            return self.pipeline.forecast(get_engine())
        except ReliefError:
            return None

    @property
    def about(self) -> bool:
        """Whether it is only about so."""
        way = self.pipeline.surface.tessellation
        return not way.even and way.most_faces is None

    @property
    def limit(self) -> Limit:
        """What may be built."""
        return self.pipeline.limit

    @property
    def rate(self) -> Rate:
        """What each face costs on this machine."""
        return mesh_rates().of_surface(self.pipeline.surface)

    @property
    def seconds(self) -> float:
        """How long it takes."""
        return self.rate.seconds_of(self.cost.faces, self.ending) if self.cost else 0

    @property
    def size(self) -> int:
        """Bytes of its file."""
        return self.rate.size_of(self.cost.faces, self.ending) if self.cost else 0

    def refuse(self) -> None:
        """Raises ReliefError, with what fits, when it is more than may be built, or cannot be."""
        engine, surface = get_engine(), self.pipeline.surface
        self.pipeline.refuse_if_too_large(engine)
        faces, most = self.pipeline.forecast(engine).faces, self.most_triangles
        if not surface.tessellation.even and faces > most:
            raise too_many_triangles(surface.tessellation, faces, most)

    @property
    def most_triangles(self) -> int:
        """How many triangles of a tessellation may be built."""
        return most_triangles(self.pipeline.surface, self.limit)

    @cached_property
    def problem(self) -> str:
        """Why it is not built, in a sentence; empty where it is."""
        try:
            self.refuse()
        except ReliefError as problem:
            return str(problem)
        return ""

    @cached_property
    def offer(self) -> tuple[str, dict[str, Any]] | None:
        """The largest that fits, where this does not: what its button says, and the change."""
        if not self.problem or not self.cost:
            return None
        way, most = self.pipeline.surface.tessellation, self.most_triangles
        if way.even:
            fitting = [cost.level for cost in self.pipeline.forecasts(get_engine()) if cost.fits(self.limit)]
            return (f"Use level {fitting[-1]}", {"surface.final_level": fitting[-1]}) if fitting else None
        times = max(self.cost.faces / max(most, 1), 1.0) * (SURELY if self.about else 1)
        name, value = way.coarser(times)
        return f"Use {way.say_coarser(times)}", {f"surface.tessellation.{name}": round_to_fit(value, name)}

    @property
    def offer_values(self) -> str:
        """The change of the offer, as JSON."""
        return json.dumps(self.offer[1]) if self.offer else "{}"


def forecast_build(revision: Revision) -> BuildForecast:
    """Of the final mesh of a revision, written as its delivery says."""
    recipe = revision.read()
    return BuildForecast(SurfacePipeline.of(recipe, read_source).final(), recipe.delivery.mesh_format)
