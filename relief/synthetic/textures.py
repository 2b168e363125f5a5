"""The thirty surfaces of the supplier, all made up: Harbour Stores, who furnish the Ferry Lane Bathhouse."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from relief.filters.gaussian import gaussian
from relief.height import WRAPPED, Footprint, HeightField
from relief.maps.normal import Normal, normal_map
from relief.synthetic.motifs import (
    Motif,
    Sheet,
    cells,
    corrugate,
    courses,
    hexagons,
    planks,
    plaster,
    ripples,
    scales,
    tiles,
    weave,
)  # fmt: skip

SIZES = (512, 1024, 2048, 4096)
MAPS = ("colour", "height", "normal", "roughness", "occlusion")


@dataclass(frozen=True)
class Texture:
    """One surface of the catalogue.

    Attributes:
        key: its name in addresses and files.
        name, words: what it is called, and what it is found by.
        family: the everyday name of its colour.
        first, second: its two colours as a screen shows them, red, green, blue from 0 to 255.
        depth: mm from its lowest to its highest place, on a footprint of `width` mm.
        shine: 0 dull to 1 glossy.
    """

    key: str
    name: str
    words: str
    family: str
    first: tuple[int, int, int]
    second: tuple[int, int, int]
    motif: Motif
    width: float = 600
    depth: float = 12
    shine: float = 0.3

    def matches(self, word: str, family: str) -> bool:
        """Whether every word is found in it, and it has the colour where one is asked for."""
        text = f"{self.name} {self.words} {self.family}".lower()
        return all(part in text for part in word.lower().split()) and (not family or family == self.family)


def _texture(name: str, words: str, family: str, first: str, second: str, motif: Motif, **more: float) -> Texture:
    key = name.lower().replace(" ", "-")
    return Texture(key, name, words, family, _three_levels(first), _three_levels(second), motif, **more)


def _three_levels(text: str) -> tuple[int, int, int]:
    return int(text[:2], 16), int(text[2:4], 16), int(text[4:], 16)


TEXTURES = {
    texture.key: texture
    for texture in (
        _texture("Boiler house brick", "wall clay courses", "red", "8a3d2c", "b0604a", courses(12, 4), depth=14),
        _texture("Salt brick", "wall pale courses weathered", "white", "e8e4d8", "f4f1e8", courses(10, 4, 0.05), depth=10),
        _texture("Quay wall block", "wall stone big courses", "grey", "6d7274", "8d9394", courses(6, 2, 0.04), width=1800, depth=40),
        _texture("Chimney stack bond", "wall brick stack", "brown", "5b3a28", "7a5136", courses(12, 4, 0.05, 0.0), depth=12),
        _texture("Engine room header", "wall brick small", "black", "1c1d1f", "2b2c2f", courses(16, 8, 0.07), depth=9),
        _texture("Steam room tile", "tile wall glazed square", "green", "2f6b57", "4d8f78", tiles(6), depth=5, shine=0.9),
        _texture("Plunge pool tile", "tile pool glazed small", "blue", "1f5d86", "4187b0", tiles(16), width=400, depth=3, shine=0.9),
        _texture("Ticket hall floor", "tile floor stone large", "yellow", "c9b26a", "d8c58a", tiles(4, 0.03, 0.02), width=1600, depth=4),
        _texture("Cloakroom quarry tile", "tile floor clay", "orange", "c26a33", "d88a55", tiles(8, 0.06, 0.04), depth=5),
        _texture("Ladies bath mosaic", "tile mosaic tiny", "violet", "7a5a8c", "a486b5", tiles(24, 0.10, 0.15), width=300, depth=2.5, shine=0.8),
        _texture("Hex floor", "tile floor hexagon", "white", "e9e7df", "f3f1ea", hexagons(8), width=400, depth=3, shine=0.6),
        _texture("Pump hall hexagon", "tile floor hexagon dark", "grey", "55595c", "797e82", hexagons(6), depth=4),
        _texture("Harbour honeycomb", "tile wall hexagon", "yellow", "d9a72e", "e8c465", hexagons(10), width=500, depth=6, shine=0.7),
        _texture("Beach pebble", "ground stone round shore", "grey", "8b8a84", "b5b2a9", cells(9), depth=26),
        _texture("Shingle bank", "ground stone small shore", "brown", "6b5440", "8f755b", cells(18), depth=16),
        _texture("Slipway cobble", "ground stone street", "black", "242527", "353739", cells(7, 0.14, 0.7), width=900, depth=34),
        _texture("Crazy paving", "ground stone flags", "orange", "b98552", "cf9f70", cells(5, 0.06, 0.05, 0.1), width=1500, depth=14),
        _texture("Terrazzo", "floor stone chips polished", "white", "eceae3", "f6f4ee", cells(22, 0.03, 0.0), width=500, depth=1.5, shine=0.9),
        _texture("Pier deck", "wood boards planks weathered", "grey", "85878a", "a3a6a8", planks(5), width=900, depth=9),
        _texture("Changing hut boards", "wood planks painted", "blue", "3a6f9c", "5d90ba", planks(7), width=800, depth=6),
        _texture("Boathouse larch", "wood boards planks fresh", "orange", "bf7f45", "d69f68", planks(6), width=800, depth=6),
        _texture("Sauna spruce", "wood boards planks pale", "yellow", "d8bd7e", "e5cf9a", planks(8), width=900, depth=5),
        _texture("Deckchair canvas", "cloth weave fabric", "red", "a93232", "c65a5a", weave(24), width=120, depth=1.6),
        _texture("Fish basket", "weave willow wicker", "brown", "6e4f2c", "8f6c42", weave(10), width=400, depth=16),
        _texture("Fender rope mat", "weave rope mat", "yellow", "b79a5c", "cbb27a", weave(6, 0.10), width=500, depth=24),
        _texture("Limewash", "wall plaster rough", "white", "edeae0", "f7f5ee", plaster(4), width=1000, depth=6),
        _texture("Roughcast", "wall plaster coarse", "violet", "8d7591", "a890ac", plaster(9, 0.5), width=800, depth=14),
        _texture("Tide flat", "ground sand ripples shore", "brown", "75603f", "937c57", ripples(9), width=900, depth=30),
        _texture("Coal shed roof", "metal sheet corrugated rust", "red", "7d3320", "a2502f", corrugate(8), width=800, depth=26),
        _texture("Pavilion shingle", "roof scales slate", "green", "48614f", "66806c", scales(6), width=900, depth=18),
    )
}  # fmt: skip
"""Every surface by its key."""


def maps(
    texture: Texture, size: int, wanted: tuple[str, ...] = MAPS, tell: Callable[[str], None] = lambda _: None
) -> dict[str, np.ndarray]:
    """The maps of a texture at a size: colour and normal (green up) uint8 RGB, height uint16, the others uint8 grey.

    `tell` hears the name of each map before it is made.
    """
    seed = sum(map(ord, texture.key))
    tell("height")
    height, tone = texture.motif(Sheet(size, seed))
    low, high = float(height.min()), float(height.max())
    height = ((height - low) / (high - low)).astype(np.float32)
    made: dict[str, np.ndarray] = {}
    if "height" in wanted:
        made["height"] = np.rint(height * 65535).astype(np.uint16)
    if "normal" in wanted:
        tell("normal")
        field = HeightField(height, Footprint(width=texture.width, height=texture.width), WRAPPED)
        made["normal"] = normal_map(field, texture.depth, Normal())
    hollow = _hollow(height)
    if "occlusion" in wanted:
        tell("occlusion")
        made["occlusion"] = np.rint(np.clip(1 - 2.2 * hollow, 0.1, 1) * 255).astype(np.uint8)
    if "roughness" in wanted:
        tell("roughness")
        made["roughness"] = np.rint(np.clip(1 - texture.shine + 0.6 * hollow, 0.05, 1) * 255).astype(np.uint8)
    if "colour" in wanted:
        tell("colour")
        made["colour"] = _paint(texture, tone, hollow, Sheet(size, seed + 1))
    return made


def _hollow(height: np.ndarray) -> np.ndarray:
    """How much deeper each place lies than its surroundings."""
    wide = len(height) / 40
    return np.clip(gaussian(height, (wide, wide), (True, True)) - height, 0, 1)


def _paint(texture: Texture, tone: np.ndarray, hollow: np.ndarray, sheet: Sheet) -> np.ndarray:
    """The two colours mixed, darker in hollows, with a little weather."""
    weather = 1 + 0.10 * sheet.rough(6, 5)
    shade = (weather * (1 - 0.9 * hollow))[..., None]
    mix = np.clip(tone, 0, 1)[..., None].astype(np.float32)
    first, second = (np.array(colour, np.float32) for colour in (texture.first, texture.second))
    colour = first * (1 - mix) + second * mix
    return np.rint(np.clip(colour * shade, 0, 255)).astype(np.uint8)
