"""Pictures, materials and scenes open in other libraries with the values that went in."""

import hashlib
import io
import re
import struct
import sys
import tempfile
from pathlib import Path
from unittest import TestCase, mock

import cv2
import MaterialX
import numpy as np
import OpenEXR
import tifffile
import trimesh
from PIL import Image
from pxr import Sdf, Usd, UsdGeom, UsdShade, UsdValidation

from relief.deliver.delivery import delivery_files
from relief.deliver.files import safe_name
from relief.deliver.plan import plan
from relief.deliver.plan_maps import apply_delivery
from relief.errors import ReliefError
from relief.formats.pictures import PICTURES
from relief.formats.writing import picture_file
from relief.inspect.start import start_from_nothing
from relief.progress import Progress
from relief.recipe import surface_edits
from relief.recipe.map_edits import add_map
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.tests.command import CommandTestCase
from relief.tests.tags import long

NOTHING = lambda _: b""  # noqa: E731


def samples(dtype: str, channels: int) -> np.ndarray:
    """Noise on 37 x 53 texels, over all values of whole numbers and beyond 0 to 1 of floats."""
    rng = np.random.default_rng(7)
    shape = (37, 53, channels) if channels > 1 else (37, 53)
    if dtype.startswith("uint"):
        return rng.integers(0, np.iinfo(dtype).max, shape, dtype, endpoint=True)
    return rng.normal(0, 3, shape).astype(dtype)


class PictureTests(TestCase):
    def test_what_is_written_without_loss_is_read_back_by_other_libraries(self):
        for dtype in ("uint8", "uint16", "float16", "float32"):
            for channels in (1, 3, 4):
                pixels = samples(dtype, channels)
                for kind in ("png", "tif", "exr"):
                    if dtype in PICTURES[kind].holds:
                        with self.subTest(f"{kind} {dtype} {channels}"):
                            self.read_back(kind, pixels, picture_file(pixels, kind))

    def read_back(self, kind: str, pixels: np.ndarray, data: bytes):
        match kind:
            case "png":
                found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
                found = found if found.ndim == 2 else found[..., [2, 1, 0, 3][: found.shape[2]]]
                if pixels.dtype == np.uint8:
                    np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(data))), pixels)
            case "tif":
                found = tifffile.imread(io.BytesIO(data))
                if pixels.ndim == 2:
                    np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(data))), pixels)
            case "exr":
                with self.as_exr(data) as file:
                    (channel,) = file.channels().values()
                    found = channel.pixels
                if pixels.dtype.kind == "u":
                    pixels = (pixels / np.float32(np.iinfo(pixels.dtype).max)).astype(found.dtype)
        self.assertEqual(found.dtype, pixels.dtype)
        np.testing.assert_array_equal(found, pixels)

    def as_exr(self, data: bytes):
        place = Path(self.enterContext(tempfile.TemporaryDirectory()), "x.exr")
        place.write_bytes(data)
        return OpenEXR.File(str(place))

    def test_a_png_of_data_has_no_chunk_that_says_how_to_show_it(self):
        """ISO/IEC 15948: a signature, then chunks of length, type, data and CRC; none of gAMA, sRGB, iCCP, cHRM."""
        self.assertEqual(self.chunks(picture_file(samples("uint16", 3), "png")), [b"IHDR", b"IDAT", b"IEND"])

    def test_a_png_of_colours_says_that_they_are_srgb(self):
        """ISO/IEC 15948, 11.3.2.5: before the pixels. Pillow reads the intent."""
        data = picture_file(samples("uint8", 3), "png", is_colour=True)
        self.assertEqual(self.chunks(data), [b"IHDR", b"sRGB", b"IDAT", b"IEND"])
        with Image.open(io.BytesIO(data)) as picture:
            np.testing.assert_array_equal(np.asarray(picture), samples("uint8", 3))
            self.assertEqual(picture.info["srgb"], 0)

    def chunks(self, data: bytes) -> list[bytes]:
        place, kinds = 8, []
        while place < len(data):
            length, kind = struct.unpack(">I4s", data[place : place + 8])
            kinds.append(kind)
            place += length + 12
        return kinds

    def test_a_picture_that_is_too_long_for_its_format_gets_a_sentence(self):
        """WebP: 16 383 pixels a side (RFC 9649)."""
        for longest, fits in ((16_383, True), (16_384, False)):
            pixels = np.zeros((2, longest, 3), np.uint8)
            if fits:
                self.assertTrue(picture_file(pixels, "webp"))
                continue
            with self.assertRaisesRegex(ReliefError, "at most 16383 pixels on a side; this map has 16384"):
                picture_file(pixels, "webp")

    def test_lossy_ones_are_near_and_hold_colours_alone(self):
        across = np.linspace(0, 255, 120)
        smooth = np.dstack(np.meshgrid(across, across[::-1])).astype(np.uint8)
        smooth = np.dstack([smooth, np.full((120, 120), 90, np.uint8)])
        for kind in ("jpg", "webp"):
            found = np.asarray(Image.open(io.BytesIO(picture_file(smooth, kind))).convert("RGB"), float)
            self.assertLess(np.abs(found - smooth).mean(), 2.5, kind)
            with self.assertRaisesRegex(ReliefError, "holds uint8"):
                picture_file(samples("uint16", 3), kind)
        self.assertEqual(set(PICTURES), {"png", "tif", "exr", "jpg", "webp"})
        with self.assertRaisesRegex(ReliefError, "not as “gif”"):
            picture_file(smooth, "gif")


