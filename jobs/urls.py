from django.urls import path

from jobs import views

app_name = "jobs"
urlpatterns = [
    path("piece/<int:pk>/deliveries", views.deliveries, name="deliveries"),
    path("piece/<int:pk>/deliveries/start", views.start, name="start"),
    path("delivery/<int:pk>/cancel", views.cancel, name="cancel"),
    path("delivery/<int:pk>/download", views.download, name="download"),
]
