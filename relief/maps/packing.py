"""Packing: any map, or a constant, in each channel of one picture."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import numpy as np
from pydantic import Field

from relief.figures import BITS, say_length
from relief.parameters import Parameters, Surroundings, choice, number, switch

CHANNELS = ("red", "green", "blue", "alpha")
VALUE = "value"
HEIGHTS = ("displacement", "bump")
"""Maps that lose heights when they are kept in 8 bits."""


def _holds(label: str) -> str:
    return choice(VALUE, {VALUE: "A value"}, label=label, help="The map that this channel holds, or a value.")


def _value(label: str, default: float) -> float:
    return number(default, 0, 1, label=f"Value of {label}", step=0.01, help="What the channel holds everywhere.")


def _name_inverted(label: str) -> bool:
    return switch(False, label=f"{label} inverted", help="Inverts this channel.")


class Pack(Parameters):
    """Up to four maps as the channels of one picture."""

    name: str = Field("Packed", max_length=60)
    on: bool = switch(True, label="On", help="Whether the picture is made and delivered.")
    red: str = _holds("Red")
    red_value: float = _value("red", 0)
    red_inverted: bool = _name_inverted("Red")
    green: str = _holds("Green")
    green_value: float = _value("green", 0)
    green_inverted: bool = _name_inverted("Green")
    blue: str = _holds("Blue")
    blue_value: float = _value("blue", 0)
    blue_inverted: bool = _name_inverted("Blue")
    alpha: str = choice(
        "none",
        {"none": "No alpha", VALUE: "A value"},
        label="Alpha",
        help="The map in the alpha channel, or none, or a value.",
    )
    alpha_value: float = _value("alpha", 1)
    alpha_inverted: bool = _name_inverted("Alpha")
    bits: Literal[8, 16] = choice(
        8, BITS, label="Bits", help="Bits in each channel of the picture."
    )  # fmt: skip

    @property
    def heading(self) -> str:
        return self.name

    def unused(self, around: Surroundings) -> set[str]:
        without_value = {f"{channel}_value" for channel in CHANNELS if getattr(self, channel) != VALUE}
        return without_value | ({"alpha_inverted"} if self.alpha == "none" else set())

    @property
    def used(self) -> tuple[str, ...]:
        """The channels that the picture has."""
        return CHANNELS if self.alpha != "none" else CHANNELS[:3]

    def holds(self) -> dict[str, str]:
        """By channel, the map it holds as `map` or `map.channel`, or `value`."""
        return {channel: getattr(self, channel) for channel in self.used}

    def maps(self) -> tuple[str, ...]:
        """The names of the maps that are packed."""
        return tuple(dict.fromkeys(held.partition(".")[0] for held in self.holds().values() if held != VALUE))

    def costs(self, amplitude: float) -> list[str]:
        """What packing loses, in sentences."""
        held = self.holds()
        words = []
        if self.bits == 8 and any(name in HEIGHTS for name in held.values()):
            words.append(
                f"8 bits keep 256 heights, {say_length(amplitude / 255)} apart: slopes show as steps close up."
            )
        if held["red"] == "normal.red" and held["green"] == "normal.green" and held["blue"] != "normal.blue":
            words.append("Blue of the normal map is left out; the reader rebuilds it from red and green.")
        return words


def pack_channels(pack: Pack, maps: Mapping[str, np.ndarray], shape: tuple[int, int]) -> np.ndarray:
    """The picture.

    Args:
        pack: what each channel holds. A map that is not there counts as the channel's value.
        maps: coded maps by name, uint8 or uint16 (rows, columns[, 3]).
        shape: their (rows, columns).

    Returns:
        uint8 or uint16 (rows, columns, 3 or 4).
    """
    most = 2**pack.bits - 1
    out = np.empty((*shape, len(pack.used)), np.uint8 if pack.bits == 8 else np.uint16)
    for place, (channel, held) in enumerate(pack.holds().items()):
        name, _, part = held.partition(".")
        if name in maps:
            pixels = maps[name]
            levels = pixels[..., CHANNELS.index(part)] if part else pixels
            levels = at_depth(levels, pack.bits)
        else:
            levels = np.array(round(getattr(pack, f"{channel}_value") * most), np.uint16)
        out[..., place] = most - levels if getattr(pack, f"{channel}_inverted") else levels
    return out


def at_depth(levels: np.ndarray, bits: int) -> np.ndarray:
    """Whole-number samples in 8 or 16 bits, each at the nearest level."""
    if levels.dtype.itemsize * 8 == bits:
        return levels
    if bits == 16:
        return levels.astype(np.uint16) * np.uint16(257)
    return np.rint(levels / np.float32(257)).astype(np.uint8)


PRESETS: dict[str, tuple[str, str, dict[str, object]]] = {
    "empty": ("Empty", "Choose each channel yourself.", {"name": "Packed"}),
    "height_in_alpha": (
        "Normal map with height in alpha", "The normal map as it is, the height in its free alpha.",
        {"name": "Normal and height", "red": "normal.red", "green": "normal.green", "blue": "normal.blue",
         "alpha": "displacement"},
    ),
    "height_in_blue": (
        "Normal map with height in blue", "Red and green of the normal map, the height in place of blue.",
        {"name": "Normal and height", "red": "normal.red", "green": "normal.green", "blue": "displacement"},
    ),
    "gltf": (
        "Occlusion, roughness, metalness", "In red, green and blue, as glTF 2.0 defines them.",
        {"name": "Occlusion roughness metalness", "red_value": 1, "green_value": 0.6, "blue_value": 0},
    ),
}  # fmt: skip
"""Packs to begin with: title, what it is for, and values. Channels of `gltf` take the maps that the piece has."""
