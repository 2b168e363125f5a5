"""The demo pieces, each made once; what the artist made or changed is never touched."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from django.contrib.auth.models import AbstractBaseUser
from django.utils.text import slugify

from relief.errors import ReliefError
from relief.inspect.start import set_from_statistics
from relief.recipe import map_edits, treatment_edits
from relief.run.pipeline import Pipeline
from studio.bench.beginning import begin_piece, begin_piece_of_set, start_anew
from studio.bench.models import Revision
from studio.shelf.demo import driftwood, from_nothing, in_space, oyster_plaster, scallops, tin_ceiling
from studio.shelf.engine import get_engine
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece, Source, read_source
from studio.shelf.series import gather_series
from studio.shelf.sets import gather_sets


def list_missing(artist: AbstractBaseUser) -> list[str]:
    """The titles of the demo pieces that this artist has not, or no longer."""
    there = set(Piece.objects.filter(owner=artist).exclude(demo="").values_list("demo", flat=True))
    return [title for title in PIECES if slugify(title) not in there]


def make_missing(artist: AbstractBaseUser) -> Iterator[tuple[str, str]]:
    """Makes the demo pieces that are missing one by one.

    Yields:
        The title of each before it is made; and afterwards, with what went wrong, that of one that could not be made.
    """
    for title in list_missing(artist):
        yield title, ""
        try:
            PIECES[title](artist, slugify(title))
        except ReliefError as problem:  # the others are made all the same
            yield title, f"“{title}” could not be made. {problem}"


def _make_driftwood(artist, name):
    """The photo, read by its light."""
    source = keep_source(artist, driftwood.FILENAME, driftwood.picture())
    piece = begin_piece(
        source, driftwood.TITLE, {"footprint.width": driftwood.WIDTH}, remark=driftwood.REMARK, demo=name,
        guide=driftwood.GUIDE,
    )  # fmt: skip
    start_anew(piece, 1, driftwood.READING)
    gather_series([keep_source(artist, *file) for file in driftwood.series().items()])


def _make_scallops(artist, name):
    """The scan, with the maps that a glTF material wants beside its normals, in one picture."""
    source = keep_source(artist, scallops.FILENAME, scallops.picture())
    piece = begin_piece(
        source, scallops.TITLE, scallops.CHANGES, remark=scallops.REMARK, demo=name, guide=scallops.GUIDE
    )
    _work_through(
        piece,
        lambda relief: map_edits.add_map(relief, "occlusion"),
        lambda relief: map_edits.add_map(relief, "roughness"),
        lambda relief: map_edits.add_pack(relief, "gltf"),
    )


def _make_sand_court(artist, name):
    recipe = from_nothing.sand_court(read_source, get_engine())
    _keep(artist, from_nothing.SAND_COURT, recipe, "noise and pattern", name, from_nothing.SAND_COURT_GUIDE)


def _make_net(artist, name):
    recipe = from_nothing.net(read_source, get_engine())
    _keep(artist, from_nothing.NET, recipe, "pattern over sand", name, from_nothing.NET_GUIDE)


def _make_column(artist, name):
    recipe = in_space.column(read_source, get_engine())
    _keep(artist, in_space.COLUMN, recipe, "two reliefs", name, in_space.COLUMN_GUIDE)


def _make_bollard(artist, name):
    source = keep_source(artist, in_space.BOLLARD_FILE, in_space.bollard_file())
    recipe = in_space.bollard(read_source, get_engine(), source.reference)
    _keep(artist, in_space.BOLLARD, recipe, "own mesh", name, in_space.BOLLARD_GUIDE)


def _make_dunes(artist, name):
    recipe = in_space.dunes(read_source, get_engine())
    _keep(artist, in_space.DUNES, recipe, "10 km", name, in_space.DUNES_GUIDE)


def _keep(artist, title, recipe, remark, name, guide):
    """A piece of a recipe alone."""
    Revision.objects.keep_first(artist, title, recipe, remark=remark, demo=name, guide=guide)


def _make_oyster_plaster(artist, name):
    sources = [keep_source(artist, *file) for file in oyster_plaster.files().items()]
    # the mistake in the normal map is there to be found, so the app does not mend it on the way in
    Source.objects.filter(pk__in=[source.pk for source in sources]).update(green="up")
    sets, _ = gather_sets(Source.objects.filter(pk__in=[source.pk for source in sources]))
    begin_piece_of_set(
        sets[0],
        oyster_plaster.CHANGES,
        oyster_plaster.TITLE,
        remark=oyster_plaster.REMARK,
        demo=name,
        guide=oyster_plaster.GUIDE,
    )


def _make_tin_ceiling(artist, name):
    """The photo, then step by step what makes a clean tile of it; each step can be undone."""
    source = keep_source(artist, tin_ceiling.FILENAME, tin_ceiling.picture())
    piece = begin_piece(
        source,
        tin_ceiling.TITLE,
        tin_ceiling.CHANGES,
        remark=tin_ceiling.REMARK,
        demo=name,
        guide=tin_ceiling.GUIDE,
    )
    sources = {"picture": source.reference}
    _work_through(
        piece,
        lambda relief: treatment_edits.add_treatment(relief, "crop", **tin_ceiling.CROP),
        lambda relief: (set_from_statistics(Pipeline(relief, sources, read_source), get_engine()), "Started off"),
        lambda relief: treatment_edits.add_treatment(relief, "close_seam", way="cut", band=tin_ceiling.BAND),
    )


def _work_through(piece: Piece, *steps: Callable) -> None:
    """Changes a piece step by step, so that each can be undone."""
    for number, step in enumerate(steps, start=1):
        Revision.objects.edit_relief(piece, number, step)


PIECES: dict[str, Callable[[AbstractBaseUser, str], None]] = {
    tin_ceiling.TITLE: _make_tin_ceiling,
    oyster_plaster.TITLE: _make_oyster_plaster,
    in_space.DUNES: _make_dunes,
    in_space.BOLLARD: _make_bollard,
    in_space.COLUMN: _make_column,
    from_nothing.NET: _make_net,
    from_nothing.SAND_COURT: _make_sand_court,
    scallops.TITLE: _make_scallops,
    driftwood.TITLE: _make_driftwood,
}
"""How each is made for an artist, by its title."""
