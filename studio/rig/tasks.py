"""What the worker does: it has the rig photograph a surface, and lays the photos on the shelf as a lit series."""

from __future__ import annotations

import time
from typing import Any

from django.db import transaction

from relief.progress import Progress
from relief.synthetic.rig import photograph_surface
from studio.background.carrying import carries_out
from studio.rig.models import Shoot
from studio.shelf.intake import keep_source
from studio.shelf.series import put_together

SETTLING = 0.7
"""Seconds until the lamp stands still at its next place."""

SIZE = 512
"""Pixels on the longer side of a photo."""


@carries_out(Shoot)
def shoot(order: Shoot, progress: Progress) -> dict[str, Any]:
    """Takes the photos of one shoot. Its camera's grain is another each time."""
    files = []
    progress.step(0, "Moving the lamp to its first position")
    shots = photograph_surface(order.key, order.photos, SIZE, order.pk, order.shaken)
    for number, file in enumerate(shots, 1):
        progress.step(number / (order.photos + 1), f"Photo {number} of {order.photos}")
        files.append(file)
        time.sleep(SETTLING)
    progress.step(order.photos / (order.photos + 1), "Putting the photos on the shelf")
    with transaction.atomic():
        made = put_together([keep_source(order.owner, name, data) for name, data in files])
        made.width = order.surface.width
        made.save(update_fields=["width"])
    return {"lit_series": made}
