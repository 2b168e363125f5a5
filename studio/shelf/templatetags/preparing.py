"""How far a new studio is with getting ready, on any page."""

from __future__ import annotations

from typing import Any

from django import template

from studio.shelf.models import Piece, Preparation

register = template.Library()


@register.inclusion_tag("shelf/preparing.html")
def preparing() -> dict[str, Any]:
    """A line that renews itself until the studio is ready; nothing afterwards."""
    return state_of_preparation()


def state_of_preparation() -> dict[str, Any]:
    """What the template is filled with."""
    preparation = Preparation.under_way()
    return {"preparation": preparation, "pieces": Piece.objects.count() if preparation else 0}
