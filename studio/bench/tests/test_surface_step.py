"""The surface step: shapes, own meshes, mapping, regions, and several reliefs in one piece."""

import io
import json
from unittest import mock

import numpy as np
import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from PIL import Image

from relief.deliver.delivery import delivery_files
from relief.figures import UNITS
from relief.progress import Progress
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.tests.tags import long
from studio.bench.beginning import begin_piece_of_set
from studio.bench.models import Revision
from studio.bench.tests.case import StudioTestCase, unpacked
from studio.middleware import the_artist
from studio.shelf.demo import in_space
from studio.shelf.intake import keep_source
from studio.shelf.models import Source, read_source
from studio.shelf.sets import gather_sets
from studio.shelf.tests.case import set_files


class SurfaceStepTests(StudioTestCase):
    def act(self, piece, action, **values):
        """Does something to the surface of a piece as it stands."""
        piece.refresh_from_db()
        return self.post("bench:change-surface", piece, piece.position, action=action, step="surface", **values)

    def now(self, piece):
        piece.refresh_from_db()
        return self.recipe(piece)

    @long
    def test_a_shape_is_chosen_and_its_parts_become_regions(self):
        piece = self.piece()
        page = self.client.get(f"/piece/{piece.pk}/surface/")
        self.assertContains(page, "All faces carry")
        answer = self.act(piece, "shape", kind="cylinder")
        self.assertContains(answer, "Diameter")
        self.act(piece, "add-region", part="top cap")
        self.act(piece, "carry", number=0, carried="")
        self.act(piece, "mapping", number=0, kind="planar")
        self.act(piece, "toggle-part", number=0, part="bottom cap")
        self.act(piece, "name-region", number=0, name="Both ends")
        region = self.now(piece).surface.regions[0]
        self.assertEqual((region.parts, region.relief, region.name), (("top cap", "bottom cap"), "", "Both ends"))
        self.assertEqual((region.mapping.kind, region.mapping.axis), ("planar", "y"))
        header, arrays = unpacked(self.get("bench:mesh", piece, base=piece.position))
        self.assertEqual(header["region_names"], ["the rest", "Both ends"])
        self.assertEqual(sum(header["region_counts"]), len(arrays["triangles"]))
        ends = np.unique(arrays["triangles"][header["region_counts"][0] :])
        np.testing.assert_allclose(np.abs(arrays["positions"][ends, 1]), 500, atol=1e-2)
        self.act(piece, "remove-region", number=0)
        self.assertEqual(self.now(piece).surface.regions, ())
        self.act(piece, "shape", kind="torus")
        self.assertEqual(self.now(piece).surface.shape.kind, "torus")

    @long
    def test_what_is_not_there_is_refused_and_nothing_is_kept(self):
        piece = self.piece()
        for action, values, status in (
            ("shape", {"kind": "teapot"}, 422), ("mapping", {"kind": "magic"}, 422), ("mapping", {"kind": ""}, 422),
            ("carry", {"carried": "elsewhere"}, 422), ("remove-region", {"number": 3}, 422),
            ("toggle-part", {"part": "all"}, 422), ("remove-relief", {"key": "main"}, 422),
            ("renew-relief", {"key": "main"}, 422), ("add-relief", {"from": "nothing:magic"}, 422),
            ("add-relief", {"from": "source:999"}, 404), ("mesh", {"source": 999}, 404), ("explode", {}, 404),
        ):  # fmt: skip
            with self.subTest(action, **values):
                self.assertEqual(self.act(piece, action, **values).status_code, status)
        self.assertEqual(piece.position, 1)

    @long
    def test_lengths_are_typed_in_another_unit_and_kept_in_mm(self):
        piece = self.piece()
        self.act(piece, "shape", kind="box")
        for unit, scale in UNITS.items():
            piece.refresh_from_db()
            self.post("bench:change", piece, piece.position, step="surface", **{"surface.unit": unit})
            page = self.client.get(f"/piece/{piece.pk}/surface/")
            name = "surface.shape.width" + ("" if unit == "mm" else f"@{unit}")
            self.assertContains(page, f'name="{name}"')
            piece.refresh_from_db()
            self.post("bench:change", piece, piece.position, step="surface", **{name: "0.5"})
            self.assertAlmostEqual(self.now(piece).surface.shape.width, 0.5 * scale, places=6)
        draft = {"d.surface.shape.width@m": "2"}
        header, _ = unpacked(self.get("bench:mesh", piece, base=piece.position, **draft))
        self.assertAlmostEqual(header["size"][0], 2000)
        self.assertEqual(
            self.get("bench:mesh", piece, base=piece.position, **{"d.surface.level@ell": 1}).status_code, 404
        )

    @long
    def test_a_second_relief_is_worked_on_in_place(self):
        piece = self.piece()
        before = self.now(piece).main
        self.act(piece, "add-relief", **{"from": "nothing:rosette"})
        self.assertEqual(sorted(self.now(piece).reliefs), ["main", "rosette"])
        page = self.client.get(f"/piece/{piece.pk}/relief/", {"relief": "rosette"})
        self.assertContains(page, 'data-relief="rosette"')
        piece.refresh_from_db()
        self.post("bench:change", piece, piece.position, relief="rosette", amplitude="12.5")
        self.post("bench:treatments", piece, piece.position + 1, relief="rosette", action="add", kind="invert")
        recipe = self.now(piece)
        self.assertEqual(recipe.main, before)
        rosette = recipe.reliefs["rosette"]
        self.assertEqual((rosette.amplitude, rosette.layers[0].treatments[-1].kind), (12.5, "invert"))
        both = [
            unpacked(self.get("bench:preview", piece, base=piece.position, relief=key))[1]["section"]
            for key in recipe.reliefs
        ]
        self.assertFalse(np.array_equal(*both))
        self.act(piece, "carry", carried="rosette")
        self.act(piece, "remove-relief", key="rosette")
        self.assertEqual((list(self.now(piece).reliefs), self.now(piece).surface.relief), (["main"], ""))

    def test_a_relief_is_copied_in_with_its_sources_and_brought_up_to_date(self):
        there, here = self.piece(), self.piece(filename="other.png")
        self.act(here, "add-relief", **{"from": f"piece:{there.pk}"})
        recipe = self.now(here)
        key = next(key for key in recipe.reliefs if key != "main")
        origin = recipe.reliefs[key].origin
        self.assertEqual((origin.piece, origin.revision), (there.pk, there.position))
        self.assertEqual(recipe.reliefs[key].layers[0].treatments, self.recipe(there).main.layers[0].treatments)
        self.assertTrue(recipe.reliefs[key].source_keys() <= recipe.sources.keys())
        self.post("bench:change", there, there.position, amplitude="33")
        page = self.client.get(f"/piece/{here.pk}/surface/", {"relief": key})
        self.assertContains(page, "has changed since it was copied")
        self.act(here, "renew-relief", key=key)
        self.assertEqual(self.now(here).reliefs[key].amplitude, 33)
        self.assertNotContains(self.client.get(f"/piece/{here.pk}/surface/", {"relief": key}), "has moved on")

    @long
    def test_an_own_mesh_comes_in_is_measured_and_mended(self):
        piece = self.piece()
        file = SimpleUploadedFile("bollard.obj", in_space.bollard_file())
        piece.refresh_from_db()
        answer = self.post("bench:change-surface", piece, piece.position, action="mesh", step="surface", pictures=file)
        self.assertContains(answer, "Inward-facing faces")
        source = Source.objects.get(role="mesh")
        self.assertEqual(source.mesh_facts.groups, ("base", "post", "head"))
        measured = self.get("bench:measured", piece, base=self.now(piece) and piece.position)
        self.assertContains(measured, "Faces reversed")
        inward, outward = [], []
        for found in (inward, outward):
            piece.refresh_from_db()
            _, arrays = unpacked(self.get("bench:mesh", piece, base=piece.position, displaced=0))
            found.append(trimesh.Trimesh(arrays["positions"], arrays["triangles"]).volume)
            self.post("bench:mend", piece, piece.position, finding="reversed")
        self.assertTrue(self.now(piece).surface.shape.outward)
        self.assertGreater(outward[0], inward[0])
        self.assertEqual(self.client.get(reverse("shelf:swatch", args=[source.pk])).status_code, 200)
        self.assertContains(self.client.get(reverse("shelf:shelf")), "bollard.obj")

    @long
    def test_a_broken_mesh_gets_a_sentence_and_leaves_no_source(self):
        piece = self.piece()
        for name, data in (
            ("cut.stl", b"\0" * 200),
            ("empty.obj", b""),
            ("picture.obj", b"\x89PNG"),
            ("x.glb", b"glTF"),
        ):
            piece.refresh_from_db()
            file = SimpleUploadedFile(name, data)
            answer = self.post(
                "bench:change-surface", piece, piece.position, action="mesh", step="surface", pictures=file
            )
            self.assertEqual(answer.status_code, 422, name)
        self.assertFalse(Source.objects.filter(role="mesh").exists())
        self.assertEqual(piece.position, 1)

    @long
    def test_a_companion_is_unlinked_on_purpose_found_and_linked_again(self):
        files = set_files(green="up")
        (texture_set,), _ = gather_sets([keep_source(the_artist(), *file) for file in files.items()])
        piece = begin_piece_of_set(texture_set)
        self.assertContains(self.client.get(f"/piece/{piece.pk}/surface/"), "Colour follows the relief.")
        header, _ = unpacked(self.get("bench:mesh", piece, base=1))
        self.assertEqual(header["colours_laid"], {})
        self.post("bench:change-maps", piece, 1, action="unlink", role="colour")
        self.post("bench:change", piece, 2, step="surface", **{"maps.unlinked.0.across": "3"})
        header, _ = unpacked(self.get("bench:mesh", piece, base=3))
        self.assertEqual(header["colours_laid"], {"main": [3, 0, 0, 0, 2, 0, 0, 0, 1]})
        self.assertContains(self.get("bench:measured", piece, base=3), "Colour is unlinked")
        said = {file.name: file.entry.reading for file in self.delivered(piece)}
        self.assertIn("It is unlinked: it lies 3 x 2 times", said["Dune_colour.png"])
        self.post("bench:mend", piece, 3, finding="unlinked")
        self.assertNotContains(self.get("bench:measured", piece, base=4), "Colour is unlinked")
        self.post("bench:change-maps", piece, 4, action="link", role="colour")
        self.assertEqual(self.now(piece).main.maps.unlinked, ())
        self.assertEqual(self.post("bench:change-maps", piece, 5, action="unlink", role="mask").status_code, 422)

    def delivered(self, piece):
        recipe = self.now(piece)
        return list(delivery_files(recipe, read_source, Engine(), "Dune", Progress()))

    @long
    def test_faces_are_spent_by_a_budget_and_the_adviser_says_what_more_bring(self):
        piece = self.piece()
        self.act(piece, "tessellation", kind="faces")
        self.post("bench:change", piece, 2, step="surface", **{"surface.tessellation.faces": "3000"})
        page = self.client.get(f"/piece/{piece.pk}/surface/")
        self.assertContains(page, 'name="surface.tessellation.faces"')
        header, arrays = unpacked(self.get("bench:mesh", piece, base=3, edges=1))
        self.assertTrue(2940 <= header["faces"] <= 3000)
        self.assertGreater(np.ptp(arrays["stretch"]), 1, "edges are told apart")
        self.assertContains(self.get("bench:measured", piece, base=3, step="surface"), "Detail kept")
        self.assertNotContains(self.get("bench:measured", piece, base=3, step="maps"), "Detail kept")
        with mock.patch("relief.inspect.adviser.MOST", 80_000):
            answer = self.get("bench:adviser", piece, base=3)
        self.assertContains(answer, "Use level")
        self.assertContains(answer, "Use a budget of")
        self.act(piece, "take-faces", kind="levels", count=2)
        surface = self.now(piece).surface
        self.assertEqual((surface.tessellation.kind, surface.level), ("levels", 2))
        self.act(piece, "take-faces", kind="budget", count=5000)
        self.assertEqual(self.now(piece).surface.tessellation.faces, 5000)
        for kind in ("edge", "error", "screen", "levels"):
            self.assertEqual(self.act(piece, "tessellation", kind=kind).status_code, 200, kind)
            self.assertEqual(self.get("bench:mesh", piece, base=piece.position + 1).status_code, 200, kind)
        self.assertEqual(self.act(piece, "tessellation", kind="magic").status_code, 422)
        self.assertEqual(self.act(piece, "take-faces", kind="levels", count=99).status_code, 422)

    @long
    def test_base_edges_are_picked_where_the_surface_is_clicked(self):
        piece = self.piece()
        self.act(piece, "shape", kind="box")
        self.post(
            "bench:change", piece, 2, step="surface", **{"surface.subdivision.kind": "smooth", "surface.level": "3"}
        )
        self.assertContains(self.client.get(f"/piece/{piece.pk}/surface/"), "Pick sharp edges")
        before = unpacked(self.get("bench:mesh", piece, base=3, displaced=0))[1]
        corner = before["positions"].max(axis=0)
        for y in np.linspace(-0.9, 0.9, 7):  # along the upright edge in front, on the right
            self.act(piece, "pick-edge", x=corner[0], y=y * corner[1], z=corner[2])
        picked = self.now(piece).surface.subdivision.picked
        self.assertGreater(len(picked), 1)
        _, arrays = unpacked(self.get("bench:mesh", piece, base=piece.position, displaced=0))
        ends = arrays["picked"]
        self.assertEqual(len(ends), 2 * len(picked))
        self.assertEqual(np.ptp(ends[:, [0, 2]], axis=0).tolist(), [0, 0], "they stand in one line")
        reached = np.linalg.norm(arrays["positions"][:, [0, 2]] - ends[0, [0, 2]], axis=1).min()
        self.assertLess(reached, 1e-3, "the smooth surface keeps that edge")
        self.assertGreater(np.linalg.norm(before["positions"][:, [0, 2]] - ends[0, [0, 2]], axis=1).min(), 1)
        self.act(piece, "pick-edge", x=ends[:2, 0].mean(), y=ends[:2, 1].mean(), z=ends[:2, 2].mean())
        self.assertEqual(len(self.now(piece).surface.subdivision.picked), len(picked) - 1)
        self.act(piece, "let-edges-go")
        self.assertEqual(self.now(piece).surface.subdivision.picked, ())
        self.assertEqual(self.act(piece, "pick-edge", x="there").status_code, 422)

    def test_the_residual_completes_the_geometry_and_all_of_it_is_finer(self):
        piece = self.piece()
        self.post("bench:change", piece, 1, step="surface", **{"surface.level": "0", "surface.residual": "256"})
        header, arrays = unpacked(self.get("bench:mesh", piece, base=2, detail="residual"))
        self.assertEqual(arrays["residual"].shape, (256, 256, 3))
        self.assertGreater(header["angles"][0], 10 * header["angles"][2])
        finer, _ = unpacked(self.get("bench:mesh", piece, base=2, detail="all"))
        self.assertGreater(finer["faces"], 16 * header["faces"])
        measured = self.get("bench:measured", piece, base=2, step="surface")
        self.assertContains(measured, "With the residual")
        self.assertContains(measured, "Reach")

    def test_a_share_of_the_detail_is_spent_and_nonsense_is_said(self):
        piece = self.piece()
        with mock.patch("relief.inspect.adviser.MOST", 30_000):
            self.act(piece, "take-share", share="60")
        surface = self.now(piece).surface
        self.assertEqual(surface.tessellation.kind, "faces")
        measured = self.get("bench:measured", piece, base=piece.position, step="surface")
        kept = float(measured.content.decode().split("Detail kept</dt><dd>")[1].split("\N{NO-BREAK SPACE}")[0])
        self.assertTrue(60 <= kept < 70, kept)
        for share in ("", "all", "0", "100"):
            self.assertEqual(self.act(piece, "take-share", share=share).status_code, 422)

    def test_a_mesh_that_is_too_large_to_look_at_leaves_the_other_readings(self):
        piece = self.piece()
        self.act(piece, "tessellation", kind="edge")
        self.post("bench:change", piece, 2, step="surface", **{"surface.tessellation.edge": "0.01"})
        measured = self.get("bench:measured", piece, base=piece.position, step="surface")
        self.assertContains(measured, "Steepest 5")
        self.assertContains(measured, 'id="mesh-cost"')

    def test_the_final_has_a_level_of_its_own(self):
        piece = self.piece()
        self.post("bench:change", piece, 1, step="surface", **{"surface.level": "1", "surface.final_level": "3"})
        header, _ = unpacked(self.get("bench:mesh", piece, base=2))
        (mesh,) = (file for file in self.delivered(piece) if file.name.endswith(".obj"))
        self.assertEqual(mesh.data.count(b"\nf "), header["faces"] * 4**2)
        self.assertIn(f"{header['faces'] * 4**2} faces", mesh.entry.reading)

    def test_smooth_faces_round_a_box(self):
        piece = self.piece()
        self.act(piece, "shape", kind="box")
        self.now(piece)
        smooth = {"surface.subdivision.kind": "smooth", "surface.level": "3"}
        self.post("bench:change", piece, piece.position, step="surface", **smooth)
        self.now(piece)
        _, arrays = unpacked(self.get("bench:mesh", piece, base=piece.position, displaced=0))
        self.assertLess(np.abs(arrays["positions"]).sum(axis=1).max(), 1450, "its corners are gone")
        self.post("bench:change", piece, piece.position, step="surface", **{"surface.subdivision.crease": "60"})
        self.now(piece)
        _, arrays = unpacked(self.get("bench:mesh", piece, base=piece.position, displaced=0))
        self.assertAlmostEqual(np.abs(arrays["positions"]).sum(axis=1).max(), 1500, delta=1)

    def test_what_lies_between_texels_is_shown_near_to(self):
        piece = self.piece()
        asked = {
            name: self.client.get(reverse("bench:between-texels", args=[piece.pk, name]), {"base": 1})
            for name in ("nearest", "bilinear", "bicubic")
        }
        pictures = [np.asarray(Image.open(io.BytesIO(answer.content)).convert("L"), float) for answer in asked.values()]
        # steps are flat but for lines: most of their pixels are lit alike, those of curves hardly any
        alike = [(picture == np.median(picture)).mean() for picture in pictures]
        self.assertGreater(alike[0], 0.5)
        self.assertLess(max(alike[1:]), 0.2)
        self.assertEqual(
            self.client.get(reverse("bench:between-texels", args=[piece.pk, "magic"]), {"base": 1}).status_code, 404
        )

    def test_the_section_in_space_says_where_its_line_and_its_ends_lie(self):
        piece = self.piece()
        self.act(piece, "shape", kind="sphere")
        depth = self.now(piece).main.amplitude
        answer = self.get("bench:surface-section", piece, base=piece.position, section="0.2,0.5,0.9,0.4")
        header, arrays = unpacked(answer)
        left, top, width, height = header["front"]
        np.testing.assert_allclose(header["front"], (-500, 500, 1000, 1000), atol=1)
        (x, y, _), (other, _, _) = header["ends"]
        self.assertAlmostEqual((x - left) / width, 0.2, delta=0.01)
        self.assertAlmostEqual((top - y) / height, 0.5, delta=0.01)
        self.assertAlmostEqual((other - left) / width, 0.9, delta=0.01)
        far = np.linalg.norm(arrays["placed"].reshape(-1, 3), axis=1)
        self.assertTrue(((far > 500 - depth) & (far < 500 + depth)).all())

    def test_more_repeats_offer_a_lower_amplitude(self):
        """Common practice: 2 x 2 halves the amplitude."""
        piece = self.piece()
        self.post("bench:change", piece, 1, step="surface", **{"surface.mapping.repeats_across": "2"})
        amplitude = self.now(piece).main.amplitude
        page = self.client.get(f"/piece/{piece.pk}/surface/")
        self.assertContains(page, "slopes are 2 times as steep")
        offered = json.dumps({"reliefs.main.amplitude": amplitude / 2})[1:-1]
        self.assertContains(page, offered, html=False)

    @long
    def test_the_demo_column_carries_two_reliefs(self):
        engine = Engine()
        recipe = in_space.column(read_source, engine)
        mesh = engine.run(SurfacePipeline.of(recipe, read_source, 512).built()).mesh
        self.assertEqual([part.name for part in mesh.part_list], ["rest", "Top cap", "Bottom cap"])
        triangles = trimesh.Trimesh(mesh.positions, mesh.corners[mesh.triangles()], process=False)
        self.assertTrue(triangles.is_watertight)
        self.assertGreater(mesh.positions[:, 1].max(), 750 + 40, "the rosette stands out of the cap")
        self.assertEqual(Revision.objects.count(), 0)
