"""Three surfaces of the bathhouse that leave the flat square: a column, a mooring bollard, and the dunes behind."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from relief.inspect.start import start_from_nothing
from relief.recipe import surface_edits
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.pipeline import ReadSource
from studio.shelf.demo.from_nothing import with_layer

COLUMN, BOLLARD, DUNES = "Fluted column", "Mooring bollard", "Dune ground"
BOLLARD_FILE = "mooring_bollard.obj"
COLUMN_GUIDE = (
    "Two reliefs on one surface: flutes around the side, a rosette on the cap. Go to Surface, take “Drag the shift "
    "on the surface” and drag; then switch the sizing and see the repeats change."
)
BOLLARD_GUIDE = (
    "Its head was imported with reversed faces, so the rust goes in there. Go to Surface, look at “Reversed”, "
    "then press “Turn faces outward”."
)
DUNES_GUIDE = "Ten kilometres of sand. At Surface switch “Figure” on: a pole marks where a person stands."


def column(read_source: ReadSource, engine: Engine) -> Recipe:
    """A column of 24 flutes with a rosette in its cap."""
    recipe = start_from_nothing("flutes", read_source, engine).with_changes(
        {
            "footprint.width": 300, "layers.0.content.width": 75, "layers.0.content.fillet": 14, "amplitude": 24,
            "midlevel": 1,
        }
    )  # fmt: skip
    rosette = start_from_nothing("rosette", read_source, engine).with_changes(
        {
            "footprint.width": 600, "layers.0.content.width": 600, "layers.0.content.radius": 255,
            "layers.0.content.boss": 62, "layers.0.content.petals": 12, "amplitude": 55, "midlevel": 0,
        }
    )  # fmt: skip
    recipe, _ = surface_edits.add_relief(recipe, "Rosette", rosette.main)
    recipe, _ = surface_edits.choose_shape(recipe.showing("main"), "cylinder", diameter=600, height=1500, segments=48)
    recipe, _ = surface_edits.add_region(recipe, "top cap")
    recipe, _ = surface_edits.choose_relief(recipe, 0, "rosette")
    recipe, _ = surface_edits.choose_mapping(recipe, "planar", 0)
    recipe, _ = surface_edits.add_region(recipe, "bottom cap")
    recipe, _ = surface_edits.choose_relief(recipe, 1, "")
    return recipe.with_changes(
        {
            "surface.mapping.whole": True, "surface.level": 3, "surface.regions.0.mapping.axis": "y",
            "surface.regions.0.mapping.sizing": "fit", "surface.regions.0.fade": 70, "surface.regions.1.fade": 70,
        }
    )  # fmt: skip


def bollard_file() -> bytes:
    """A bollard turned on a lathe, as OBJ in mm: quads with UV, in three groups; the faces of its head look inward."""
    profile = [
        ("base", [(230, 0), (230, 34), (216, 48)]),
        ("post", [(150, 62), (118, 110), (106, 220), (108, 330), (124, 400)]),
        ("head", [(176, 440), (196, 484), (188, 530), (150, 568), (84, 590), (0, 598)]),
    ]
    rings = [(group, *point) for group, points in profile for point in points]
    around = 36
    lines = ["# Ferry Lane Bathhouse, landing stage. Lengths in mm, y up."]
    angles = 2 * np.pi * np.arange(around) / around
    for _, radius, height in rings:
        lines += [f"v {radius * np.sin(a):.4f} {height} {radius * np.cos(a):.4f}" for a in angles]
    steps = (float(np.hypot(b[1] - a[1], b[2] - a[2])) for a, b in pairwise(rings))
    lengths = np.cumsum([0.0, *steps])
    for length in lengths:
        lines += [f"vt {number / around:.5f} {length / lengths[-1]:.5f}" for number in range(around + 1)]
    group = ""
    for row, (name, *_) in enumerate(rings[1:]):
        if name != group:
            lines.append(f"g {name}")
            group = name
        for number in range(around):
            low, high, after = row * around, (row + 1) * around, (number + 1) % around
            places = row * (around + 1), (row + 1) * (around + 1)
            corners = [
                (low + number, places[0] + number), (low + after, places[0] + number + 1),
                (high + after, places[1] + number + 1), (high + number, places[1] + number),
            ]  # fmt: skip
            turned = corners[::-1] if name == "head" else corners
            lines.append("f " + " ".join(f"{vertex + 1}/{place + 1}" for vertex, place in turned))
    return ("\n".join(lines) + "\n").encode()


def bollard(read_source: ReadSource, engine: Engine, mesh: SourceReference) -> Recipe:
    """Cast iron, pitted and scaled by salt, on the bollard."""
    recipe = start_from_nothing("cellular_noise", read_source, engine).with_changes(
        {"footprint.width": 240, "layers.0.content.size": 26, "layers.0.content.octaves": 2}
    )
    recipe = with_layer(recipe, "gradient_noise", "Scale", {"amount": 0.6, "content.size": 60, "content.octaves": 5})
    recipe = recipe.with_changes({"amplitude": 9, "midlevel": 0.6})
    recipe, _ = surface_edits.choose_own_mesh(recipe, mesh, "mm", True)
    return recipe.with_changes({"surface.mapping.whole": True, "surface.level": 3})


def dunes(read_source: ReadSource, engine: Engine) -> Recipe:
    """Ten kilometres of dunes, as high as 250 m."""
    km = 1_000_000
    recipe = start_from_nothing("gradient_noise", read_source, engine).with_changes(
        {
            "footprint.width": 10 * km, "layers.0.content.size": 1.5 * km, "layers.0.content.octaves": 3,
            "layers.0.content.sum": "ridged", "layers.0.content.gain": 0.28, "layers.0.content.stretch_across": 2.4,
            "layers.0.content.turn": 24, "layers.0.content.warp": 0.5 * km, "layers.0.content.warp_size": 2.6 * km,
        }
    )  # fmt: skip
    for name, changes in (
        ("Swell", {"amount": 0.9, "content.size": 4 * km, "content.octaves": 2}),
        ("Ripples", {"amount": 0.04, "content.size": 0.3 * km, "content.octaves": 3}),
    ):
        recipe = with_layer(recipe, "gradient_noise", name, changes)
    recipe = recipe.with_changes({"amplitude": 250_000, "midlevel": 0.5})
    return recipe.with_changes({"surface.shape.segments": 64, "surface.level": 3})
