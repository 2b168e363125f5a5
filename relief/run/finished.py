"""The finished maps of a relief, each a stage under its name: as they are delivered, packed and looked at.

`normal`, `bump` and `displacement` are always there, `colour` where the sources have colours; `more-0` and on are the
grey maps, `pack-0` and on the packed pictures, and `along-roughness` and the like what came along with the sources.
"""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np

from relief.filters.resample import as_type, resample
from relief.height import HeightField
from relief.maps.colour_map import Colour, colour
from relief.maps.companion import CompanionMap
from relief.maps.horizons import find_horizons
from relief.maps.normal import Normal, normal_map, vectors
from relief.maps.packing import Pack, pack_channels
from relief.progress import Progress
from relief.recipe.delivery import TYPES, Depth
from relief.recipe.relief import Relief
from relief.run.engine import Engine, Stage
from relief.run.pipeline import Pipeline
from relief.sources.colour import eight_bits, full_scale

TITLES = {"normal": "Normal", "bump": "Bump", "displacement": "Displacement", "colour": "Colour"}
RGB = ("red", "green", "blue")


def titles(relief: Relief) -> dict[str, str]:
    """What each map is called, by its name. Maps that are switched off are left out."""
    found = {name: title for name, title in TITLES.items() if name != "colour" or relief.has_colours}
    found |= {f"more-{number}": grey.called for number, grey in enumerate(relief.maps.more) if grey.on}
    found |= {f"along-{role}": f"{role.capitalize()}, as it came" for role in along(relief)}
    return found | {f"pack-{number}": pack.name for number, pack in enumerate(relief.maps.packs) if pack.on}


def list_delivered(relief: Relief) -> dict[str, str]:
    """The maps of a bundle and what each is called: all but colours that are to be left out."""
    return {name: title for name, title in titles(relief).items() if name != "colour" or relief.maps.colour.on}


def along(relief: Relief) -> list[str]:
    """The roles of the data maps that go along; colours and normal maps have maps of their own."""
    return [role for role in relief.companion_roles() if role not in ("colour", "normal")]


def maps_of_material(relief: Relief) -> dict[str, str]:
    """The roles in a material of the maps that are made or came along, by the names of the maps.

    `roughness`, `metalness` and `occlusion`, as glTF 2.0 defines them; of two the later one counts, which is made. Maps
    that lie otherwise than the relief are left out, as one set of UVs does not fit both.
    """
    roles = {f"along-{role}": role for role in along(relief) if role in ("roughness", "metalness", "occlusion")}
    roles |= {
        f"more-{number}": grey.role
        for number, grey in enumerate(relief.maps.more)
        if grey.on and not grey.inverted and grey.role
    }
    unlinked = {item.role for item in relief.maps.unlinked if item.on}
    named = titles(relief)
    return {name: role for name, role in roles.items() if role not in unlinked and name in named}


def packable(relief: Relief) -> dict[str, str]:
    """What a channel can hold, by its name: whole grey maps, and the channels of coloured ones."""
    found: dict[str, str] = {}
    for name, title in titles(relief).items():
        kind, _, number = name.partition("-")
        if kind == "pack":
            continue
        coloured_ = kind in ("normal", "colour") or (kind == "more" and relief.maps.more[int(number)].channels)
        parts = [(f"{name}.{part}", f"{title}, {part}") for part in RGB] if coloured_ else [(name, title)]
        found |= dict(parts)
    return found


