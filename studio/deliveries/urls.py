from django.urls import path

from studio.deliveries import posts, stills, views

app_name = "deliveries"
urlpatterns = [
    path("piece/<int:pk>/deliveries", views.deliveries, name="deliveries"),
    path("piece/<int:pk>/deliveries/start", views.start, name="start"),
    path("delivery/<int:pk>/cancel", views.cancel, name="cancel"),
    path("delivery/<int:pk>/download", views.download, name="download"),
    path("delivery/<int:pk>/files", views.list_files, name="files"),
    path("delivery/<int:pk>/file/<str:filename>", views.one_file, name="file"),
    path("delivery/<int:pk>/receive", views.receive, name="receive"),
    path("delivery/<int:pk>/<slug:which>.png", views.arrives, name="arrives"),
    path("piece/<int:pk>/delivery", views.panel, name="panel"),
    path("piece/<int:pk>/delivery/change", posts.change, name="change"),
    path("piece/<int:pk>/builds", views.builds, name="builds"),
    path("piece/<int:pk>/builds/list", views.list_builds, name="list-builds"),
    path("piece/<int:pk>/builds/start", views.start_build, name="start-build"),
    path("build/<int:pk>/cancel", views.cancel_build, name="cancel-build"),
    path("build/<int:pk>/<str:filename>", views.download_build, name="download-build"),
    path("piece/<int:pk>/stills", stills.stills, name="stills"),
    path("piece/<int:pk>/stills/list", stills.list_stills, name="list-stills"),
    path("piece/<int:pk>/stills/start", stills.start_still, name="start-still"),
    path("still/<int:pk>/cancel", stills.cancel_still, name="cancel-still"),
    path("still/<int:pk>/first", stills.draw_first, name="draw-first"),
    path("still/<int:pk>/compare", stills.compare_stills, name="compare-stills"),
    path("still/<int:pk>/picture", stills.picture, name="still-picture"),
    path("still/<int:pk>/draft.png", stills.draft, name="still-draft"),
    path("still/<int:pk>/download", stills.download_still, name="download-still"),
]
