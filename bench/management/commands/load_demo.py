"""Puts the demo pieces on the shelf, each once; what the artist made or changed is never touched."""

from collections.abc import Callable

from django.core.management.base import BaseCommand
from django.utils.text import slugify

from bench.models import Revision
from relief.inspect.start import started
from relief.recipe import edits
from relief.run.pipeline import Pipeline
from shelf.demo import from_nothing, oyster_plaster, scallops, tin_ceiling
from shelf.engine import ENGINE
from shelf.models import Piece, Source, read_source
from shelf.sets import gathered
from studio.middleware import the_artist


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args, **options):
        artist = the_artist()
        pieces: dict[str, Callable] = {
            tin_ceiling.TITLE: self.tin_ceiling,
            oyster_plaster.TITLE: self.oyster_plaster,
            from_nothing.NET: self.net,
            from_nothing.SAND_COURT: self.sand_court,
            scallops.TITLE: self.scallops,
        }
        for title, make in pieces.items():
            name = slugify(title)
            if not Piece.objects.filter(owner=artist, demo=name).exists():
                self.stdout.write(f"Making the demo piece “{title}” …")
                make(artist, name)

    def scallops(self, artist, name):
        """The scan, with the maps that a glTF material wants beside its normals, in one picture."""
        source = Source.objects.keep(artist, scallops.FILENAME, scallops.picture())
        piece = Revision.objects.begin(
            source, scallops.TITLE, scallops.CHANGES, remark=scallops.REMARK, demo=name, guide=scallops.GUIDE
        )
        self.work_through(
            piece,
            lambda relief: edits.map_added(relief, "occlusion"),
            lambda relief: edits.map_added(relief, "roughness"),
            lambda relief: edits.pack_added(relief, "gltf"),
        )

    def sand_court(self, artist, name):
        recipe = from_nothing.sand_court(read_source, ENGINE)
        guide = from_nothing.SAND_COURT_GUIDE
        title = from_nothing.SAND_COURT
        Revision.objects.keep_first(artist, title, recipe, remark="noise and pattern", demo=name, guide=guide)

    def net(self, artist, name):
        recipe = from_nothing.net(read_source, ENGINE)
        title, guide = from_nothing.NET, from_nothing.NET_GUIDE
        Revision.objects.keep_first(artist, title, recipe, remark="pattern over sand", demo=name, guide=guide)

    def oyster_plaster(self, artist, name):
        sources = [Source.objects.keep(artist, *file) for file in oyster_plaster.files().items()]
        # the mistake in the normal map is there to be found, so the app does not mend it on the way in
        Source.objects.filter(pk__in=[source.pk for source in sources]).update(green="up")
        sets, _ = gathered(Source.objects.filter(pk__in=[source.pk for source in sources]))
        Revision.objects.begin_set(
            sets[0],
            oyster_plaster.CHANGES,
            oyster_plaster.TITLE,
            remark=oyster_plaster.REMARK,
            demo=name,
            guide=oyster_plaster.GUIDE,
        )

    def tin_ceiling(self, artist, name):
        """The photo, then step by step what makes a clean tile of it; each step can be undone."""
        source = Source.objects.keep(artist, tin_ceiling.FILENAME, tin_ceiling.picture())
        piece = Revision.objects.begin(
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
            lambda relief: edits.added(relief, "crop", **tin_ceiling.CROP),
            lambda relief: (started(Pipeline(relief, sources, read_source), ENGINE), "Started off"),
            lambda relief: edits.added(relief, "close_seam", way="cut", band=tin_ceiling.BAND),
        )

    def work_through(self, piece: Piece, *steps: Callable) -> None:
        """Changes a piece step by step, so that each can be undone."""
        for number, step in enumerate(steps, start=1):
            Revision.objects.edit_relief(piece, number, step)