def finish_map(pipeline: Pipeline, name: str, bits: Depth | None = None) -> Stage:
    """The pixels of a map by its name, (rows, columns[, channels]): uint8 or uint16; of normal maps floats too.

    Args:
        pipeline: the relief and its sources, at some size.
        name: one of `titles`.
        bits: bits of a normal, bump or displacement map; none for 8, and 16 of a displacement map.

    Raises:
        KeyError: there is no such map.
    """
    relief = pipeline.relief
    kind, _, rest = name.partition("-")
    match kind:
        case "normal":
            return normals(pipeline, relief.maps.normal if not rest else turn_up(relief.maps.normal), bits or 8)
        case "bump":
            bits = 16 if bits == 16 else 8
            key = [relief.maps.bump.model_dump(), relief.midlevel, bits]
            return Stage("Bump map", partial(_bump, relief, bits), key, (pipeline.height(),), keep=False)
        case "displacement":
            bits, displacing = 8 if bits == 8 else 16, pipeline.displacing()
            key = [relief.maps.displacement.model_dump(), relief.midlevel, bits]
            return Stage("Displacement map", partial(_displacement, relief, bits), key, (displacing,), keep=False)
        case "colour":
            settings = relief.maps.colour
            compute = partial(_colours, settings)
            return Stage("Colours", compute, settings.model_dump(), (pipeline.companions.colour(), pipeline.height()))
        case "along":
            if rest not in along(relief):
                raise KeyError(name)
            return Stage(
                "Preparing companion map", _along, rest, (pipeline.companions.of_role(rest), pipeline.height())
            )
        case "more":
            return _grey(pipeline, _of_list(relief.maps.more, rest, name))
        case "pack":
            return _pack(pipeline, _of_list(relief.maps.packs, rest, name))
    raise KeyError(name)


def _of_list(listed: tuple, number: str, name: str):
    if number not in map(str, range(len(listed))):
        raise KeyError(name)
    return listed[int(number)]


def turn_up(normal: Normal) -> Normal:
    """The same map with green up and red to the right, as glTF and USD want it; it is the map `normal-up`."""
    return normal.model_copy(update={"green": "up", "red": "right"})


def horizons(pipeline: Pipeline, directions: int) -> Stage:
    """How high the horizon stands around each texel of a relief, as `find_horizons` has it."""
    amplitude = pipeline.relief.amplitude
    compute = partial(_find_horizons, amplitude, directions)
    return Stage("Finding the horizons", compute, [amplitude, directions], (pipeline.height(),), reports=True)


def _find_horizons(amplitude: float, directions: int, height: HeightField, progress: Progress) -> np.ndarray:
    return find_horizons(height, amplitude, directions, progress)


def normals(pipeline: Pipeline, normal: Normal, bits: Depth) -> Stage:
    """A normal map of the finished height, made in some way, the relief's or another."""
    amplitude, along_ = pipeline.relief.amplitude, came_along(pipeline, normal)
    compute = partial(_normals, amplitude, normal, bits)
    key = [amplitude, normal.model_dump(), bits]
    return Stage("Normal map", compute, key, (pipeline.height(), *((along_,) if along_ else ())), keep=False)


def came_along(pipeline: Pipeline, normal: Normal) -> Stage | None:
    """The vectors of the normal map that came along, where there is one and this way of making one wants it."""
    wanted = normal.of != "relief" and "normal" in pipeline.relief.companion_roles()
    return pipeline.companions.vectors() if wanted else None


def vectors_along(pipeline: Pipeline, engine: Engine) -> np.ndarray | None:
    """The vectors that the relief's own normal map takes in beside the relief's; none where it takes none."""
    stage = came_along(pipeline, pipeline.relief.maps.normal)
    return engine.run(stage) if stage else None


def normal_vectors(pipeline: Pipeline, engine: Engine) -> np.ndarray:
    """The unit normals of the relief's normal map before they are encoded: float32 (rows, columns, 3)."""
    relief, height = pipeline.relief, engine.run(pipeline.height())
    return vectors(height, relief.amplitude, relief.maps.normal, vectors_along(pipeline, engine))