class NameTests(TestCase):
    def test_names_are_safe_on_every_system_and_never_collide(self):
        """Microsoft, Naming Files, Paths, and Namespaces: no < > : " / \\ | ? *, no CON or NUL, no dot at the end."""
        for name in ("a/b\\c:d*e?f", "..", "con", "NUL.txt", "x" * 300, "Wände ünd Böden", " tail. ", "com1"):
            made = safe_name(name)
            self.assertRegex(made or "_", r"^[A-Za-z0-9_][\w.-]*$")
            self.assertLessEqual(len(made), 121)
            self.assertNotRegex(made, re.compile(r"^(con|nul|com1)(\.|$)", re.IGNORECASE))
            self.assertFalse(made.endswith((".", " ")))
        recipe = start_from_nothing("dots", NOTHING, Engine())
        recipe = recipe.with_changes({"delivery.pattern": "NORMAL {map}", "delivery.normal_bits": 16})
        files = plan(apply_delivery(recipe), "CON")
        lowered = [file.filename.lower() for file in files]
        self.assertEqual(len(lowered), len(set(lowered)))


class SceneTests(CommandTestCase):
    """A column with a rosette on its cap, before displacement: two materials with all maps."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        engine = Engine()
        recipe = start_from_nothing("flutes", NOTHING, engine)
        recipe, _ = surface_edits.choose_shape(recipe, "cylinder")
        rosette = start_from_nothing("rosette", NOTHING, engine).main
        recipe, _ = surface_edits.add_relief(recipe, "Rosette", rosette)
        recipe, _ = surface_edits.add_region(recipe, "top cap")
        (key,) = set(recipe.reliefs) - {"main"}
        recipe, _ = surface_edits.choose_relief(recipe, 0, key)
        changes = {"maps.resolution": 64, f"reliefs.{key}.maps.resolution": 64, "surface.level": 1}
        asked = {"mesh": "base", "materialx": True, "usd": True, "green": "down", "unit": "cm"}
        recipe = recipe.with_changes(changes | {f"delivery.{name}": value for name, value in asked.items()})
        cls.recipe: Recipe = recipe
        cls.files = {file.name: file.data for file in delivery_files(recipe, NOTHING, engine, "Column", Progress())}

    def setUp(self):
        super().setUp()
        for name, data in self.files.items():
            (self.folder / name).write_bytes(data)

    def test_without_its_library_a_scene_says_what_to_install(self):
        for library, changes in (("MaterialX", {"delivery.usd": False}), ("pxr", {"delivery.materialx": False})):
            with mock.patch.dict(sys.modules, {library: None}):
                files = delivery_files(self.recipe.with_changes(changes), NOTHING, Engine(), "Column", Progress())
                with self.assertRaisesRegex(ReliefError, rf"{library}.*pip install 'zealous-gravel\[scenes\]'"):
                    list(files)

    def test_the_material_is_valid_and_names_files_that_are_there(self):
        """MaterialX 1.39, validated by its own library against its definitions of nodes."""
        library, document = MaterialX.createDocument(), MaterialX.createDocument()
        MaterialX.loadLibraries(MaterialX.getDefaultDataLibraryFolders(), MaterialX.getDefaultDataSearchPath(), library)
        MaterialX.readFromXmlFile(document, str(self.folder / "Column.mtlx"))
        document.setDataLibrary(library)
        self.assertEqual(document.validate(), (True, ""))
        self.assertEqual(len(document.getMaterialNodes()), 2)
        spaces = {}
        for node in document.getNodes("image"):
            file = node.getInput("file")
            self.assertIn(file.getValueString(), self.files)
            spaces[file.getValueString()] = file.getColorSpace()
        self.assertEqual({spaces["Column_normal.png"], spaces["Column_displacement.png"]}, {"raw"})
        (moved, *_) = document.getNodes("displacement")
        relief = self.recipe.main
        self.assertAlmostEqual(moved.getInput("scale").getValue(), relief.amplitude / 10, places=5, msg="in cm")

    def test_the_scene_passes_every_validator_of_usd(self):
        """OpenUSD: all validators of its registry; UsdPreviewSurface: normals scaled by 2 and moved by -1."""
        stage = Usd.Stage.Open(str(self.folder / "Column.usda"))
        context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
        self.assertEqual([error.GetMessage() for error in context.Validate(stage)], [])
        self.assertEqual(UsdGeom.GetStageMetersPerUnit(stage), 0.01)
        self.assertEqual(UsdGeom.GetStageUpAxis(stage), "Y")
        subsets = [prim for prim in stage.Traverse() if prim.IsA(UsdGeom.Subset)]
        self.assertEqual(len(subsets), 2)
        textures = {}
        for prim in stage.Traverse():
            shader = UsdShade.Shader(prim)
            if shader and shader.GetIdAttr().Get() == "UsdUVTexture":
                name = shader.GetInput("file").Get()
                self.assertIsInstance(name, Sdf.AssetPath)
                self.assertIn(name.path.removeprefix("./"), self.files)
                textures[name.path] = shader
        normal = textures["./Column_normal_up.png"]
        self.assertEqual(tuple(normal.GetInput("scale").Get()), (2, 2, 2, 1))
        self.assertEqual(tuple(normal.GetInput("bias").Get()), (-1, -1, -1, 0))
        down, up = (
            np.asarray(Image.open(io.BytesIO(self.files[f"Column_{name}.png"])), int)
            for name in ("normal", "normal_up")
        )
        self.assertLessEqual(np.abs(down[..., 1] + up[..., 1] - 255).max(), 1, "green is turned around")

    @long
    def test_beside_a_glb_every_file_has_the_right_size_in_its_own_unit(self):
        """OpenUSD, MaterialX and trimesh read back: the size of the cylinder, and the rise of its relief, in metres."""
        recipe = self.recipe.with_changes({"delivery.mesh_format": "glb", "delivery.unit": "cm"})
        files = {f.name: f for f in delivery_files(recipe, NOTHING, Engine(), "Column", Progress())}
        (self.folder / "glb.usda").write_bytes(files["Column.usda"].data)
        stage = Usd.Stage.Open(str(self.folder / "glb.usda"))
        metres = UsdGeom.GetStageMetersPerUnit(stage)
        (mesh,) = (UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh))
        low, high = np.array(mesh.GetExtentAttr().Get())
        np.testing.assert_allclose((high - low) * metres, self.sizes() / 1000, rtol=1e-4)
        scales = [
            UsdShade.Shader(prim).GetInput("scale").Get()[0]
            for prim in stage.Traverse()
            if prim.GetName() == "displacement_map"
        ]
        amplitudes = [relief.amplitude for relief in self.recipe.reliefs.values()]
        self.assertAlmostEqual(max(scales) * metres, max(amplitudes) / 1000, places=6)
        written = trimesh.load(io.BytesIO(files["Column_cylinder.glb"].data), file_type="glb", force="mesh")
        np.testing.assert_allclose(written.extents, self.sizes() / 1000, rtol=1e-4)
        for name in ("Column.usda", "Column.mtlx"):
            self.assertIn("in cm", files[name].entry.reading)

    def test_all_materials_name_the_same_maps(self):
        """Of a piece with a roughness map that was made here, the MTL, MaterialX and USD each name it."""
        relief, _ = add_map(self.recipe.main, "roughness")
        recipe = self.recipe.with_relief(relief, "main")
        made = {file.name: file.data for file in delivery_files(recipe, NOTHING, Engine(), "Column", Progress())}
        mtl = made["Column_cylinder.mtl"].decode()
        for name in ("Column.mtlx", "Column.usda"):
            self.assertIn("Column_roughness.png", made[name].decode(), name)
        self.assertIn("map_Pr Column_roughness.png", mtl)
        named = {
            line.split()[1] for line in mtl.splitlines() if line.split()[0] in ("map_Kd", "map_Pr", "norm", "disp")
        }
        self.assertLessEqual(named, made.keys())

    def test_the_library_of_the_mesh_lies_beside_it(self):
        """Read by trimesh: faces by material; every file that the MTL names is there."""
        text = self.files["Column_cylinder.mtl"].decode()
        for line in text.splitlines():
            if line.split()[0] in ("norm", "disp", "map_Kd"):
                self.assertIn(line.split()[1], self.files)
        self.assertIn("norm Column_normal.png", text)
        said = (self.folder / "Column_cylinder.obj").read_text().splitlines()
        self.assertIn("Lengths in cm", next(line for line in said if line.startswith("#")))
        mesh = trimesh.load(self.folder / "Column_cylinder.obj", process=False, force="mesh")
        np.testing.assert_allclose(mesh.extents, self.sizes() / 10, rtol=1e-4)

    def sizes(self) -> np.ndarray:
        shape = self.recipe.surface.shape
        return np.array([shape.diameter, shape.height, shape.diameter])

    def test_the_checksums_are_those_of_the_files_on_one_thread_and_on_two(self):
        lines = dict(line.split("  ")[::-1] for line in self.files["SHA256SUMS.txt"].decode().splitlines())
        self.assertEqual(set(lines), set(self.files) - {"SHA256SUMS.txt"})
        for name, digest in lines.items():
            self.assertEqual(hashlib.sha256(self.files[name]).hexdigest(), digest)
        with mock.patch("relief.deliver.delivery.PACKERS", 1):
            again = {f.name: f.data for f in delivery_files(self.recipe, NOTHING, Engine(), "Column", Progress())}
        self.assertEqual(again, self.files)

    def share_of_red(self, page: Image.Image) -> float:
        red, green, _ = np.moveaxis(np.asarray(page.convert("RGB"), int), 2, 0)
        return float(((red > 150) & (green < 60)).mean())

    @long
    def test_the_proof_sheet_is_one_page_and_always_the_same(self):
        changes = {"delivery.proof_sheet": True, "delivery.mesh": "none", "surface.final_level": 0, "surface.level": 0}
        recipe = self.recipe.with_changes(changes)
        made = [
            {f.name: f.data for f in delivery_files(recipe, NOTHING, Engine(), "Column", Progress())} for _ in range(2)
        ]
        self.assertEqual(made[0], made[1])
        with Image.open(io.BytesIO(made[0]["Column_proof_sheet.png"])) as page:
            self.assertAlmostEqual(page.width / page.height, 297 / 210, places=2, msg="A4, ISO 216")
            self.assertLess(self.share_of_red(page), 0.003)
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder, "still.png")
            Image.new("RGB", (320, 200), (200, 20, 20)).save(place)
            files = delivery_files(recipe, NOTHING, Engine(), "Column", Progress(), stills={"Gate": place})
            shown = next(file.data for file in files if file.name.endswith("sheet.png"))
        with Image.open(io.BytesIO(shown)) as page:
            self.assertAlmostEqual(self.share_of_red(page), 960 * 600 / (page.width * page.height), places=2)
        pdf = made[0]["Column_proof_sheet.pdf"]
        self.assertTrue(pdf.startswith(b"%PDF-"))
        self.assertEqual(len(re.findall(rb"/Type /Page\b", pdf)), 1)
