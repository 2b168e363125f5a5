"""What the worker does: it fetches an order from the supplier and lays it on the shelf."""

from __future__ import annotations

import io
from typing import Any

from answers.wanted import pause
from catalogue.models import Order
from catalogue.supplier import Supplier, SupplierError
from relief.errors import PictureError
from relief.progress import Progress
from shelf.archives import incoming
from shelf.intake import keep_source
from shelf.models import TextureSet
from shelf.sets import keep_set
from work.carrying import carries_out
from work.models import WorkError

SUPPLIER = Supplier(pause=pause)


@carries_out(Order)
def fetch(order: Order, progress: Progress) -> dict[str, Any]:
    """Carries one order out."""
    try:
        data = SUPPLIER.package(order.key, order.size, progress)
        return {"texture_set": _keep_set(order, data)}
    except SupplierError as problem:
        raise WorkError(str(problem)) from problem


def _keep_set(order: Order, data: bytes) -> TextureSet:
    """The delivered maps on the shelf, as one set with its name and words."""
    sources = []
    for name, picture in incoming("order.zip", io.BytesIO(data)):
        if isinstance(picture, PictureError):
            raise SupplierError("The supplier's archive was damaged on the way; try again.")
        sources.append(keep_source(order.owner, name, picture))
    texture_set = keep_set(sources, f"{order.texture.name}, {order.size}")
    if not texture_set.tags:
        texture_set.tags = order.texture.words
        texture_set.save(update_fields=["tags"])
    return texture_set
