from django.urls import path

from shelf import views

app_name = "shelf"
urlpatterns = [path("", views.shelf, name="shelf")]
