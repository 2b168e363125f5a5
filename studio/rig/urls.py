from django.urls import path

from studio.rig import views

app_name = "rig"
urlpatterns = [
    path("rig/", views.rig, name="rig"),
    path("rig/shoots", views.shoots, name="shoots"),
    path("rig/shoot", views.start, name="start"),
    path("rig/shoot/<int:pk>/cancel", views.cancel, name="cancel"),
]
