from django.urls import path

from studio.recipes import series, shelf

app_name = "recipes"
urlpatterns = [
    path("recipes/", shelf.recipes, name="recipes"),
    path("recipes/file", shelf.bring_file, name="bring-file"),
    path("recipes/pieces", shelf.begin_pieces, name="begin-pieces"),
    path("recipes/start", series.start, name="start"),
    path("recipe/<int:pk>.png", shelf.picture, name="recipe-picture"),
    path("recipe/shipped-<int:number>.png", shelf.shipped_picture, name="shipped-picture"),
    path("recipe/<int:pk>.json", shelf.download, name="download-recipe"),
    path("recipe/<int:pk>/remove", shelf.remove, name="remove-recipe"),
    path("piece/<int:pk>/recipe", shelf.keep, name="keep"),
    path("recipes/series/<int:pk>/", series.series, name="series"),
    path("recipes/series/<int:pk>/state", series.state, name="state"),
    path("recipes/series/<int:pk>/stop", series.stop, name="stop"),
    path("recipes/series/<int:pk>/go-on", series.go_on, name="go-on"),
    path("recipes/series/<int:pk>/again", series.again, name="again"),
    path("recipes/series/<int:pk>/arrivals", series.take_arrivals, name="take-arrivals"),
    path("recipes/series/<int:pk>/remove", series.remove, name="remove-series"),
    path("recipes/item/<int:pk>/out", series.leave_out, name="leave-out"),
    path("recipes/item/<int:pk>/download", series.download, name="download"),
    path("recipes/item/<int:pk>/picture.png", series.picture, name="picture"),
]
