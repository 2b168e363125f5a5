"""The maps of a relief as files: their pixels, and how each is read."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from relief.deliver.notes import Entry
from relief.deliver.planned import CARD, SEEN, Planned
from relief.figures import say_number
from relief.filters.resample import resample
from relief.generate import test_card
from relief.height import HeightField
from relief.maps.normal import Normal
from relief.maps.packing import Pack
from relief.recipe.delivery import TYPES
from relief.recipe.map_edits import with_test_card
from relief.recipe.relief import Relief
from relief.run.engine import Engine
from relief.run.finished import finish_map, packable, turn_up
from relief.run.pipeline import Pipeline
from relief.sources.colour import eight_bits


@dataclass(frozen=True)
class Maps:
    """Makes the maps of a relief, one at a time.

    Attributes:
        pipeline: the relief and its sources, at full size.
        engine: where stages are run.
    """

    pipeline: Pipeline
    engine: Engine

    @cached_property
    def height(self) -> HeightField:
        return self.engine.run(self.pipeline.height())

    @cached_property
    def displacing(self) -> HeightField:
        return self.engine.run(self.pipeline.displacing())

    @cached_property
    def card(self) -> Maps:
        """Those of the test card, made with the settings of this relief."""
        card = replace(self.pipeline, relief=with_test_card(self.pipeline.relief), longest=test_card.CARD)
        return replace(self, pipeline=card)

    def pixels(self, file: Planned) -> np.ndarray:
        """The samples of a planned file: (rows, columns), or (rows, columns, 3 or 4)."""
        if file.name.startswith(CARD):
            return self.card.pixels(replace(file, name=file.name.removeprefix(CARD)))
        if file.name.startswith(SEEN):
            return eight_bits(self._find_cover(int(file.name.removeprefix(SEEN))))
        if _holds_heights(file):
            return self.displacing.samples.astype(TYPES[file.bits or "float"], copy=False)
        if file.name == "mask" and self.height.alpha is not None:
            return eight_bits(self.height.alpha)
        made: np.ndarray = self.engine.run(finish_map(self.pipeline, file.name, file.bits))
        return made

    def _find_cover(self, layer: int) -> np.ndarray:
        """Where a layer is seen, on the grid of the maps."""
        seen = self.engine.run(self.pipeline.cover(layer))
        return resample(seen, *self.height.size, "area", self.height.edges.wraps)

    def entry(self, file: Planned) -> Entry:
        """What the note says of a planned file."""
        relief = self.pipeline.relief
        if file.name.startswith(CARD):
            entry = self.card.entry(replace(file, name=file.name.removeprefix(CARD)))
            shows = test_card.SHOWS if entry.role.startswith("Normal") else "It shows the same as the normal map."
            return replace(entry, role=f"Test card: {entry.role.lower()}", reading=f"{entry.reading} {shows}")
        if file.name.startswith(SEEN):
            layer = relief.layers[int(file.name.removeprefix(SEEN))]
            about = f"White where “{layer.name}” shows, black where the layers below show."
            return Entry(file.filename, "Layer visibility mask", file.depth, about, {"kind": "mask"})
        kind, _, rest = file.name.partition("-")
        meaning: dict[str, Any] = {"kind": rest if kind == "along" else kind}
        match kind:
            case "normal":
                normal = turn_up(relief.maps.normal) if rest else relief.maps.normal
                role, about = "Normal map, tangent space", _about_normal(normal)
                meaning |= {"green": normal.green, "red": normal.red, "strength": normal.strength, "of": normal.of}
            case "bump":
                role, about = "Bump map", self._about_bump(file)
            case "displacement" | "heights":
                role = "Displacement map"
                about, told = self._about_displacement(file)
                meaning |= {"kind": "displacement", **told}
            case "colour":
                role, about = "Colour", "Colour, read as sRGB."
            case "mask":
                role, about = "Mask", "White is covered by the relief, black is not."
            case "along":
                role, about = rest.capitalize(), "Data, read without any gamma."
            case "more":
                grey = relief.maps.more[int(rest)]
                role, about = grey.called, f"{grey.reads}{' Inverted.' if grey.inverted else ''}"
                meaning["kind"] = grey.kind
            case _:
                pack = relief.maps.packs[int(rest)]
                role, about = "Packed maps", _about_pack(relief, pack)
                meaning |= {"kind": "packed", "channels": pack.holds()}
        named = rest if kind == "along" else kind
        about += "".join(
            f" It is unlinked: it lies {item.say()}." for item in relief.maps.unlinked if item.on and item.role == named
        )
        return Entry(file.filename, role, file.depth, about, meaning)

    def _about_displacement(self, file: Planned) -> tuple[str, dict[str, float]]:
        """How it is read, in words and as figures: mm from 0 to 1, and the value that stays on the surface."""
        relief = self.pipeline.relief
        if _holds_heights(file):
            amplitude, midlevel = relief.amplitude, relief.midlevel
            stays = f"the value {say_number(midlevel, 6)} stays on the surface"
            words = f"Heights as they are: one unit is {say_number(amplitude, 6)} mm; {stays}."
        else:
            whole = relief.maps.displacement.range(self.displacing.samples, relief.midlevel)
            amplitude, midlevel = whole.amplitude(relief.amplitude), whole.midlevel(relief.midlevel)
            stays = f"the value {say_number(midlevel, 6)} of 0 to 1 stays on the surface"
            words = f"Black to white is {say_number(amplitude, 6)} mm; {stays}."
        return words, {"amplitude_mm": amplitude, "midlevel": midlevel}

    def _about_bump(self, file: Planned) -> str:
        relief, most = self.pipeline.relief, 255 if file.bits == 8 else 65_535
        bump = relief.maps.bump.range(self.height.samples, relief.midlevel)
        level = bump.midlevel(relief.midlevel)
        stays = f"Grey {level * most:.0f} of {most}" if relief.maps.bump.full_range else f"Mid grey ({most // 2 + 1})"
        return f"{stays} stays. Black to white is {say_number(bump.amplitude(relief.amplitude), 6)} mm."


def _holds_heights(file: Planned) -> bool:
    """Whether its samples are heights as they are, and not from black to white."""
    return file.name == "heights" or (file.name == "displacement" and file.bits in ("half", "float"))


def _about_normal(normal: Normal) -> str:
    red = "" if normal.red == "right" else " Red points left."
    made = "" if normal.of == "relief" else " It includes the normal map of the set."
    return f"Green points {normal.green}.{red} Strength {say_number(normal.strength, 6)}, kernel {normal.kernel}.{made}"


def _about_pack(relief: Relief, pack: Pack) -> str:
    """A packed picture, channel by channel, with what packing loses."""
    words = packable(relief)
    held = [
        f"{channel} {words.get(name, 'a value of ' + format(getattr(pack, f'{channel}_value'), 'g'))}"
        + (", inverted" if getattr(pack, f"{channel}_inverted") else "")
        for channel, name in pack.holds().items()
    ]
    costs = (cost.rstrip(".") for cost in pack.costs(relief.amplitude))
    return ". ".join(["; ".join(held).capitalize(), *costs]) + "."
