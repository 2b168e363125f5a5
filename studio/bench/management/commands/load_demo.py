"""Puts the demo pieces on the shelf, each once; what the artist made or changed is never touched."""

from django.core.management.base import BaseCommand

from studio.bench.demo_pieces import make_missing
from studio.middleware import the_artist


class Command(BaseCommand):
    """The command that Django finds here."""

    help = __doc__

    def handle(self, *args, **options):
        for title, problem in make_missing(the_artist()):
            if problem:
                self.stderr.write(problem)
            else:
                self.stdout.write(f"Making the demo piece “{title}” …")
