"""A companion is unlinked: it does not lie as the relief does."""

from __future__ import annotations

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief


def find(seen: SeenRelief) -> Finding | None:
    """A companion does not follow the mapping."""
    for number, item in enumerate(seen.relief.maps.unlinked):
        if item.on and item.role in seen.relief.movable_roles():
            reason = f"It is laid {item.say()}, so it does not match the relief beneath it."
            mend = Mend("Link it to the relief", {f"maps.unlinked.{number}.on": False})
            return Finding("unlinked", f"{item.role.capitalize()} is unlinked", reason, mend)
    return None
