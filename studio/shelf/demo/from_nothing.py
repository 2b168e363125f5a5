"""Two surfaces of the bathhouse that begin with no picture: a court of raked sand, and a net lying in sand."""

from __future__ import annotations

from relief.inspect.start import start_from_nothing
from relief.recipe import layer_edits
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.pipeline import ReadSource

FINAL = {"surface.final_level": 5}
"""Coarser meshes have teeth at the steep sides of the sand's waves."""

SAND_COURT, NET = "Raked sand court", "Knotted net"
SAND_COURT_GUIDE = (
    "Choose the layer “Rings” and drag its ring length. Then choose “Stones” and click “Click places” to set another."
)
NET_GUIDE = (
    "Choose the layer “Net” and drag its handle in the section up and down: the sand buries the net or uncovers it."
)


def sand_court(read_source: ReadSource, engine: Engine) -> Recipe:
    """Raked waves that go round a stone, over a gently rolling ground, with grain."""
    recipe = start_from_nothing("waves", read_source, engine)
    recipe = recipe.with_changes(
        {
            "footprint.width": 1200, "layers.0.content.form": "pointed", "layers.0.content.length": 50,
            "layers.0.content.bend": 14, "layers.0.content.bends": 1,
        }
    )  # fmt: skip
    for kind, name, changes in (
        ("rings", "Rings", {
            "blend": "replace", "amount": 1, "content.width": 1200, "content.ring": 50, "content.rim": 320,
            "mask.source": "strokes", "mask.marks": [{"points": [(0.5, 0.5)], "radius": 262}],
        }),
        ("gradient_noise", "Rolling ground", {"amount": 1.2, "content.size": 600, "content.octaves": 2}),
        ("gradient_noise", "Grain", {"amount": 0.17, "content.size": 9, "content.octaves": 3}),
        ("imprints", "Stones", {
            "blend": "taller", "amount": 2.6, "passage": 0.3, "content.size": 170, "content.fade": 6,
            "content.places": [(0.5, 0.5), (0.47, 0.62)], "content.vary": 0.5, "content.seed": 3,
        }),
        ("gradient_noise", "Worn stone", {
            "amount": 0.42, "content.size": 60, "content.sum": "ridged", "mask.source": "height", "mask.low": 1.4,
            "mask.high": 9, "mask.soft": 0.3,
        }),
    ):  # fmt: skip
        recipe = with_layer(recipe, kind, name, changes)
    return recipe.with_changes({"amplitude": 20, "midlevel": 0.5} | FINAL)


def net(read_source: ReadSource, engine: Engine) -> Recipe:
    """A knotted net half buried in blown sand."""
    recipe = start_from_nothing("gradient_noise", read_source, engine)
    recipe = recipe.with_changes(
        {
            "footprint.width": 800,
            "layers.0.content.size": 260,
            "layers.0.content.octaves": 3,
            "layers.0.content.gain": 0.35,
            "layers.0.content.contrast": 1.7,
        }
    )
    for kind, name, changes in (
        ("waves", "Ripples", {
            "amount": 0.08, "content.form": "saw", "content.length": 32, "content.turn": 70, "content.bend": 16,
            "content.bends": 3,
        }),
        ("gradient_noise", "Grain", {"amount": 0.05, "content.size": 5, "content.octaves": 2}),
        ("net", "Net", {
            "blend": "taller", "amount": 0.75, "offset": -0.05, "passage": 0.05, "content.mesh": 130,
            "content.cord": 13,
            "content.knot": 15,
        }),
    ):  # fmt: skip
        recipe = with_layer(recipe, kind, name, changes)
    return recipe.with_changes({"amplitude": 34, "midlevel": 0.5} | FINAL)


def with_layer(recipe: Recipe, kind: str, name: str, changes: dict) -> Recipe:
    """The recipe with one more layer on top, named and set."""
    relief, _ = layer_edits.add_layer(recipe.main, kind)
    top = len(relief.layers) - 1
    relief, _ = layer_edits.rename_layer(relief, top, name)
    return recipe.with_relief(relief).with_changes({f"layers.{top}.{path}": value for path, value in changes.items()})
