"""Orders: surfaces of the catalogue on their way to the shelf."""

from __future__ import annotations

from django.db import models

from relief.synthetic.textures import TEXTURES, Texture
from studio.background.models import Work
from studio.shelf.models import TextureSet


class Order(Work):
    """One surface, taken at a size."""

    key = models.CharField(max_length=60)
    size = models.PositiveIntegerField()
    texture_set = models.ForeignKey(TextureSet, null=True, on_delete=models.SET_NULL)

    def __str__(self) -> str:
        return f"{self.texture.name}, {self.size} px"

    @property
    def texture(self) -> Texture:
        return TEXTURES[self.key]
