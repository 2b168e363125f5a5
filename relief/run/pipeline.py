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
from relief.depth.from_light import (
    colours_without_light,
    guess_light,
    look_for_light,
    paint_of_told,
    part_picture,
)
from relief.depth.learned import trust
from relief.depth.shading import certainty
from relief.generate.generator import Generator
from relief.height import Edges, Footprint
from relief.recipe.layer import Beside, Layer, Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run import stages
from relief.run.engine import Stage
from relief.run.stages import WRAPPED, ReadSource
from relief.sources.colour import eight_bits
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
        longest = self._longest_of_source
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
            resolution, longest = self.relief.maps.resolution or None, self._longest_of_source
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
            inputs = (grid, self._stamp(content))
            compute, cost = partial(stages.press_imprints, content), partial(cost_of_presses, content)
            return Stage(
                "Pressing in", compute, content.model_dump(exclude={"source"}), inputs, reports=True, cost=cost
            )
        return Stage("Level ground", stages.level_ground, None, (grid,))

    def _of_picture(self, content: Picture, footprint: Footprint, edges: Edges, grid: Stage | None) -> Stage:
        """The field of a picture, on its own footprint, or on that of one repeat."""
        longest = self._longest_of_source if grid is None else self.longest
        read = content.model_dump(exclude={"source", "companions"})
        place = [footprint.model_dump(), edges.model_dump()] if grid is None else None
        fitting = () if grid is None else (grid,)
        picture = self.picture(content.source)
        if content.reading == "normal":
            compute = partial(stages.integrate_normals, content, footprint, edges, longest)
            return Stage("Finding the height", compute, [read, place, longest], (picture, *fitting))
        if content.reading == "light":
            return self._from_light(content, footprint, edges, grid)
        made = Stage("Making grey", partial(stages.read_grey, content, longest), [read, longest], (picture,))
        compute = partial(stages.height_of_grey, content, footprint, edges, longest)
        return Stage("Placing it", compute, [read, place, longest], (made, picture, *fitting))

    def parted(self, content: Picture, longest: int | None) -> Stage:
        """A photo parted into light and paint: a `Parted`."""
        paint = content.light.paint
        compute = partial(part_picture, paint, longest)
        return Stage("Separating albedo and shading", compute, [paint, longest], (self.picture(content.source),))

    def guessed_light(self) -> Stage:
        """Where the light of the ground's photo stood as far as it tells, and how sure that is."""
        content = self.relief.picture
        assert content is not None
        name = "Estimating the light"
        if content.light.by_network:
            return Stage(name, look_for_light, "network", (self.picture(),))
        return Stage(name, guess_light, None, (self.parted(content, PROXY),))

    def told(
        self, content: Picture, footprint: Footprint, edges: Edges, longest: int | None, grid: Stage | None = None
    ) -> Stage:
        """What a network tells of a photo: a `Told`."""
        light, wraps = content.light.light, edges.wraps
        compute = partial(stages.read_by_network, light, footprint, wraps, longest)
        key = [light.azimuth, light.elevation, None if grid else footprint.model_dump(), wraps, longest]
        inputs = (self.picture(content.source), *((grid,) if grid else ()))
        return Stage("Reading the relief", compute, key, inputs, reports=True)

    def told_of_ground(self) -> Stage:
        """What a network tells of the ground's photo: a `Told`."""
        content = self.relief.picture
        assert content is not None
        return self.told(content, self.relief.footprint, self.relief.edges, self._longest_of_source)

    def certain(self) -> Stage:
        """How far the depth of each place of the ground's photo can be trusted: float32 (rows, columns), 0 to 1."""
        content = self.relief.picture
        assert content is not None
        if content.light.by_network:
            return Stage("Estimating certainty", trust, None, (self.told_of_ground(),))
        return Stage("Estimating certainty", certainty, None, (self.parted(content, self.longest),))

    def paint(self) -> Stage:
        """What is taken for paint in the ground's photo: logarithms about their mean, float32 (rows, columns)."""
        content, longest = self.relief.picture, self._longest_of_source
        assert content is not None
        if content.light.by_network:
            compute = partial(paint_of_told, longest)
            return Stage("Separating the paint", compute, longest, (self.picture(), self.told_of_ground()))
        return Stage("Separating the paint", lambda parted: parted.paint, None, (self.parted(content, self.longest),))

    def _from_light(self, content: Picture, footprint: Footprint, edges: Edges, grid: Stage | None) -> Stage:
        """The field that the light in a photo tells, on its own footprint, or on that of one repeat."""
        longest = self._longest_of_source if grid is None else self.longest
        place = [footprint.model_dump(), edges.model_dump()] if grid is None else None
        fitting = () if grid is None else (grid,)
        picture = self.picture(content.source)
        if content.light.by_network:
            read = self.told(content, footprint, edges, longest, grid)
        else:
            inputs = (self.parted(content, longest), *fitting)
            read = Stage("Preparing the slopes", partial(stages.make_waves, footprint, edges), [place, longest], inputs)
        compute = partial(stages.height_of_light, content, footprint, edges, longest)
        told_as = [content.light.model_dump(), place, longest]
        return Stage("Finding the depth", compute, told_as, (read, picture, *fitting))

    def imprint_picture(self, layer: int) -> Stage | None:
        """The picture that a layer of imprints presses in, as a `HeightField`; none where it is a drawn shape."""
        content = self.relief.layers[layer].content
        return self._picture_of_imprints(content) if isinstance(content, Imprints) else None

    def _picture_of_imprints(self, content: Imprints) -> Stage | None:
        if content.shape != "picture" or not content.source:
            return None
        return self._of_picture(Picture(source=content.source, reading="height"), Footprint(), Edges(), None)

    def _stamp(self, content: Imprints) -> Stage:
        """The small relief of one imprint."""
        shape = content.model_dump(include={"shape", "size", "fade"})
        field = self._picture_of_imprints(content)
        if field is None:
            return Stage("Drawing an imprint", partial(stamp, content, None), shape)
        return Stage("Cutting an imprint", partial(stamp, content), shape, (field,))

    def treated(self, until: int | None = None, layer: int = 0) -> Stage:
        """The `HeightField` of a layer after its treatments, or after the first `until` of them."""
        stage = self.untreated(layer)
        for treatment in self._list_switched_on(layer, until):
            stage = self._after(stage, treatment)
        return stage

    def _after(self, stage: Stage, treatment: Treatment) -> Stage:
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
            compute = partial(stages.grid_of_picture, relief.footprint, footprint, self._longest_of_source)
            return Stage("Laying out the grid", compute, [*place, self._longest_of_source], (self.picture(),))
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
        return Stage("Placing it", compute, key, (field, self.grid(), *self._find_second_copy(layer)))

    def _find_second_copy(self, layer: int) -> tuple[Stage, ...]:
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
            for treatment in self._list_switched_on(top):
                over = self._after(over, treatment)
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
            return self._companion_over(number, layer, mask.role if mask.role in roles else roles[0])
        return None

    def height(self, until: int | None = None) -> Stage:
        """The finished `HeightField` at the maps' resolution; or the ground after its first `until` treatments."""
        maps = self.relief.maps
        if until is not None or self._is_plain:
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
    def _is_plain(self) -> bool:
        """Whether there is one layer only, and all of it."""
        ground = self.relief.layers[0]
        return len(self.relief.layers) == 1 and ground.on and ground.amount == 1

    def cover(self, layer: int) -> Stage:
        """How much of a layer is seen where it was laid: float32 (rows, columns)."""
        return Stage("Computing layer visibility", partial(stages.cover_of_layer, layer), layer, (self.composite(),))

    # what goes along

    def laid_colour(self) -> Stage:
        """The colours of the relief: uint8 (rows, columns, 3). A set's colour map, else the ground's own picture."""
        if "colour" in self.relief.companion_roles():
            return Stage("Reducing to 8 bits", eight_bits, None, (self.companion("colour"),))
        if self.relief.reads_light and self.relief.maps.colour.light == "removed":
            longest = self._longest_of_source
            compute = partial(colours_without_light, longest)
            unlit = Stage("Removing light from the colours", compute, longest, (self.picture(), self.told_of_ground()))
            return self._follow(unlit, 0)
        return self._follow(self.colour(), 0)

    def vectors(self) -> Stage:
        """The normal map that came along, laid as the height is: float32 unit vectors (rows, columns, 3), green up."""
        return Stage(
            "Reading the set's normals", stages.resample_vectors, None, (self.companion("normal"), self.height())
        )

    def companion(self, role: str) -> Stage:
        """A companion of all layers together, seen where its layer is seen.

        float32 (rows, columns[, 3]), 0 to 1; a normal map's vectors are -1 to 1.
        """
        roles = [layer.companions.get(role) for layer in self.relief.layers]
        grid = self.grid()
        ground = self._companion_of(0, role, roles[0]) if roles[0] else None
        if ground and self._is_plain:
            return ground
        stage = Stage(
            f"Laying {role}", partial(stages.fit_companion, role), role, (grid, *((ground,) if ground else ()))
        )
        if len(roles) == 1:
            return stage
        composite = self.composite()
        for number, layer in enumerate(self.relief.layers[1:], start=1):
            over = self._companion_over(number, layer, role)
            if over is not None and layer.on:
                key = [role, number]
                stage = Stage(
                    f"Laying {role} over", partial(stages.blend_companion, number), key, (stage, over, composite)
                )
        return stage

    def _companion_over(self, number: int, layer: Layer, role: str) -> Stage | None:
        """A layer's companion over the whole grid."""
        if isinstance(layer.content, Imprints) and role == "colour" and layer.source:
            picture = Stage(
                "Colours", partial(stages.read_companion, role, "", self.longest), role, (self.picture(layer.source),)
            )
            cell = Stage("Cutting a repeat", layer.layout.cell, layer.layout.model_dump(), (self.grid(),))
            content = layer.content
            inputs: tuple[Stage, ...] = (cell, self._stamp(content), picture)
            compute, cost = partial(stages.press_colours, content), partial(stages.cost_of_colours, content)
            samples = Stage("Colouring imprints", compute, content.model_dump(), inputs, reports=True, cost=cost)
        elif role in layer.companions:
            samples = self._companion_of(number, role, layer.companions[role])
        else:
            return None
        layout = layer.layout
        compute = partial(stages.repeat_samples, role, layout)
        inputs = (samples, self.grid(), *self._find_second_copy(number))
        return Stage("Placing it", compute, [role, layout.model_dump()], inputs)

    def _companion_of(self, layer: int, role: str, beside: Beside) -> Stage:
        longest = self._longest_of_source if layer == 0 else self.longest
        content = self.relief.layers[layer].content
        picture = self.picture(beside.source)
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
        field = self.untreated(layer)
        for treatment in self._list_switched_on(layer):
            if treatment.carries(role):
                compute = partial(stages.treat_companion, treatment, role)
                key = [treatment.model_dump(), role == "normal"]
                companion = Stage(treatment.title, compute, key, (companion, field))
            field = self._after(field, treatment)
        return companion

    def _list_switched_on(self, layer: int, until: int | None = None) -> list[Treatment]:
        return [treatment for treatment in self.relief.layers[layer].treatments[:until] if treatment.on]

    @property
    def _longest_of_source(self) -> int | None:
        """As many texels of the source as leave `longest` of them when the treatments have cut it."""
        if self.longest is None:
            return None
        whole, left = self.relief.footprint, self.relief.final_footprint
        return math.ceil(self.longest * max(whole.width, whole.height) / max(left.width, left.height))
