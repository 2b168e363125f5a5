"""Data is read as colour: a map that holds numbers is taken through the display curve."""

from __future__ import annotations

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSource
from relief.recipe.relief import CONTENT_PATH
from relief.sources.colour import grey_of_data, grey_of_photo
from relief.sources.facts import has_colours
from relief.sources.roles import DATA, READING_NAMES, READING_OF, guess_role


def find(seen: SeenSource) -> Finding | None:
    """A picture that is read as a photo, and seems to hold data."""
    picture = seen.picture
    guess = guess_role(picture, seen.filename, has_colours(picture))
    if not (seen.content.is_photo and guess.role in DATA):
        return None
    data, light = (float(grey.mean()) for grey in (grey_of_data(picture), grey_of_photo(picture, "luminance")))
    right = READING_OF[guess.role]
    reason = (
        f"It seems to be {guess.words}: {guess.reason}. Read as a photo its mean moves from {data:.2f} to {light:.2f}."
    )
    mend = Mend(f"Read it as {READING_NAMES[right].lower()}", {f"{CONTENT_PATH}.reading": right})
    return Finding("data-as-colour", "Data is read as colour", reason, mend)
