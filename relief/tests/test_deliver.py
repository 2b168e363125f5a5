"""Files open in other libraries with the values that went in, and the same recipe gives the same bytes."""

import hashlib
import io
import json
import tempfile
import zipfile
from pathlib import Path
from unittest import TestCase

import numpy as np
import scipy.ndimage
import tifffile
import trimesh
from PIL import Image
from trimesh.exchange.gltf import load_glb
from trimesh.exchange.ply import load_ply

from relief.deliver.delivery import delivery_files, map_files, write_bundle
from relief.deliver.files import safe_stem, write_whole
from relief.deliver.images import png
from relief.errors import Cancelled
from relief.formats.writing import mesh_file, picture_file
from relief.height import Footprint
from relief.inspect.start import start_from_nothing
from relief.maps import COMPANION_MAPS
from relief.progress import Progress
from relief.recipe import map_edits, surface_edits
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.surface.shapes.plane import Plane
from relief.tests.height_fields import field, rough
from relief.tests.surfaces import displace
from relief.tests.tags import long
from relief.tests.test_inspect import begun


def with_every_map(relief: Relief) -> Relief:
    """The relief with one of each grey map and packed pictures."""
    for kind in COMPANION_MAPS:
        relief, _ = map_edits.add_map(relief, kind)
    for preset in ("height_in_alpha", "gltf"):
        relief, _ = map_edits.add_pack(relief, preset)
    return relief


FOOTPRINT = Footprint(width=80, height=60)
MESH = displace(Plane(segments=12), field(rough(60, 80), width=80, height=60), 6, 0.4)


def read(kind: str) -> trimesh.Trimesh:
    """The mesh as trimesh reads it back."""
    return trimesh.load(io.BytesIO(mesh_file(MESH, kind)), file_type=kind, force="mesh", process=False)


def written_normals(kind: str) -> np.ndarray:
    """The normals that trimesh finds in the file; its own meshes compute them anew."""
    file = io.BytesIO(mesh_file(MESH, kind))
    if kind == "ply":
        return load_ply(file)["vertex_normals"]
    return load_glb(file)["geometry"]["relief"]["vertex_normals"]


class ImageTests(TestCase):
    def test_png_is_read_back_by_pillow(self):
        grey8 = np.arange(256, dtype=np.uint8).reshape(16, 16)
        np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(png(grey8)))), grey8)
        deep = np.arange(65536, dtype=np.uint16).reshape(256, 256)
        np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(png(deep)))), deep)
        colour = np.random.default_rng(0).integers(0, 255, (7, 5, 3), np.uint8)
        np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(png(colour)))), colour)

    def test_sixteen_bit_colour_png_by_its_header_and_by_opencv(self):
        import cv2

        colour = np.random.default_rng(0).integers(0, 65535, (7, 5, 3), np.uint16)
        data = png(colour)
        self.assertEqual((data[24], data[25]), (16, 2))  # bit depth and colour type, ISO/IEC 15948
        back = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        np.testing.assert_array_equal(back[..., ::-1], colour)

    def test_no_map_is_tagged_with_a_transfer(self):
        data = png(np.zeros((4, 4), np.uint8))
        for chunk in (b"gAMA", b"sRGB", b"iCCP"):
            self.assertNotIn(chunk, data)

    def test_tiff_is_read_back_by_tifffile_and_pillow(self):
        heights = np.linspace(-3, 4, 35, dtype=np.float32).reshape(5, 7)
        np.testing.assert_array_equal(tifffile.imread(io.BytesIO(picture_file(heights, "tif"))), heights)
        np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(picture_file(heights, "tif")))), heights)


