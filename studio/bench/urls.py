from django.urls import path, register_converter
from django.urls.converters import StringConverter

from studio.bench import kept_views, sharing
from studio.bench.pages import measured, proofs, trials, views
from studio.bench.pages.steps import BY_NAME
from studio.bench.pixels import solid, stage, swatches
from studio.bench.posts import changes, surface


class StepConverter(StringConverter):
    """The name of one of the five steps."""

    regex = "|".join(BY_NAME)


class WayConverter(StringConverter):
    """What stands out: what is bright, or what is dark."""

    regex = "bright|dark"


register_converter(StepConverter, "step")
register_converter(WayConverter, "way")

app_name = "bench"
urlpatterns = [
    path("pieces", views.begin, name="begin"),
    path("series/task/<int:pk>/take", views.take_measured, name="take-measured"),
    path("series/<int:pk>/measure", views.measure_lit_series, name="measure-series"),
    path("piece/<int:pk>/", views.piece, name="piece"),
    path("piece/<int:pk>/<step:name>/", views.step, name="step"),
    path("piece/<int:pk>/go-to-fitting", views.go_to_fitting, name="go-to-fitting"),
    path("piece/<int:pk>/change", changes.change, name="change"),
    path("piece/<int:pk>/treatments", changes.treatments, name="treatments"),
    path("piece/<int:pk>/layers", changes.layers, name="layers"),
    path("piece/<int:pk>/maps/change", changes.maps, name="change-maps"),
    path("piece/<int:pk>/surface/change", surface.surface, name="change-surface"),
    path("piece/<int:pk>/views", kept_views.kept_views, name="kept-views"),
    path("piece/<int:pk>/views/keep", kept_views.keep_view, name="keep-view"),
    path("piece/<int:pk>/views/remove", kept_views.remove_view, name="remove-view"),
    path("piece/<int:pk>/shares", sharing.shares, name="shares"),
    path("piece/<int:pk>/share", sharing.share, name="share"),
    path("piece/<int:pk>/share/end", sharing.end_share, name="end-share"),
    path("piece/<int:pk>/copy", sharing.copy, name="copy"),
    path("piece/<int:pk>/heal", changes.heal, name="heal"),
    path("piece/<int:pk>/invert", changes.invert_ground, name="invert"),
    path("piece/<int:pk>/<int:number>/<way:way>.png", swatches.way_picture, name="way-picture"),
    path("piece/<int:pk>/start-off", changes.start_off, name="start-off"),
    path("piece/<int:pk>/close-guide", changes.close_guide, name="close-guide"),
    path("piece/<int:pk>/mend", changes.mend, name="mend"),
    path("piece/<int:pk>/set-aside", measured.set_aside, name="set-aside"),
    path("piece/<int:pk>/undo", changes.undo, name="undo"),
    path("piece/<int:pk>/redo", changes.redo, name="redo"),
    path("piece/<int:pk>/revisions", views.revisions, name="revisions"),
    path("piece/<int:pk>/go-to", changes.go_to, name="go-to"),
    path("piece/<int:pk>/back-to-proof", changes.back_to_proof, name="back-to-proof"),
    path("piece/<int:pk>/proofs", proofs.proofs, name="proofs"),
    path("piece/<int:pk>/proofs/keep", proofs.keep, name="keep-proof"),
    path("piece/<int:pk>/proofs/name", proofs.name, name="name-proof"),
    path("piece/<int:pk>/proofs/remove", proofs.remove, name="remove-proof"),
    path("piece/<int:pk>/proofs/<int:number>.json", proofs.recipe, name="proof-recipe"),
    path("piece/<int:pk>/differences", proofs.differences, name="differences"),
    path("piece/<int:pk>/trial", trials.trial, name="trial"),
    path("piece/<int:pk>/trial/choose", trials.choose, name="trial-choose"),
    path("piece/<int:pk>/trial/sheet", trials.sheet, name="trial-sheet"),
    path("piece/<int:pk>/measured", measured.measured, name="measured"),
    path("piece/<int:pk>/adviser", measured.adviser, name="adviser"),
    path("piece/<int:pk>/facts", measured.facts, name="facts"),
    path("piece/<int:pk>/preview", stage.preview, name="preview"),
    path("piece/<int:pk>/value", stage.value, name="value"),
    path("gallery/shape-<slug:kind>.png", swatches.shape_picture, name="shape-picture"),
    path("gallery/<slug:kind>.png", swatches.gallery_picture, name="gallery"),
    path("gallery/<slug:kind>.json", swatches.gallery_section, name="gallery-section"),
    path("pieces/from-nothing", views.begin_from_nothing, name="from-nothing"),
    path("piece/<int:pk>/repeats", measured.repeats, name="repeats"),
    path("curve.json", measured.curve, name="curve"),
    path("piece/<int:pk>/histogram", measured.heights, name="histogram"),
    path("piece/<int:pk>/surface-mesh", solid.mesh, name="mesh"),
    path("piece/<int:pk>/between-texels/<slug:sampling>.png", solid.between_texels, name="between-texels"),
    path("piece/<int:pk>/surface-section", solid.section, name="surface-section"),
    path("piece/<int:pk>/swatch/<int:number>.png", swatches.swatch_picture, name="swatch"),
]
