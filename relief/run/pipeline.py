"""The stages that a relief is made in, from the bytes of its sources to the height field.

The size is part of every stage: a proxy is the same relief evaluated with a smaller `longest`. The full picture is kept
to the end; only the last stage brings it to the resolution of the maps. A relief of one layer is that layer; where
there are more, each is laid on one grid over the one below.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

from relief.compose.imprints import Imprints, cost_of_presses, stamp
from relief.compose.masks import FOLLOWS
from relief.generate.generator import Generator
from relief.height import Edges, Footprint
from relief.recipe.layer import Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run import stages
from relief.run.companions import CompanionStages
from relief.run.engine import Stage
from relief.run.photo import PhotoStages
from relief.run.stages import WRAPPED, ReadSource
from relief.treat.treatment import Treatment

BLOCK = 16
"""Strokes by hand that one stage works in."""

PROXY = 1024
"""Texels on the long side of what is computed while a control is dragged."""


def reading(source: SourceReference, read_source: ReadSource) -> Stage:
    """The decoded picture of a source: a `Picture`. It depends on its bytes, and on its name's ending."""
    ending = source.filename.rpartition(".")[2].lower()
    compute = partial(stages.decode_source, read_source, source.digest, source.filename)
    return Stage("Reading the picture", compute, [source.digest, ending])