class MeshTests(TestCase):
    def test_ply_and_glb_have_the_same_positions_and_normals(self):
        for kind, scale in (("ply", 1), ("glb", 1000)):
            back = read(kind)
            np.testing.assert_allclose(back.vertices * scale, MESH.positions, atol=1e-4)
            np.testing.assert_array_equal(back.faces, MESH.corners[MESH.triangles()])
            np.testing.assert_allclose(written_normals(kind), MESH.normals, atol=1e-5)
        np.testing.assert_allclose(read("glb").visual.uv, MESH.uv, atol=1e-6)

    def test_obj_has_quads_with_uv_and_normals(self):
        lines = [line.split() for line in mesh_file(MESH, "obj").decode().splitlines()]
        by_kind = {kind: [line[1:] for line in lines if line[0] == kind] for kind in ("v", "vt", "vn", "f")}
        np.testing.assert_allclose(np.array(by_kind["v"], float), MESH.positions, atol=1e-4)
        np.testing.assert_allclose(np.array(by_kind["vt"], float), MESH.uv, atol=1e-6)
        np.testing.assert_allclose(np.array(by_kind["vn"], float), MESH.normals, atol=1e-5)
        corners = np.array([[corner.split("/") for corner in face] for face in by_kind["f"]], int)
        self.assertEqual(corners.shape, (108, 4, 3))
        np.testing.assert_array_equal(corners, np.repeat(MESH.polygons(4)[..., None] + 1, 3, axis=2))

    def test_obj_and_stl_enclose_the_same_surface(self):
        expected = trimesh.Trimesh(MESH.positions, MESH.corners[MESH.triangles()], process=False).area
        for kind in ("obj", "stl"):
            self.assertAlmostEqual(read(kind).area, expected, places=2)

    def test_faces_look_outwards(self):
        self.assertTrue((read("stl").face_normals[:, 2] > 0).all())


class BundleTests(TestCase):
    def packed(self, progress=None, everything=False, pixels: np.ndarray | None = None, drawn=(), **changes) -> bytes:
        pipeline, engine = begun(np.rint(rough(96, 96) * 65535).astype(np.uint16) if pixels is None else pixels)
        recipe = Recipe.of(pipeline.relief, pipeline.sources)
        if everything:
            recipe = recipe.with_relief(with_every_map(recipe.main)).with_changes({"delivery.test_card": True})
        recipe = recipe.with_changes({f"delivery.{name}": value for name, value in changes.items()})
        made = "Net / sand: ä", None, dict(drawn)
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder, "net.zip")
            try:
                write_bundle(place, recipe, pipeline.read_source, *made, progress or Progress(), engine)
            finally:
                self.assertLessEqual(len(list(Path(folder).iterdir())), 1, "nothing half done is left")
            return place.read_bytes()

    def test_the_alpha_of_a_picture_goes_along_as_a_mask_beside_the_other_maps(self):
        grey = np.rint(rough(41, 67) * 255).astype(np.uint8)
        alpha = np.full_like(grey, 255)
        alpha[:20] = 0
        with zipfile.ZipFile(io.BytesIO(self.packed(pixels=np.dstack([grey, alpha])))) as archive:
            self.assertLess(archive.namelist().index("sand_mask.png"), archive.namelist().index("recipe.json"))
            self.assertIn("sand_mask.png", archive.read("READ-ME.txt").decode())
            mask = np.asarray(Image.open(io.BytesIO(archive.read("sand_mask.png"))))
        np.testing.assert_array_equal(mask, alpha)

    def test_stills_that_were_drawn_before_go_along_under_the_names_of_their_views(self):
        with tempfile.TemporaryDirectory() as folder:
            drawn = {name: Path(folder, f"{number}.png") for number, name in enumerate(("Gate", "Quay / east"))}
            for place, colour in zip(drawn.values(), ("#b04020", "#2040b0"), strict=True):
                Image.new("RGB", (160, 100), colour).save(place)
            first, second = (place.read_bytes() for place in drawn.values())
            with zipfile.ZipFile(io.BytesIO(self.packed(drawn=drawn, stills=True))) as archive:
                self.assertEqual(archive.read("sand_still_Gate.png"), first)
                self.assertEqual(archive.read("sand_still_east.png"), second)
                self.assertIn("sand_still_Gate.png", archive.read("READ-ME.txt").decode())
                summed = f"{hashlib.sha256(second).hexdigest()}  sand_still_east.png"
                self.assertIn(summed, archive.read("SHA256SUMS.txt").decode())
            with zipfile.ZipFile(io.BytesIO(self.packed(drawn=drawn))) as archive:
                self.assertFalse([name for name in archive.namelist() if "still" in name], "the profile does not ask")

    @long
    def test_made_twice_it_is_the_same_bytes(self):
        self.assertEqual(self.packed(), self.packed())

    @long
    def test_with_every_map_it_is_the_same_bytes_too_and_tells_how_far_it_is(self):
        class Heard(Progress):
            def __init__(self):
                self.said = []

            def report(self, fraction, message):
                self.said.append((fraction, message))

        heard = Heard()
        made = self.packed(heard, everything=True)
        self.assertEqual(made, self.packed(everything=True))
        with zipfile.ZipFile(io.BytesIO(made)) as archive:
            names = archive.namelist()
        for kind in (*COMPANION_MAPS, "normal", "bump", "displacement", "normal_and_height", "test_card_normal"):
            self.assertIn(f"sand_{kind}.png", names)
        fractions, messages = zip(*heard.said, strict=True)
        self.assertEqual(sorted(fractions), list(fractions))
        for model in COMPANION_MAPS.values():
            self.assertIn(f"Making {model.title.lower()}", messages)

    @long
    def test_with_every_map_it_can_be_cancelled_at_each(self):
        class StopAt(Progress):
            def __init__(self, message):
                self.message, self.stop = message, False

            def report(self, fraction, message):
                self.stop = message == self.message

            def cancelled(self):
                return self.stop

        for model in COMPANION_MAPS.values():
            with self.assertRaises(Cancelled):
                self.packed(StopAt(f"Making {model.title.lower()}"), everything=True)

    @long
    def test_the_note_says_how_each_file_is_read(self):
        with zipfile.ZipFile(io.BytesIO(self.packed())) as archive:
            self.assertIsNone(archive.testzip())
            names = archive.namelist()
            note = archive.read("READ-ME.txt").decode()
        self.assertEqual(names[0], "READ-ME.txt")
        self.assertLessEqual({f"sand_{kind}.png" for kind in ("normal", "bump", "displacement")}, set(names))
        for name in names[1:]:
            self.assertIn(name, note)
        for words in ("data, not colour", "Green points up", "Midlevel", "mm", "Mid grey (128) stays"):
            self.assertIn(words, note)
        self.assertLessEqual(max(len(line) for line in note.splitlines()), 120)

    @long
    def test_it_can_be_cancelled_at_every_step(self):
        class StopAt(Progress):
            def __init__(self, count):
                self.left = count

            def cancelled(self):
                self.left -= 1
                return self.left < 0

        for count in range(5):
            with self.assertRaises(Cancelled):
                self.packed(StopAt(count))


