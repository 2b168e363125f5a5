"""Finding things on the shelf: by word, role, colour family and size."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Q, QuerySet

from relief.sources.roles import ROLE_NAMES
from studio.shelf.models import LitSeries, Piece, Source, TextureSet, UnreadableFactsError

FAMILIES = ("red", "orange", "yellow", "green", "blue", "violet", "brown", "grey", "black", "white")
GREY_BELOW = 0.08
"""Chroma, 0 to 1, below which a colour is called grey."""

SIZES = (1024, 2048, 4096)
HUES = ((15, "red"), (40, "orange"), (70, "yellow"), (165, "green"), (260, "blue"), (335, "violet"), (361, "red"))


def colour_family(hue: float, chroma: float, lightness: float) -> str:
    """The everyday name of a colour: hue in degrees, chroma and lightness from 0 to 1."""
    if chroma < GREY_BELOW:
        return "black" if lightness < 0.2 else "white" if lightness > 0.8 else "grey"
    name = next(name for limit, name in HUES if hue < limit)
    return "brown" if name in ("orange", "yellow") and lightness < 0.45 else name


@dataclass(frozen=True)
class Wanted:
    """What somebody looks for; empty means anything."""

    word: str = ""
    role: str = ""
    colour: str = ""
    size: int = 0

    @property
    def only_words(self) -> bool:
        return not (self.role or self.colour or self.size)


def read_search(query: dict) -> Wanted:
    """What a request looks for; what is not understood is left out."""
    size = query.get("size", "")
    return Wanted(
        word=query.get("q", "").strip()[:100],
        role=query.get("role", "") if query.get("role", "") in ROLE_NAMES else "",
        colour=query.get("colour", "") if query.get("colour", "") in FAMILIES else "",
        size=int(size) if size in map(str, SIZES) else 0,
    )


def pieces(owner, look: Wanted) -> QuerySet[Piece]:
    """The pieces that hold every word in their title, tags or remark; none where a look asks for more than words."""
    return _with_words(Piece.objects.filter(owner=owner, removed=None), look)


def shared_pieces(artist, look: Wanted) -> QuerySet[Piece]:
    """The same of the pieces that others share with an artist."""
    return _with_words(Piece.objects.filter(shares__artist=artist, removed=None).select_related("owner"), look)


def _with_words(found: QuerySet[Piece], look: Wanted) -> QuerySet[Piece]:
    for word in look.word.split():
        found = found.filter(Q(title__icontains=word) | Q(tags__icontains=word) | Q(remark__icontains=word))
    return found if look.only_words else found.none()


def texture_sets(owner, look: Wanted) -> list[TextureSet]:
    """Sets whose name or tags have the words, and of whose members one fits the rest; without those left empty."""
    found = TextureSet.objects.filter(owner=owner, removed=None).prefetch_related("members")
    for word in look.word.split():
        found = found.filter(Q(name__icontains=word) | Q(tags__icontains=word) | Q(members__filename__icontains=word))
    return [
        item
        for item in found.distinct()
        if item.present and (look.only_words or any(_fits(member, look) for member in item.present))
    ]


def lit_series(owner, look: Wanted) -> list[LitSeries]:
    """Lit series whose name or tags have the words; where something else is looked for, none."""
    if not look.only_words:
        return []
    found = LitSeries.objects.filter(owner=owner, removed=None)
    for word in look.word.split():
        found = found.filter(Q(name__icontains=word) | Q(tags__icontains=word))
    return [item for item in found if item.present]


def sources(owner, look: Wanted) -> list[Source]:
    """Sources that stand alone, and where something is looked for those in sets too."""
    found = Source.objects.filter(owner=owner, removed=None).prefetch_related("pieces")
    if look == Wanted():
        found = found.filter(sets=None, series=None)
    for word in look.word.split():
        found = found.filter(Q(filename__icontains=word) | Q(tags__icontains=word))
    return [item for item in found if _fits(item, look)]


def _fits(source: Source, look: Wanted) -> bool:
    if look.role and source.role != look.role:
        return False
    if not look.size and not look.colour:
        return True
    try:
        known = source.facts
    except UnreadableFactsError:  # nothing can be said of it, as of a mesh
        return False
    if look.size and max(known.columns, known.rows) < look.size:
        return False
    if look.colour:
        return colour_family(known.hue, known.chroma, known.lightness) == look.colour
    return True
