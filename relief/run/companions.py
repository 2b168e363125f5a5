"""The stages of what goes along with a relief: its colours, the normal map and the other maps of its sets."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Protocol

from relief.compose.imprints import Imprints
from relief.depth.from_light import colours_without_light
from relief.recipe.layer import Beside, Layer, Picture
from relief.recipe.relief import Relief
from relief.run import stages
from relief.run.engine import Stage
from relief.run.photo import PhotoStages
from relief.sources.colour import eight_bits
from relief.treat.treatment import Treatment


class LaidLayers(Protocol):
    """The stages of the layers that companions are laid like; `Pipeline` has them."""

    @property
    def relief(self) -> Relief: ...
    @property
    def longest(self) -> int | None: ...
    @property
    def longest_of_source(self) -> int | None: ...
    @property
    def is_plain(self) -> bool: ...
    def photo(self) -> PhotoStages: ...
    def picture(self, key: str | None = None) -> Stage: ...
    def colour(self) -> Stage: ...
    def grid(self) -> Stage: ...
    def height(self) -> Stage: ...
    def composite(self) -> Stage: ...
    def untreated(self, layer: int = 0) -> Stage: ...
    def after(self, stage: Stage, treatment: Treatment) -> Stage: ...
    def list_switched_on(self, layer: int) -> list[Treatment]: ...
    def find_second_copy(self, layer: int) -> tuple[Stage, ...]: ...
    def stamp(self, content: Imprints) -> Stage: ...


@dataclass(frozen=True)
class CompanionStages:
    """The companions of a relief, laid as it is."""

    layers: LaidLayers

    def colour(self) -> Stage:
        """The colours of the relief: uint8 (rows, columns, 3). A set's colour map, else the ground's own picture."""
        if "colour" in self.layers.relief.companion_roles():
            return Stage("Reducing to 8 bits", eight_bits, None, (self.of_role("colour"),))
        if self.layers.relief.reads_light and self.layers.relief.maps.colour.light == "removed":
            longest = self.layers.longest_of_source
            compute = partial(colours_without_light, longest)
            unlit = Stage(
                "Removing light from the colours",
                compute,
                longest,
                (self.layers.picture(), self.layers.photo().told()),
            )
            return self._follow(unlit, 0)
        return self._follow(self.layers.colour(), 0)

    def vectors(self) -> Stage:
        """The normal map that came along, laid as the height is: float32 unit vectors (rows, columns, 3), green up."""
        return Stage(
            "Reading the set's normals", stages.resample_vectors, None, (self.of_role("normal"), self.layers.height())
        )

    def of_role(self, role: str) -> Stage:
        """A companion of all layers together, seen where its layer is seen.

        float32 (rows, columns[, 3]), 0 to 1; a normal map's vectors are -1 to 1.
        """
        roles = [layer.companions.get(role) for layer in self.layers.relief.layers]
        grid = self.layers.grid()
        ground = self._of_layer(0, role, roles[0]) if roles[0] else None
        if ground and self.layers.is_plain:
            return ground
        stage = Stage(
            f"Laying {role}", partial(stages.fit_companion, role), role, (grid, *((ground,) if ground else ()))
        )
        if len(roles) == 1:
            return stage
        composite = self.layers.composite()
        for number, layer in enumerate(self.layers.relief.layers[1:], start=1):
            over = self.over(number, layer, role)
            if over is not None and layer.on:
                key = [role, number]
                stage = Stage(
                    f"Laying {role} over", partial(stages.blend_companion, number), key, (stage, over, composite)
                )
        return stage

    def over(self, number: int, layer: Layer, role: str) -> Stage | None:
        """A layer's companion over the whole grid."""
        if isinstance(layer.content, Imprints) and role == "colour" and layer.source:
            picture = Stage(
                "Colours",
                partial(stages.read_companion, role, "", self.layers.longest),
                role,
                (self.layers.picture(layer.source),),
            )
            cell = Stage("Cutting a repeat", layer.layout.cell, layer.layout.model_dump(), (self.layers.grid(),))
            content = layer.content
            inputs: tuple[Stage, ...] = (cell, self.layers.stamp(content), picture)
            compute, cost = partial(stages.press_colours, content), partial(stages.cost_of_colours, content)
            samples = Stage("Colouring imprints", compute, content.model_dump(), inputs, reports=True, cost=cost)
        elif role in layer.companions:
            samples = self._of_layer(number, role, layer.companions[role])
        else:
            return None
        layout = layer.layout
        compute = partial(stages.repeat_samples, role, layout)
        inputs = (samples, self.layers.grid(), *self.layers.find_second_copy(number))
        return Stage("Placing it", compute, [role, layout.model_dump()], inputs)

    def _of_layer(self, layer: int, role: str, beside: Beside) -> Stage:
        longest = self.layers.longest_of_source if layer == 0 else self.layers.longest
        content = self.layers.relief.layers[layer].content
        picture = self.layers.picture(beside.source)
        if role == "normal" and isinstance(content, Picture):
            rebuild = content.rebuild_blue or content.unpacked.normal
            compute = partial(stages.read_vectors, content.green, rebuild, longest)
            companion = Stage("Reading its normals", compute, [content.green, rebuild, longest], (picture,))
        else:
            compute = partial(stages.read_companion, role, beside.channel, longest)
            companion = Stage("Companion", compute, [role, beside.channel, longest], (picture,))
        return self._follow(companion, layer, role)

    def _follow(self, companion: Stage, layer: int, role: str = "colour") -> Stage:
        """A companion taken through the treatments of a layer: cropped, turned and closed just as its height is."""
        field = self.layers.untreated(layer)
        for treatment in self.layers.list_switched_on(layer):
            if treatment.carries(role):
                compute = partial(stages.treat_companion, treatment, role)
                key = [treatment.model_dump(), role == "normal"]
                companion = Stage(treatment.title, compute, key, (companion, field))
            field = self.layers.after(field, treatment)
        return companion
