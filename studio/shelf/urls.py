from django.urls import path, register_converter
from django.urls.converters import StringConverter

from studio.shelf import views


class KindConverter(StringConverter):
    """A kind of thing on the shelf."""

    regex = "|".join(views.KINDS)


register_converter(KindConverter, "kind")

app_name = "shelf"
urlpatterns = [
    path("", views.shelf, name="shelf"),
    path("preparing", views.preparing, name="preparing"),
    path("sources", views.keep, name="keep"),
    path("arrivals", views.arrivals, name="arrivals"),
    path("arrival/<int:pk>", views.arrival, name="arrival"),
    path("source/<int:pk>/", views.source, name="source"),
    path("source/<int:pk>/assign", views.assign, name="assign"),
    path("source/<int:pk>/pixels", views.pixels, name="pixels"),
    path("source/<int:pk>/swatch.png", views.swatch, name="swatch"),
    path("set/<int:pk>/", views.texture_set, name="set"),
    path("set/<int:pk>/mend", views.mend, name="mend"),
    path("series/<int:pk>/", views.lit_series, name="series"),
    path("series/<int:pk>/lights", views.light_series, name="light-series"),
    path("series/<int:pk>/tasks", views.series_tasks, name="series-tasks"),
    path("series/task/<int:pk>/cancel", views.cancel_task, name="cancel-task"),
    path("series/put-together", views.put_together, name="put-together"),
    path("shelf/<kind:kind>/<int:pk>/tags", views.tag, name="tag"),
    path("shelf/<kind:kind>/<int:pk>/remove", views.remove, name="remove"),
    path("shelf/<kind:kind>/<int:pk>/put-back", views.put_back, name="put-back"),
]
