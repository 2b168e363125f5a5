"""One unit for all lengths of a piece: chosen by its size, changed in one place, and never in what is kept."""

from studio.bench.tests.case import StudioTestCase


class UnitTests(StudioTestCase):
    def ground(self, **values):
        """A piece of 10 km."""
        piece = self.piece()
        self.change(piece, **{"footprint.width": 1e7, "footprint.height": 1e7, "amplitude": 250_000}, **values)
        piece.refresh_from_db()
        return piece

    def change(self, piece, **values):
        piece.refresh_from_db()
        return self.post("bench:change", piece, piece.position, **values)

    def test_a_small_piece_is_in_mm_and_ten_kilometres_in_m(self):
        page = self.client.get(f"/piece/{self.piece().pk}/relief/")
        self.assertContains(page, 'data-unit="mm"')
        self.assertContains(page, 'name="amplitude"')
        piece = self.ground()
        page = self.client.get(f"/piece/{piece.pk}/relief/")
        self.assertContains(page, 'data-unit="m" data-per="1000.0"')
        self.assertContains(page, 'id="control-amplitude-m" value="250"')
        self.assertContains(page, 'id="section-amplitude" value="250"')
        self.assertNotContains(page, '<span class="unit">mm</span>')

    def test_readings_and_findings_are_in_the_same(self):
        piece = self.ground()
        answer = self.get("bench:measured", piece, base=piece.position, step="relief")
        self.assertRegex(answer.content.decode(), r"Sq</dt><dd>[0-9.]+\N{NO-BREAK SPACE}m<")
        self.assertNotContains(answer, "\N{NO-BREAK SPACE}mm")
        self.assertNotContains(answer, "\N{NO-BREAK SPACE}km")

    def test_it_is_changed_in_one_place_and_nothing_else_changes(self):
        piece = self.ground()
        before = self.recipe(piece)
        self.change(piece, **{"surface.unit": "km"})
        piece.refresh_from_db()
        page = self.client.get(f"/piece/{piece.pk}/relief/")
        self.assertContains(page, 'id="control-amplitude-km" value="0.25"')
        after = self.recipe(piece)
        self.assertEqual(after.main, before.main)
        self.change(piece, **{"amplitude@km": "0.3"})
        piece.refresh_from_db()
        self.assertEqual(self.recipe(piece).main.amplitude, 300_000)

    def test_the_next_page_is_in_its_own(self):
        piece, small = self.ground(), self.piece(filename="small.png")
        for _ in range(2):
            self.assertContains(self.client.get(f"/piece/{piece.pk}/relief/"), 'data-unit="m"')
            page = self.get("bench:measured", small, base=small.position, step="relief")
            self.assertContains(page, "\N{NO-BREAK SPACE}mm")
