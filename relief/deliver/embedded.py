"""The pictures that a GLB carries: 8 bits, as glTF 2.0 wants them: normal maps with green up, occlusion, roughness and
metalness in the channels of one picture.
"""

from __future__ import annotations

import numpy as np

from relief.deliver.appearance import appearances
from relief.deliver.bundle import Bundle
from relief.deliver.planned import Planned
from relief.formats.appearance import ROUGHNESS
from relief.formats.writing import picture_file
from relief.maps.packing import at_depth
from relief.run.finished import finish_map

Pictures = dict[str, bytes]
"""PNG by role: `colour`, `normal`, `surface` (occlusion, roughness, metalness)."""


def embed_pictures(bundle: Bundle) -> list[Pictures]:
    """The pictures of each part of the bundle's mesh."""
    looks = appearances(bundle)
    maps = {look.relief: look.maps for look in looks}
    made = {relief: _make(bundle, relief, used) for relief, used in maps.items()}
    return [made[look.relief] for look in looks]


def _make(bundle: Bundle, key: str, maps: dict[str, str]) -> Pictures:
    pictures: Pictures = {}
    if "colour" in maps:
        pictures["colour"] = picture_file(_eight_bits(bundle, bundle.file_named(maps["colour"])), "png")
    if "normal" in maps and bundle.file_named(maps["normal"]).name == "residual":
        residual = bundle.built.residual
        assert residual is not None
        pictures["normal"] = picture_file(at_depth(residual, 8), "png")
    elif "normal" in maps:
        pipeline = bundle.surface.pipelines[key]
        pictures["normal"] = picture_file(bundle.engine.run(finish_map(pipeline, "normal-up", 8)), "png")
    roles = ("occlusion", "roughness", "metalness")
    if any(role in maps for role in roles):
        levels = {role: _eight_bits(bundle, bundle.file_named(maps[role])) for role in roles if role in maps}
        shape = next(iter(levels.values())).shape
        plain = {"occlusion": 255, "roughness": round(255 * ROUGHNESS), "metalness": 0}
        channels = [levels.get(role, np.full(shape, plain[role], np.uint8)) for role in roles]
        pictures["surface"] = picture_file(np.dstack(channels), "png")
    return pictures


def _eight_bits(bundle: Bundle, file: Planned) -> np.ndarray:
    return at_depth(bundle.reliefs[file.relief].pixels(file), 8)
