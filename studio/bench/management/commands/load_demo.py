"""Puts the demo pieces on the shelf, each once; what the artist made or changed is never touched."""

from collections.abc import Callable

from django.core.management.base import BaseCommand
from django.utils.text import slugify

from relief.errors import ReliefError
from relief.inspect.start import set_from_statistics
from relief.recipe import edits
from relief.run.pipeline import Pipeline
from studio.bench.beginning import begin_piece, begin_piece_of_set, start_anew
from studio.bench.models import Revision
from studio.middleware import the_artist
from studio.shelf.demo import driftwood, from_nothing, in_space, oyster_plaster, scallops, tin_ceiling
from studio.shelf.engine import get_engine
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece, Source, read_source
from studio.shelf.series import gather_series
from studio.shelf.sets import gather_sets


class Command(BaseCommand):
    """The command that Django finds here."""

    help = __doc__

    def handle(self, *args, **options):
        artist = the_artist()
        pieces: dict[str, Callable] = {
            tin_ceiling.TITLE: self.tin_ceiling,
            oyster_plaster.TITLE: self.oyster_plaster,
            in_space.DUNES: self.dunes,
            in_space.BOLLARD: self.bollard,
            in_space.COLUMN: self.column,
            from_nothing.NET: self.net,
            from_nothing.SAND_COURT: self.sand_court,
            scallops.TITLE: self.scallops,
            driftwood.TITLE: self.driftwood,
        }
        for title, make in pieces.items():
            name = slugify(title)
            if not Piece.objects.filter(owner=artist, demo=name).exists():
                self.stdout.write(f"Making the demo piece “{title}” …")
                try:
                    make(artist, name)
                except ReliefError as problem:  # the others are made all the same
                    self.stderr.write(f"“{title}” could not be made. {problem}")

    def driftwood(self, artist, name):
        """The photo, read by its light."""
        source = keep_source(artist, driftwood.FILENAME, driftwood.picture())
        piece = begin_piece(
            source, driftwood.TITLE, {"footprint.width": driftwood.WIDTH}, remark=driftwood.REMARK, demo=name,
            guide=driftwood.GUIDE,
        )  # fmt: skip
        start_anew(piece, 1, driftwood.READING)
        gather_series([keep_source(artist, *file) for file in driftwood.series().items()])

    def scallops(self, artist, name):
        """The scan, with the maps that a glTF material wants beside its normals, in one picture."""
        source = keep_source(artist, scallops.FILENAME, scallops.picture())
        piece = begin_piece(
            source, scallops.TITLE, scallops.CHANGES, remark=scallops.REMARK, demo=name, guide=scallops.GUIDE
        )
        self.work_through(
            piece,
            lambda relief: edits.add_map(relief, "occlusion"),
            lambda relief: edits.add_map(relief, "roughness"),
            lambda relief: edits.add_pack(relief, "gltf"),
        )

    def sand_court(self, artist, name):
        recipe = from_nothing.sand_court(read_source, get_engine())
        self.keep(artist, from_nothing.SAND_COURT, recipe, "noise and pattern", name, from_nothing.SAND_COURT_GUIDE)

    def net(self, artist, name):
        recipe = from_nothing.net(read_source, get_engine())
        self.keep(artist, from_nothing.NET, recipe, "pattern over sand", name, from_nothing.NET_GUIDE)

    def column(self, artist, name):
        recipe = in_space.column(read_source, get_engine())
        self.keep(artist, in_space.COLUMN, recipe, "two reliefs", name, in_space.COLUMN_GUIDE)

    def bollard(self, artist, name):
        source = keep_source(artist, in_space.BOLLARD_FILE, in_space.bollard_file())
        recipe = in_space.bollard(read_source, get_engine(), source.reference)
        self.keep(artist, in_space.BOLLARD, recipe, "own mesh", name, in_space.BOLLARD_GUIDE)

    def dunes(self, artist, name):
        recipe = in_space.dunes(read_source, get_engine())
        self.keep(artist, in_space.DUNES, recipe, "10 km", name, in_space.DUNES_GUIDE)

    def keep(self, artist, title, recipe, remark, name, guide):
        """A piece of a recipe alone."""
        Revision.objects.keep_first(artist, title, recipe, remark=remark, demo=name, guide=guide)

    def oyster_plaster(self, artist, name):
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

    def tin_ceiling(self, artist, name):
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
        self.work_through(
            piece,
            lambda relief: edits.add_treatment(relief, "crop", **tin_ceiling.CROP),
            lambda relief: (set_from_statistics(Pipeline(relief, sources, read_source), get_engine()), "Started off"),
            lambda relief: edits.add_treatment(relief, "close_seam", way="cut", band=tin_ceiling.BAND),
        )

    def work_through(self, piece: Piece, *steps: Callable) -> None:
        """Changes a piece step by step, so that each can be undone."""
        for number, step in enumerate(steps, start=1):
            Revision.objects.edit_relief(piece, number, step)
