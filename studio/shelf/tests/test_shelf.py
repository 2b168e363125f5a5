"""Things on the shelf are found, tagged, removed and put back."""

from django.contrib.auth import get_user_model
from django.urls import reverse

from studio.bench.beginning import begin_piece
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.models import TextureSet
from studio.shelf.search import colour_family
from studio.shelf.sets import gather_sets
from studio.shelf.tests.case import ShelfTestCase, grey, set_files


class ShelfPageTests(ShelfTestCase):
    def setUp(self):
        super().setUp()
        artist = the_artist()
        gather_sets([keep_source(artist, name, data) for name, data in set_files().items()])
        self.source = keep_source(artist, "harbour wall.png", grey(40))
        self.piece = begin_piece(self.source, "Harbour wall")

    def find(self, **query) -> str:
        return self.client.get("/", query, headers={"hx-request": "true"}).content.decode()

    def test_an_empty_shelf_says_what_to_do_first(self):
        for item in (self.piece, self.source, TextureSet.objects.get()):
            kind = {"Piece": "piece", "Source": "source", "TextureSet": "set"}[type(item).__name__]
            self.client.post(reverse("shelf:remove", args=[kind, item.pk]))
        self.assertContains(self.client.get("/"), "Drop a picture on this page")

    def test_found_by_word_role_colour_size_and_tag(self):
        self.assertIn("Dune", self.find(q="dune"))
        self.assertNotIn("Harbour wall", self.find(q="dune"))
        self.assertIn("Harbour wall", self.find(q="wall harb"))
        self.assertIn("dune_normal.png", self.find(role="normal"))
        self.assertNotIn("dune_height.png", self.find(role="normal"))
        self.assertIn("dune_colour.png", self.find(colour="orange"))
        self.assertNotIn("harbour wall.png", self.find(colour="orange"))
        self.assertIn("Nothing on the shelf matches", self.find(size="4096"))
        self.client.post(reverse("shelf:tag", args=["source", self.source.pk]), {"tags": "wet, north wet"})
        self.source.refresh_from_db()
        self.assertEqual(self.source.tags, "wet north")
        self.assertIn("harbour wall.png", self.find(q="north"))
        self.assertIn("Harbour wall", self.find(role="x" * 500, colour="<b>", size="-1"))

    def test_what_is_used_says_so_and_a_removal_is_undone(self):
        self.assertContains(self.client.get("/"), "in 1 piece")
        address = reverse("shelf:remove", args=["source", self.source.pk])
        gone = self.client.post(address, headers={"hx-request": "true"})
        self.assertContains(gone, "It is used by “Harbour wall”")
        self.assertNotContains(self.client.get("/"), "harbour wall.png")
        self.assertEqual(self.client.get(reverse("bench:preview", args=[self.piece.pk]), {"base": 1}).status_code, 200)
        self.client.post(reverse("shelf:put-back", args=["source", self.source.pk]))
        self.assertContains(self.client.get("/"), "harbour wall.png")

    def test_a_picture_that_was_removed_comes_back_when_it_comes_in_again(self):
        self.client.post(reverse("shelf:remove", args=["source", self.source.pk]))
        keep_source(the_artist(), "again.png", grey(40))
        self.assertContains(self.client.get("/"), "harbour wall.png")

    def test_another_artists_things_are_not_found(self):
        other = get_user_model().objects.create(username="somebody-else")
        theirs = keep_source(other, "theirs.png", grey(99))
        for name in ("source", "pixels", "swatch"):
            self.assertEqual(self.client.get(reverse(f"shelf:{name}", args=[theirs.pk])).status_code, 404)
        for name in ("remove", "put-back", "tag"):
            self.assertEqual(self.client.post(reverse(f"shelf:{name}", args=["source", theirs.pk])).status_code, 404)
        self.assertNotContains(self.client.get("/"), "theirs.png")

    def test_colours_have_their_everyday_names(self):
        """Hues as on the usual colour wheel; common practice, no source."""
        for hue, chroma, lightness, name in (
            (0, 0.8, 0.4, "red"), (30, 0.6, 0.6, "orange"), (30, 0.3, 0.3, "brown"), (58, 0.7, 0.6, "yellow"),
            (120, 0.5, 0.3, "green"), (220, 0.5, 0.5, "blue"), (290, 0.4, 0.5, "violet"), (350, 0.6, 0.5, "red"),
            (77, 0.01, 0.5, "grey"), (77, 0.01, 0.05, "black"), (77, 0.01, 0.95, "white"),
        ):  # fmt: skip
            self.assertEqual(colour_family(hue, chroma, lightness), name)