def _normals(amplitude: float, normal: Normal, bits: Any, field: HeightField, along: np.ndarray | None = None):
    """The normal map as delivered: encoded in 8 or 16 bits, otherwise 0 to 1 as floats."""
    if bits in (8, 16):
        return normal_map(field, amplitude, normal, bits, along)
    towards = np.array([-1 if normal.red == "left" else 1, -1 if normal.green == "down" else 1, 1], np.float32)
    return (vectors(field, amplitude, normal, along) * (towards / 2) + np.float32(0.5)).astype(TYPES[bits])


def _bump(relief: Relief, bits: int, field: HeightField) -> np.ndarray:
    return relief.maps.bump.range(field.samples, relief.midlevel).encode(field.samples, bits)


def _displacement(relief: Relief, bits: int, field: HeightField) -> np.ndarray:
    return relief.maps.displacement.range(field.samples, relief.midlevel).encode(field.samples, bits)


def _colours(settings: Colour, colours: np.ndarray, field: HeightField) -> np.ndarray:
    """The colour map of a relief on the grid of its heights."""
    return colour(_at_size_of(field, colours), settings, field.spacing, field.edges.wraps)


def _along(samples: np.ndarray, field: HeightField) -> np.ndarray:
    """Another map of a relief's set on the grid of its heights, uint8."""
    return eight_bits(_at_size_of(field, samples))


def _at_size_of(field: HeightField, samples: np.ndarray) -> np.ndarray:
    """Samples (rows, columns[, channels]) on the grid of a field, of the type they were."""
    rows, columns = field.samples.shape
    if samples.shape[:2] == (rows, columns):
        return samples
    fitted = resample(samples.astype(np.float32), rows, columns, "area", field.edges.wraps)
    return as_type(fitted, samples.dtype)


def _grey(pipeline: Pipeline, grey: CompanionMap) -> Stage:
    """One of the maps beside the others."""
    relief = pipeline.relief
    beside = {name: stage for name in grey.beside if (stage := _beside(pipeline, name))}
    compute = partial(_draw_grey, grey, relief.amplitude, tuple(beside))
    key = [grey.model_dump(exclude={"name", "on"}), relief.amplitude, list(beside)]
    inputs = (pipeline.height(), *beside.values())
    return Stage(grey.title, compute, key, inputs, keep=grey.slow, reports=grey.slow)


def _draw_grey(grey: CompanionMap, amplitude: float, names: tuple[str, ...], field: HeightField, *beside: Any):
    *arrays, progress = beside if grey.slow else (*beside, None)
    fitted = [_at_size_of(field, full_scale(samples)) for samples in arrays]
    return grey.encode(field, amplitude, dict(zip(names, fitted, strict=True)), progress)


def _beside(pipeline: Pipeline, name: str) -> Stage | None:
    """What a map is drawn from beside the relief; none where the piece does not have it."""
    kind, _, rest = name.partition(":")
    if kind == "colour":
        return pipeline.companions.colour() if pipeline.relief.layers[0].source else None
    if kind == "seen":
        return pipeline.cover(int(rest)) if int(rest) in range(len(pipeline.relief.layers)) else None
    return pipeline.companions.of_role(name) if name in pipeline.relief.companion_roles() else None


def _pack(pipeline: Pipeline, pack: Pack) -> Stage:
    """A packed picture: the maps it needs are made first."""
    there = titles(pipeline.relief)
    names = [name for name in pack.maps() if name in there and not name.startswith("pack-")]
    inputs = [finish_map(pipeline, name, pack.bits if name in TITLES and name != "colour" else None) for name in names]
    # without a map the size is not known, so the height comes along
    compute = partial(_pack_maps, pack, tuple(names))
    key = [pack.model_dump(exclude={"name", "on"}), names]
    return Stage("Packing channels", compute, key, (pipeline.height(), *inputs), keep=False)


def _pack_maps(pack: Pack, names: tuple[str, ...], field: HeightField, *maps: np.ndarray) -> np.ndarray:
    """The channels of a packed picture, made of the maps it names."""
    return pack_channels(pack, dict(zip(names, maps, strict=True)), field.samples.shape)
