from django.urls import path

from studio.supplier import views

app_name = "supplier"
urlpatterns = [
    path("catalogue/", views.catalogue, name="catalogue"),
    path("catalogue/order/<int:pk>/cancel", views.cancel, name="cancel"),
    path("catalogue/<slug:key>/", views.texture, name="texture"),
    path("catalogue/<slug:key>/small.png", views.small, name="small"),
    path("catalogue/<slug:key>/orders", views.orders, name="orders"),
    path("catalogue/<slug:key>/take", views.take, name="take"),
    path("catalogue/<slug:key>/<slug:role>", views.preview, name="preview"),
]
