"""Shoots: a surface that is photographed by the rig, the lamp stepping round it."""

from __future__ import annotations

from django.db import models

from relief.synthetic.surfaces import SURFACES, Known
from studio.background.models import Work
from studio.shelf.models import LitSeries


class Shoot(Work):
    """One surface, photographed so many times."""

    key = models.CharField(max_length=60)
    photos = models.PositiveSmallIntegerField()
    shaken = models.BooleanField(default=False)
    lit_series = models.ForeignKey(LitSeries, null=True, on_delete=models.SET_NULL)

    def __str__(self) -> str:
        return f"{self.surface.name}, {self.photos} photos"

    @property
    def surface(self) -> Known:
        return SURFACES[self.key]
