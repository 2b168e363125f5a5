from django.conf import settings
from django.urls import include, path, re_path

from studio import views
from studio.accounts import account_urls

urlpatterns = [
    *(account_urls() if settings.SHARED else []),
    path("health", views.health, name="health"),
    path("progress/<slug:name>", views.progress, name="progress"),
    re_path(r"^static/(?:[0-9a-f]{8}/)?(?P<name>.+)$", views.moved_file),
    path("", include("studio.shelf.urls")),
    path("", include("studio.supplier.urls")),
    path("", include("studio.rig.urls")),
    path("", include("studio.bench.urls")),
    path("", include("studio.deliveries.urls")),
    path("", include("studio.recipes.urls")),
]

handler400 = "studio.views.not_taken"
handler404 = "studio.views.not_found"
handler500 = "studio.views.broken"
