"""A telltale in the repeat: a place that the eye finds again in every tile."""

from __future__ import annotations

from relief.inspect.finding import Finding
from relief.inspect.seen import SeenRelief

TELLTALE_ABOVE = 6.0
"""Standard deviations from the ordinary. A place that stands out more is found again in every repeat at first sight."""

FEW_TELLTALES = 3
"""More places than this that stand out alike are the motif itself."""

FROM_OTHERS = 1.4
"""Times that a telltale must stand out more than the next place that does not count as one."""


def find(seen: SeenRelief) -> Finding | None:
    """A place in a picture that tiles which the eye finds again in every repeat."""
    places = [place for place in seen.marks if place.strength > TELLTALE_ABOVE]
    if not 0 < len(places) <= FEW_TELLTALES:
        return None
    # the highest of many hills stands little above the next; what gives a repeat away has no like
    if len(seen.marks) > len(places) and places[-1].strength < FROM_OTHERS * seen.marks[len(places)].strength:
        return None
    first = places[0]
    where = f"{100 * first.x:.0f} % across and {100 * first.y:.0f} % down"
    more = f", and {len(places) - 1} more" if len(places) > 1 else ""
    reason = (
        f"The place {where}{more} stands out by {first.strength:.0f} times the usual variation, which gives the "
        "repeat away. Heal it in step 2, or lay a wider layer over it."
    )
    return Finding("telltale", "A telltale in the repeat", reason)