class MapFileTests(TestCase):
    def files(self, **changes) -> dict:
        pipeline, engine = begun(np.rint(rough(96, 96) * 65535).astype(np.uint16))
        paths = {path.replace("__", "."): value for path, value in changes.items()}
        recipe = Recipe.of(pipeline.relief, pipeline.sources)
        recipe = recipe.with_changes({"midlevel": 0.4, "amplitude": 8, **paths})
        pipeline = Pipeline.of(recipe, pipeline.read_source)
        self.height = engine.run(pipeline.height()).samples
        return {file.name: file for file in map_files(pipeline, engine, "x", recipe.delivery)}

    def picture(self, file) -> np.ndarray:
        return np.asarray(Image.open(io.BytesIO(file.data)))

    def test_a_bump_map_over_its_full_range_says_which_grey_stays(self):
        bump = self.files(maps__bump__full_range=True)["x_bump.png"]
        pixels = self.picture(bump)
        self.assertEqual((pixels.min(), pixels.max()), (0, 255))
        low, high = float(self.height.min()), float(self.height.max())
        stays = round((0.4 - low) / (high - low) * 255)
        self.assertEqual(bump.entry.reading, f"Grey {stays} of 255 stays. Black to white is {8 * (high - low):.6g} mm.")
        back = (pixels / 255 * (high - low) + low - 0.4) * 8
        np.testing.assert_allclose(back, (self.height - 0.4) * 8, atol=8 * (high - low) / 500)

    def test_a_bump_map_of_sixteen_bits_has_midlevel_on_its_mid_grey(self):
        bump = self.files(delivery__bump_bits=16)["x_bump.png"]
        self.assertIn("Mid grey (32768) stays", bump.entry.reading)
        pixels = self.picture(bump).astype(float)
        at_midlevel = np.abs(self.height - 0.4) < 1e-4
        np.testing.assert_allclose(pixels[at_midlevel], 32768, atol=12)

    def test_the_displacement_softens_on_its_own(self):
        """SciPy's `gaussian_filter` at 6 mm on texels of 300 / 96 mm; normal and bump map stay as they are."""
        plain, calm = self.files(), self.files(maps__displacement__soften=6)
        expected = scipy.ndimage.gaussian_filter(self.height, 6 / (300 / 96), mode="wrap", truncate=6)
        heights = tifffile.imread(io.BytesIO(calm["x_displacement.tif"].data))
        np.testing.assert_allclose(heights, expected, atol=2e-4)
        for name in ("x_normal.png", "x_bump.png"):
            self.assertEqual(plain[name].data, calm[name].data)


