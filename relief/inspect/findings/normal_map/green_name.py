"""Green differs from its name: the file says one direction, its slopes the other."""

from __future__ import annotations

from relief.inspect.finding import Finding
from relief.inspect.seen import SeenNormalMap
from relief.sources.roles import GREEN_OF_WORD, green_of, looks_like_normals, words_of


def find(seen: SeenNormalMap) -> Finding | None:
    """A normal map whose name says that its green runs the other way than its slopes do."""
    if not seen.has_blue:
        return None
    said = next((GREEN_OF_WORD[word] for word in reversed(words_of(seen.filename)) if word in GREEN_OF_WORD), None)
    if said is None or not looks_like_normals(seen.picture) or green_of(seen.picture) == said:
        return None
    other = "down" if said == "up" else "up"
    reason = f"Its name says that green points {said}; its slopes are consistent only with green {other}."
    return Finding("green-name", "Green differs from its name", reason)
