"""Reading requests: whatever does not name something of ours is a 404."""

from __future__ import annotations

import math
from collections.abc import Mapping

from django.http import Http404, HttpRequest, QueryDict
from django.shortcuts import get_object_or_404

from relief.errors import ReliefError
from relief.figures import UNITS
from relief.inspect.section import Point
from relief.recipe.recipe import MAIN
from relief.recipe.relief import Relief
from studio.bench.models import Proof, Revision
from studio.bench.pages.steps import BY_NAME, Step
from studio.shelf.models import Piece, Share


def piece_and_share(request: HttpRequest, pk: int) -> tuple[Piece, Share | None]:
    """The artist's piece, or one that is shared with the artist and how; any other is not found."""
    found = get_object_or_404(Piece.objects.select_related("owner"), pk=pk)
    if found.owner_id == request.artist.pk:
        return found, None
    return found, get_object_or_404(Share, piece=found, piece__removed=None, artist=request.artist)


def piece_of(request: HttpRequest, pk: int) -> Piece:
    """The artist's piece or one that is shared with the artist, showing the relief that the page shows; any other is
    not found.

    Raises:
        ReliefError: something is to be changed of a piece that is shared to look at.
    """
    found, share = piece_and_share(request, pk)
    if share and not share.may_work and request.method not in ("GET", "HEAD"):
        raise ReliefError(f"{found.owner} shares this piece with you for viewing only. Copy it to work on it.")
    found.shown = read_question(request).get("relief", MAIN)
    return found


def own_piece(request: HttpRequest, pk: int) -> Piece:
    """A piece that the artist owns; one that is shared with the artist is not found."""
    return get_object_or_404(Piece, pk=pk, owner=request.artist)


def revision_of(piece: Piece, number: str | int | None) -> Revision:
    """The revision of a piece that a request names."""
    try:
        return Revision.objects.of(piece, whole_number(number))
    except Revision.DoesNotExist:
        raise Http404 from None


def proof_of(piece: Piece, number: str | int | None) -> Proof:
    """The proof of a piece that was kept of a revision."""
    found = Proof.objects.select_related("revision")
    proof = get_object_or_404(found, revision__piece=piece, revision__number=whole_number(number))
    proof.revision.piece = piece
    return proof


def step_of(name: str | None) -> Step:
    """The step a request comes from."""
    if name not in BY_NAME:
        raise Http404
    return BY_NAME[name]


def whole_number(text: str | int | None, least: int = 1) -> int:
    """A whole number, above zero unless less will do."""
    try:
        number = int(text)
    except (TypeError, ValueError):
        raise Http404 from None
    if not least <= number < 2**31:
        raise Http404
    return number


def layer_of(values: QueryDict, relief: Relief) -> int:
    """The layer that a page has chosen; the top one when it has gone."""
    text = values.get("layer", "")
    chosen = int(text) if text.isdecimal() and len(text) < 4 else 0
    return min(chosen, len(relief.layers) - 1)


def draft_of(request: HttpRequest) -> dict[str, str]:
    """The changes that are tried out and not kept: parameters named `d.` and their path. Drawn ones may be posted."""
    return in_mm({name[2:]: value for name, value in read_question(request).items() if name.startswith("d.")})


def in_mm(values: Mapping[str, str]) -> dict[str, str]:
    """Values by their paths, from those of a form; a length in another unit has it behind its path: `width@cm`."""
    found = {}
    for name, value in values.items():
        path, _, unit = name.partition("@")
        try:
            found[path] = f"{float(value) * UNITS[unit]:.12g}" if unit else value
        except ValueError:
            found[path] = value  # complained about where it is taken
        except KeyError:
            raise Http404 from None
    return found


def read_question(request: HttpRequest) -> QueryDict:
    """What a preview is asked with: in the address, or posted when it is long."""
    return request.POST if request.method == "POST" else request.GET


def line_of(request: HttpRequest) -> tuple[Point, Point]:
    """The ends of the section line from `x,y,x,y`, each 0 to 1."""
    x, y, other_x, other_y = _parts(read_question(request).get("section", "0,0.5,1,0.5"), 4)
    return (x, y), (other_x, other_y)


def window_of(request: HttpRequest) -> tuple[float, ...]:
    """A window of the relief from `left,top,right,bottom`, each 0 to 1."""
    left, top, right, bottom = _parts(read_question(request).get("part", ""), 4)
    if left >= right or top >= bottom:
        raise Http404
    return left, top, right, bottom


def place_of(request: HttpRequest) -> tuple[float, ...]:
    """A place of the relief from `x` and `y`, each 0 to 1."""
    return _parts(f"{request.GET.get('x', '')},{request.GET.get('y', '')}", 2)


def numbers_in(text: str, count: int) -> tuple[float, ...] | None:
    """Numbers with commas between them; none where it is anything else."""
    try:
        numbers = tuple(float(part) for part in text.split(","))
    except ValueError:
        return None
    return numbers if len(numbers) == count and all(map(math.isfinite, numbers)) else None


def point_in(text: str) -> tuple[float, float, float] | None:
    """Three numbers with commas between them, none too far away to count; nothing where it is anything else."""
    numbers = numbers_in(text, 3)
    if numbers is None or max(map(abs, numbers)) >= 1e12:
        return None
    x, y, z = numbers
    return x, y, z


def _parts(text: str, count: int) -> tuple[float, ...]:
    """Numbers from 0 to 1 with commas between."""
    parts = numbers_in(text, count)
    if parts is None or not all(0 <= part <= 1 for part in parts):
        raise Http404
    return parts