@dataclass(frozen=True)
class Pipeline:
    """The stages of one relief.

    Attributes:
        relief: what to make.
        sources: the sources that it names, by their key.
        read_source: where the bytes come from.
        longest: texels on the long side of the result at most; none for as many as the relief asks for.
    """

    relief: Relief
    sources: Mapping[str, SourceReference]
    read_source: ReadSource
    longest: int | None = None

    @classmethod
    def of(
        cls, recipe: Recipe, read_source: ReadSource, longest: int | None = None, key: str | None = None
    ) -> Pipeline:
        """The stages of one relief of a recipe, the one that is worked on if no other is named."""
        return cls(recipe.reliefs[key or recipe.shown_key], recipe.sources, read_source, longest)

    # one source

    def picture(self, key: str | None = None) -> Stage:
        """A decoded source: a `Picture`. Without a key, that of the ground."""
        return reading(self.sources[key or self.relief.layers[0].source], self.read_source)

    def colour(self) -> Stage:
        """The ground's source as it is looked at: uint8 (rows, columns, 3)."""
        if not self.relief.layers[0].source:
            return Stage("Plain grey", stages.plain_colours)
        longest = self.longest_of_source
        return Stage(
            "Shrinking the colours", partial(stages.display_colours, longest=longest), longest, (self.picture(),)
        )

    # one layer

    def untreated(self, layer: int = 0) -> Stage:
        """The `HeightField` of a layer before any treatment."""
        chosen = self.relief.layers[layer]
        content = chosen.content
        if layer == 0:
            footprint, edges, grid = self.relief.footprint, self.relief.edges, None
            resolution, longest = self.relief.maps.resolution or None, self.longest_of_source
            whole = Stage(
                "Laying out the ground", partial(stages.grid_over_footprint, footprint, resolution, longest),
                [footprint.model_dump(), resolution, longest],
            )  # fmt: skip
        else:
            footprint, edges = Footprint(), WRAPPED
            grid = Stage("Cutting a repeat", chosen.layout.cell, chosen.layout.model_dump(), (self.grid(),))
        if isinstance(content, Picture):
            return self._of_picture(content, footprint, edges, grid)
        grid = grid or whole
        if isinstance(content, Generator):
            compute = partial(stages.draw_generator, content)
            return Stage(content.title, compute, content.model_dump(), (grid,), reports=True, cost=content.cost)
        if isinstance(content, Imprints):
            inputs = (grid, self.stamp(content))
            compute, cost = partial(stages.press_imprints, content), partial(cost_of_presses, content)
            return Stage(
                "Pressing in", compute, content.model_dump(exclude={"source"}), inputs, reports=True, cost=cost
            )
        return Stage("Level ground", stages.level_ground, None, (grid,))

    def _of_picture(self, content: Picture, footprint: Footprint, edges: Edges, grid: Stage | None) -> Stage:
        """The field of a picture, on its own footprint, or on that of one repeat."""
        longest = self.longest_of_source if grid is None else self.longest
        read = content.model_dump(exclude={"source", "companions"})
        place = [footprint.model_dump(), edges.model_dump()] if grid is None else None
        fitting = () if grid is None else (grid,)
        picture = self.picture(content.source)
        if content.reading == "normal":
            compute = partial(stages.integrate_normals, content, footprint, edges, longest)
            return Stage("Finding the height", compute, [read, place, longest], (picture, *fitting))
        if content.reading == "light":
            return self._photo(content, footprint, edges, grid).height()
        made = Stage("Making grey", partial(stages.read_grey, content, longest), [read, longest], (picture,))
        compute = partial(stages.height_of_grey, content, footprint, edges, longest)
        return Stage("Placing it", compute, [read, place, longest], (made, picture, *fitting))

    def photo(self) -> PhotoStages:
        """The stages of the ground's photo, which is read by its light."""
        content = self.relief.picture
        assert content is not None
        return self._photo(content, self.relief.footprint, self.relief.edges, None)

    def _photo(self, content: Picture, footprint: Footprint, edges: Edges, grid: Stage | None) -> PhotoStages:
        longest = self.longest_of_source if grid is None else self.longest
        return PhotoStages(content, self.picture(content.source), footprint, edges, longest, grid)

    def imprint_picture(self, layer: int) -> Stage | None:
        """The picture that a layer of imprints presses in, as a `HeightField`; none where it is a drawn shape."""
        content = self.relief.layers[layer].content
        return self._picture_of_imprints(content) if isinstance(content, Imprints) else None

    def _picture_of_imprints(self, content: Imprints) -> Stage | None:
        if content.shape != "picture" or not content.source:
            return None
        return self._of_picture(Picture(source=content.source, reading="height"), Footprint(), Edges(), None)

    def stamp(self, content: Imprints) -> Stage:
        """The small relief of one imprint."""
        shape = content.model_dump(include={"shape", "size", "fade"})
        field = self._picture_of_imprints(content)
        if field is None:
            return Stage("Drawing an imprint", partial(stamp, content, None), shape)
        return Stage("Cutting an imprint", partial(stamp, content), shape, (field,))

    def treated(self, until: int | None = None, layer: int = 0) -> Stage:
        """The `HeightField` of a layer after its treatments, or after the first `until` of them."""
        stage = self.untreated(layer)
        for treatment in self.list_switched_on(layer, until):
            stage = self.after(stage, treatment)
        return stage

    def after(self, stage: Stage, treatment: Treatment) -> Stage:
        """A `HeightField` after one more treatment."""
        amplitude = self.relief.amplitude if treatment.wants_amplitude else None
        if amplitude is not None:
            stage = Stage(
                "Applying the amplitude", partial(stages.set_amplitude, amplitude=amplitude), amplitude, (stage,)
            )
        compute, slow = (treatment.treat_slowly, True) if treatment.slow else (treatment.treat, False)
        return Stage(treatment.title, compute, treatment.model_dump(), (stage,), reports=slow, cost=treatment.cost)

    # all layers

    def grid(self) -> Stage:
        """The `Grid` that the layers are laid on. It depends on sizes only, so the ground may change beneath them."""
        relief = self.relief
        footprint, resolution = relief.final_footprint, relief.maps.resolution or None
        place = [footprint.model_dump(), relief.footprint.model_dump(), resolution, self.longest]
        if relief.layers[0].source:
            compute = partial(stages.grid_of_picture, relief.footprint, footprint, self.longest_of_source)
            return Stage("Laying out the grid", compute, [*place, self.longest_of_source], (self.picture(),))
        return Stage(
            "Laying out the grid", partial(stages.grid_over_footprint, footprint, resolution, self.longest), place
        )

    def layer_on_grid(self, layer: int) -> Stage:
        """The `HeightField` of one layer after its treatments, over the whole grid."""
        chosen = self.relief.layers[layer]
        field = self.treated(layer=layer)
        if layer == 0:
            amount = chosen.amount if chosen.on else 0.0
            compute = partial(stages.fit_ground, amount, type(chosen.content).rest)
            return Stage("Placing the ground", compute, [amount, chosen.content.kind], (field, self.grid()))
        compute = partial(stages.repeat_field, chosen.layout, self.relief.final_edges)
        key = [chosen.layout.model_dump(), self.relief.final_edges.model_dump()]
        return Stage("Placing it", compute, key, (field, self.grid(), *self.find_second_copy(layer)))

    def find_second_copy(self, layer: int) -> tuple[Stage, ...]:
        """Where the second copy of a layer is seen, when it is laid twice."""
        layout = self.relief.layers[layer].layout
        if layout.arrangement != "centre_corners":
            return ()
        compute = partial(stages.find_second_copy, layout)
        return (Stage("Placing it twice", compute, layout.model_dump(), (self.treated(layer=layer), self.grid())),)

    def composite(self, top: int | None = None) -> Stage:
        """The `Composite` of the layers up to one, all of them when none is named."""
        top = len(self.relief.layers) - 1 if top is None else top
        if top == 0:
            return Stage("The ground only", stages.compose_ground, None, (self.layer_on_grid(0),))
        chosen = self.relief.layers[top]
        below = self.composite(top - 1)
        if not chosen.on:
            return below
        if chosen.content.works_below:
            over = self._apply_strokes(below, chosen.content.kept)
            for treatment in self.list_switched_on(top):
                over = self.after(over, treatment)
        else:
            over = self.layer_on_grid(top)
        inputs = [below, over]
        looked_at = self._mask_input(top)
        if looked_at:
            inputs.append(looked_at)
        amplitude = self.relief.amplitude if chosen.mask.source == "slope" else 1.0
        settings = chosen.model_dump(include={"amount", "blend", "offset", "passage", "mask"})
        compute = partial(stages.blend_layer, top, chosen, amplitude)
        return Stage("Adding a layer", compute, [top, settings, chosen.content.kind, amplitude], tuple(inputs))

    def _apply_strokes(self, below: Stage, strokes: tuple[str, ...]) -> Stage:
        """The relief below after strokes by hand.

        A stage takes a whole block of strokes, and each of the last ones has a stage of its own: one stroke more, or
        one less, is a moment's work however many there are.
        """
        stage = Stage("What lies below", stages.field_of, None, (below,))
        whole = len(strokes) // BLOCK * BLOCK
        blocks = [strokes[first : first + BLOCK] for first in range(0, whole, BLOCK)]
        for block in [*blocks, *((stroke,) for stroke in strokes[whole:])]:
            compute = partial(stages.apply_strokes, self.read_source, block)
            cost = partial(stages.cost_of_strokes, self.read_source, block)
            stage = Stage("Hand strokes", compute, block, (stage,), cost=cost)
        return stage

    def _mask_input(self, number: int) -> Stage | None:
        """What the mask of a layer looks at, where that is not what lies below: another layer, or a picture."""
        layer = self.relief.layers[number]
        mask = layer.mask
        if mask.source in FOLLOWS and 0 <= mask.layer != number:
            return self.layer_on_grid(min(mask.layer, len(self.relief.layers) - 1))
        if mask.source == "picture" and mask.picture:
            picture = Stage(
                "Mask",
                partial(stages.read_companion, "mask", "", self.longest),
                self.longest,
                (self.picture(mask.picture),),
            )
            return Stage("Placing the mask", partial(stages.fit_companion, "mask"), "mask", (self.grid(), picture))
        roles = layer.mask_roles
        if mask.source == "set" and roles:
            return self.companions.over(number, layer, mask.role if mask.role in roles else roles[0])
        return None

    def height(self, until: int | None = None) -> Stage:
        """The finished `HeightField` at the maps' resolution; or the ground after its first `until` treatments."""
        maps = self.relief.maps
        if until is not None or self.is_plain:
            field = self.treated(until)
        else:
            field = Stage("The relief", stages.field_of, None, (self.composite(),))
        compute = partial(stages.resize_for_maps, maps.resolution or None, maps.method, self.longest)
        return Stage("Resizing", compute, [maps.resolution, maps.method, self.longest], (field,))

    def displacing(self) -> Stage:
        """The `HeightField` as it displaces: with the displacement's own soften."""
        settings = self.relief.maps.displacement
        if settings.soften == 0:
            return self.height()
        return Stage("Smoothing the displacement", settings.filter_field, settings.model_dump(), (self.height(),))

    @property
    def is_plain(self) -> bool:
        """Whether there is one layer only, and all of it."""
        ground = self.relief.layers[0]
        return len(self.relief.layers) == 1 and ground.on and ground.amount == 1

    @property
    def companions(self) -> CompanionStages:
        """What goes along with the relief."""
        return CompanionStages(self)

    def cover(self, layer: int) -> Stage:
        """How much of a layer is seen where it was laid: float32 (rows, columns)."""
        return Stage("Computing layer visibility", partial(stages.cover_of_layer, layer), layer, (self.composite(),))

    def list_switched_on(self, layer: int, until: int | None = None) -> list[Treatment]:
        return [treatment for treatment in self.relief.layers[layer].treatments[:until] if treatment.on]

    @property
    def longest_of_source(self) -> int | None:
        """As many texels of the source as leave `longest` of them when the treatments have cut it."""
        if self.longest is None:
            return None
        whole, left = self.relief.footprint, self.relief.final_footprint
        return math.ceil(self.longest * max(whole.width, whole.height) / max(left.width, left.height))
