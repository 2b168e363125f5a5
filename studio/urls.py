from django.urls import include, path

from studio import views

urlpatterns = [
    path("progress/<slug:name>", views.progress, name="progress"),
    path("", include("shelf.urls")),
    path("", include("catalogue.urls")),
    path("", include("rig.urls")),
    path("", include("bench.urls")),
    path("", include("jobs.urls")),
]

handler400 = "studio.views.not_taken"
handler404 = "studio.views.not_found"
handler500 = "studio.views.broken"
