"""Pictures as files: one format a module, found by being there."""

from relief.formats._modules import list_modules
from relief.formats.pictures._format import PictureFormat

PICTURES: dict[str, PictureFormat] = {
    name: module.FORMAT for name, module in list_modules(__name__, first="png").items()
}
"""The formats of pictures by the endings of their files, the usual one first."""

__all__ = ["PICTURES", "PictureFormat"]
