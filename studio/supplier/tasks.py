"""What the worker does: it fetches an order from the supplier and lays it on the shelf."""

from __future__ import annotations

import io
from typing import Any

from relief.errors import PictureError
from relief.progress import Progress
from studio.background.carrying import carries_out
from studio.background.models import WorkError
from studio.shelf.archives import incoming
from studio.shelf.intake import keep_source
from studio.shelf.models import TextureSet
from studio.shelf.sets import keep_set
from studio.supplier.models import Order
from studio.supplier.supplier import Supplier, SupplierError
from studio.web.wanted import pause

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