class FileTests(TestCase):
    def test_names_are_safe(self):
        for name, expected in (
            ("../../etc/passwd", "passwd"), ("a b\\c:d?.png", "c_d"), ("", "relief"), ("...", "relief"),
            ("x" * 300, "x" * 60), ("Tür <script>.tif", "T_r_script"),
        ):  # fmt: skip
            self.assertEqual(safe_stem(name), expected)

    def test_a_file_is_whole_or_not_there(self):
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "x.bin")
            write_whole(path, b"first")
            with self.assertRaises(TypeError):
                write_whole(path, "not bytes")
            self.assertEqual(path.read_bytes(), b"first")
            self.assertEqual([item.name for item in Path(folder).iterdir()], ["x.bin"])


class SeveralReliefsTests(TestCase):
    def test_each_relief_has_its_maps_and_the_mesh_a_material_for_each_region(self):
        """Read by trimesh: groups of the OBJ by material, whose library lies beside it."""
        recipe, files = self.files()
        names = set(files)
        for stem in ("Column", "Column_rosette"):
            self.assertLessEqual({f"{stem}_{kind}.png" for kind in ("normal", "bump", "displacement")}, names)
        self.assertIn("Column_cylinder.mtl", names)
        text = files["Column_cylinder.obj"].decode()
        self.assertTrue(text.startswith("mtllib Column_cylinder.mtl\n"))
        used = {line.split()[1] for line in text.splitlines() if line.startswith("usemtl ")}
        made = {
            line.split()[1] for line in files["Column_cylinder.mtl"].decode().splitlines() if line.startswith("newmtl")
        }
        self.assertEqual(used, {"rest", "Top_cap"})
        self.assertEqual(made, used)
        note = files["READ-ME.txt"].decode()
        for name in names - {"READ-ME.txt"}:
            self.assertIn(name, note)
        self.assertIn("Rosette: normal map", note)
        self.assertEqual(Recipe.read(json.loads(files["recipe.json"])), recipe)
        one, other = (
            np.asarray(Image.open(io.BytesIO(files[f"{stem}_normal.png"]))) for stem in ("Column", "Column_rosette")
        )
        self.assertFalse(np.array_equal(one, other))

    def files(self) -> tuple[Recipe, dict[str, bytes]]:
        engine = Engine()
        nothing = {}.__getitem__
        recipe = start_from_nothing("flutes", nothing, engine).with_changes({"maps.resolution": 64})
        rosette = start_from_nothing("rosette", nothing, engine).with_changes({"maps.resolution": 48}).main
        recipe, _ = surface_edits.add_relief(recipe, "Rosette", rosette)
        recipe, _ = surface_edits.choose_shape(recipe.showing("main"), "cylinder")
        recipe, _ = surface_edits.add_region(recipe, "top cap")
        recipe, _ = surface_edits.choose_relief(recipe, 0, "rosette")
        recipe = recipe.with_changes({"surface.level": 1}).showing("main")
        return recipe, {file.name: file.data for file in delivery_files(recipe, nothing, engine, "Column", Progress())}
