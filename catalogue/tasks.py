"""What the worker does: it fetches an order from the supplier and lays it on the shelf."""

from __future__ import annotations

import io
import logging

from huey.contrib.djhuey import db_task

from catalogue.models import Order
from catalogue.supplier import Supplier, SupplierError
from relief.errors import Cancelled, PictureError
from shelf.archives import incoming
from shelf.models import Source, TextureSet
from shelf.sets import gathered
from studio.work import WorkProgress

logger = logging.getLogger(__name__)
SUPPLIER = Supplier()


@db_task()
def fetch(pk: int) -> None:
    """Carries one order out."""
    order = Order.objects.get(pk=pk)
    if not order.advance(state=Order.State.RUNNING, message="Asking the supplier"):
        return
    try:
        data = SUPPLIER.package(order.key, order.size, WorkProgress(order))
        texture_set = _kept(order, data)
    except Cancelled:
        return
    except SupplierError as problem:
        order.advance(state=Order.State.FAILED, message=str(problem))
    except OSError:
        logger.exception("An order could not be kept")
        order.advance(state=Order.State.FAILED, message="It could not be kept. The disk may be full.")
    else:
        order.advance(state=Order.State.DONE, progress=1, message="", texture_set=texture_set)


def _kept(order: Order, data: bytes) -> TextureSet:
    """The delivered maps on the shelf, as one set with its name and words."""
    sources = []
    for name, picture in incoming("order.zip", io.BytesIO(data)):
        if isinstance(picture, PictureError):
            raise SupplierError("The supplier's archive was damaged on the way; try again.")
        sources.append(Source.objects.keep(order.owner, name, picture))
    known = sources[0].texture_set
    if known is not None and all(source.texture_set == known for source in sources):
        known.removed = None
        known.save(update_fields=["removed"])
        return known
    sets, _ = gathered(sources)
    texture_set = sets[0]
    texture_set.name = f"{order.texture.name}, {order.size}"
    texture_set.tags = order.texture.words
    texture_set.save(update_fields=["name", "tags"])
    return texture_set
