"""Every parameter of a piece stands on one of its pages: one that was forgotten would be absent in silence."""

from __future__ import annotations

from collections.abc import Iterator
from unittest import TestCase

from django.urls import reverse

from relief.parameters import Parameters, controls
from relief.recipe.delivery import Delivery
from relief.recipe.layer import Picture
from relief.recipe.relief import CONTENT_PATH, Relief
from relief.surface.mapping import MAPPINGS
from relief.surface.subdivision import Subdivision
from relief.surface.surface import Surface
from relief.surface.tessellation import TESSELLATIONS
from relief.tests.tags import long
from studio.bench.pages.steps import STEPS
from studio.bench.tests.case import StudioTestCase

BY_BUTTONS = {f"{CONTENT_PATH}.reading"}
"""Parameters that are chosen by buttons of the source step."""


def list_labelled(model: type[Parameters], prefix: str = "") -> Iterator[str]:
    """The paths of all parameters of a model, and of those within it, that have a label."""
    for name, field in model.model_fields.items():
        if field.title:
            yield f"{prefix}{name}"
        if isinstance(field.annotation, type) and issubclass(field.annotation, Parameters):
            yield from list_labelled(field.annotation, f"{prefix}{name}.")


class EveryFieldTests(TestCase):
    def test_every_parameter_of_relief_picture_and_delivery_is_on_a_page(self):
        listed = {path for step in STEPS for paths in step.groups.values() for path in paths} | BY_BUTTONS
        wanted = {
            *list_labelled(Relief),
            *list_labelled(Delivery, "delivery."),
            *list_labelled(Picture, f"{CONTENT_PATH}."),
        }
        self.assertGreater(len(wanted), 60)
        self.assertEqual(wanted - listed, set())
        self.assertEqual({path for path in listed if path.endswith(".")}, set())


class EverySurfaceFieldTests(StudioTestCase):
    @long
    def test_every_parameter_of_the_surface_is_set_from_its_page_as_shape_mapping_and_faces_are_chosen(self):
        piece = self.piece()
        text, number = "", 1
        for changes in (
            {"kind": "subdivision", "value": "smooth"},
            *({"action": "tessellation", "kind": kind} for kind in TESSELLATIONS),
            *({"action": "mapping", "kind": kind} for kind in MAPPINGS),
        ):
            path = {"surface.subdivision.kind": "smooth"} if "value" in changes else changes
            name = "bench:change" if "value" in changes else "bench:change-surface"
            self.post(name, piece, number, **path)
            piece.refresh_from_db()
            number = piece.position
            text += self.client.get(reverse("bench:step", args=[piece.pk, "surface"])).content.decode()
        models = (Surface, Subdivision, *TESSELLATIONS.values(), *MAPPINGS.values())
        prefixes = ("surface.", "surface.subdivision.", *["surface.tessellation."] * len(TESSELLATIONS))
        wanted = set()
        for model, prefix in zip(models, (*prefixes, *["surface.mapping."] * len(MAPPINGS)), strict=True):
            wanted |= {f"{prefix}{known.name}" for known in controls(model)}
        missing = {path for path in wanted if path not in text}
        self.assertEqual(missing, set())
