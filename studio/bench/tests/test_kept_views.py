"""Views are kept under a name, replaced, removed, and refused where they are none."""

from unittest import mock

from django.urls import reverse

from studio.bench import kept_views
from studio.bench.models import KeptView
from studio.bench.tests.case import StudioTestCase

WHOLE = {"camera": "10,-200.5,300", "look_at": "0,0,5", "towards": "0.3,0.4,0.866"}


class KeptViewTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.begun = self.piece()

    def keep(self, name="From the gate", **values):
        return self.client.post(reverse("bench:keep-view", args=[self.begun.pk]), {"name": name, **WHOLE, **values})

    def test_one_is_kept_replaced_and_removed(self):
        self.assertContains(self.keep(), 'data-kept-view="10.0,-200.5,300.0"')
        self.keep(camera="1,2,3")
        view = KeptView.objects.get()
        self.assertEqual((view.camera, view.look_at), ([1, 2, 3], [0, 0, 5]))
        page = self.client.post(reverse("bench:remove-view", args=[self.begun.pk]), {"view": view.pk})
        self.assertNotContains(page, "From the gate")
        self.assertEqual(KeptView.objects.count(), 0)

    def test_what_is_none_is_refused(self):
        for values in (
            {"name": "  "}, {"camera": ""}, {"camera": "1,2"}, {"look_at": ""}, {"look_at": "0,inf,0"},
            {"camera": "nan,0,1"}, {"camera": "1e15,0,0"}, {"towards": "0,0,0"}, {"towards": "9,9,9"},
            {"towards": "a,b,c"},
        ):  # fmt: skip
            self.assertEqual(self.keep(**values).status_code, 422, values)
        with mock.patch.object(kept_views, "MOST_VIEWS", 1):
            self.keep()
            self.assertContains(self.keep("Another"), "At most 1", status_code=422)
            self.assertEqual(self.keep().status_code, 200, "its own place is free for it")

    def test_an_odd_row_breaks_nothing(self):
        for camera in ([], [1, 2], "x", None, [1, "a", 3], {"x": 1}):
            KeptView.objects.create(piece=self.begun, name=str(camera), camera=camera or 0, towards=[0, 0, 1])
        self.assertContains(self.keep(), "data-kept-view", count=1)
