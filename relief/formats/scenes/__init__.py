"""Open descriptions of a material or a scene: one format a module, found by being there."""

from relief.formats.scenes._format import Scene, SceneFormat
from relief.parameters import list_modules

SCENES: dict[str, SceneFormat] = {name: module.FORMAT for name, module in list_modules(__name__).items()}
"""The formats by the switch of a delivery that asks for them."""

__all__ = ["SCENES", "Scene", "SceneFormat"]
