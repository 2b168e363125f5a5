"""What who runs a shared studio sees of it in Django's own pages: pieces, what is made of them, and whose they are."""

from django.contrib import admin

from studio.deliveries.models import Build, Job, Still
from studio.shelf.models import Piece


@admin.register(Piece)
class PieceAdmin(admin.ModelAdmin):
    """Pieces and their owners."""

    list_display = ("title", "owner", "touched", "removed")
    list_filter = ("owner",)
    search_fields = ("title",)
    readonly_fields = ("sources",)


@admin.register(Job, Build, Still)
class MadeAdmin(admin.ModelAdmin):
    """Bundles, final meshes and stills: who ordered them and how they stand."""

    list_display = ("__str__", "owner", "state", "made", "size")
    list_filter = ("state", "owner")
    readonly_fields = ("revision",)
