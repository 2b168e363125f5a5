"""Puts the demo pieces on the shelf, each once; what the artist made or changed is never touched."""

from django.core.management.base import BaseCommand
from django.utils.text import slugify

from bench.models import Revision
from shelf.demo import scallops, tin_ceiling
from shelf.models import Piece, Source
from studio.middleware import the_artist

PIECES = (tin_ceiling, scallops)


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args, **options):
        artist = the_artist()
        for piece in PIECES:
            name = slugify(piece.TITLE)
            if Piece.objects.filter(owner=artist, demo=name).exists():
                continue
            self.stdout.write(f"Making the demo piece “{piece.TITLE}” …")
            source = Source.objects.keep(artist, piece.FILENAME, piece.picture())
            Revision.objects.begin(source, piece.TITLE, piece.CHANGES, remark=piece.REMARK, demo=name)
