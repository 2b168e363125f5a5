"""Pictures as files: one format a module, found by being there."""

from relief.formats.pictures._format import PictureFormat
from relief.parameters import list_modules

PICTURES: dict[str, PictureFormat] = {
    name: module.FORMAT for name, module in list_modules(__name__, first="png").items()
}
"""The formats of pictures by the endings of their files, the usual one first."""

__all__ = ["PICTURES", "PictureFormat"]
