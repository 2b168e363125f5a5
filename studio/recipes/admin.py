"""What who runs a shared studio sees of series in Django's own pages."""

from django.contrib import admin

from studio.recipes.models import Series


@admin.register(Series)
class SeriesAdmin(admin.ModelAdmin):
    """Series and their owners."""

    list_display = ("name", "owner", "profile", "made")
    list_filter = ("owner",)
