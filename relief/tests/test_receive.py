"""The delivery at its other end: every bundle arrives as it was meant, and every usual wrong setting is told."""

import io
import json
import math
import struct
import zipfile

import numpy as np
import trimesh
from PIL import Image

from relief.deliver.delivery import write_bundle
from relief.deliver.profiles import SHIPPED, read_profile
from relief.errors import RecipeError, ReliefError
from relief.inspect.find import find_in_delivery
from relief.inspect.start import start_from_nothing
from relief.progress import Progress
from relief.receive.arrive import FAULTS, Settings, compare, settings_of
from relief.receive.files import open_bundle, read_picture
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.tests.command import CommandTestCase
from relief.tests.height_fields import rough
from relief.tests.tags import long

NOTHING = lambda _: b""  # noqa: E731


class ReceiveTestCase(CommandTestCase):
    engine = Engine()

    def recipe(self, kind="scallops", **delivery) -> Recipe:
        recipe = start_from_nothing(kind, NOTHING, self.engine)
        changes = {f"delivery.{name}": value for name, value in delivery.items() if name != "left_out"}
        # a midlevel that no program takes for granted, a tile that is not square
        changes |= {"maps.resolution": 192, "surface.level": 2, "midlevel": 0.3, "amplitude": 12}
        changes |= {"footprint.keep_aspect": False, "footprint.width": 300, "footprint.height": 180}
        return recipe.with_changes(changes)

    def deliver(self, recipe: Recipe):
        place = self.folder / "bundle.zip"
        write_bundle(place, recipe, NOTHING, "Wall", None, {}, Progress(), self.engine)
        return open_bundle(place)


class ArrivalTests(ReceiveTestCase):
    @long
    def test_every_format_and_depth_arrives_as_it_was_meant(self):
        for ways in (
            {},
            {"normal_bits": 16, "displacement_bits": 16, "data_format": "tif", "mesh_format": "ply", "unit": "in"},
            {"normal_bits": "half", "displacement_bits": "float", "data_format": "exr", "mesh_format": "glb"},
            {"normal_bits": "float", "displacement_bits": "half", "data_format": "png", "unit": "m"},
            {"green": "down", "red": "left", "midlevel": "half", "bump_bits": 16, "pack": "height_in_alpha"},
            {"mesh": "base", "mesh_format": "glb", "size": 256, "colour_format": "webp", "usd": True},
        ):
            with self.subTest(**ways):
                arrived = self.deliver(self.recipe(**ways))
                report = compare(arrived, Settings())
                self.assertEqual(report.differs, [])
                self.assertLess(report.normals["from_heights_degrees"], 8)

    def test_every_wrong_setting_is_told_from_the_right_one(self):
        arrived = self.deliver(self.recipe())
        right = compare(arrived, Settings())
        told = {}
        for fault in FAULTS:
            report = compare(arrived, settings_of(fault, arrived))
            told[fault] = report
            self.assertTrue(report.differs, fault)
            self.assertNotEqual(report, right)
        self.assertGreater(told["green"].normals["mean_degrees"], 10)
        self.assertEqual(told["green"].heights, right.heights)
        # read with another midlevel all of it moves by that much, 12 mm from 0 to 1
        self.assertAlmostEqual(told["midlevel-0"].heights["mean_mm"], 0.3 * 12, places=3)
        self.assertAlmostEqual(told["midlevel-half"].heights["mean_mm"], -0.2 * 12, places=3)
        # 256 heights: rounding errs by a step over the root of 12
        self.assertAlmostEqual(told["eight-bits"].heights["rms_mm"] / (12 / 255 / math.sqrt(12)), 1, delta=0.2)
        self.assertLess(told["colour"].heights["mean_mm"], -1, "IEC 61966-2-1 takes middle greys down")
        self.assertGreater(told["metres"].heights["rms_mm"], 900)
        self.assertGreater(told["level"].heights["rms_mm"], 2 * right.heights["rms_mm"])

    @long
    def test_the_maps_displace_as_the_mesh_stands(self):
        """A NumPy script of its own displaces a grid by the delivered map; the delivered mesh agrees within a hundredth
        of the relief, which is what bilinear and bicubic samples differ by."""
        recipe = self.recipe("waves", mesh_format="ply").with_changes({"surface.level": 4})
        arrived = self.deliver(recipe)
        (told,) = (file for file in arrived.told("displacement") if file["bits"] == 16)
        values = np.asarray(Image.open(io.BytesIO(arrived.files[told["name"]]))).astype(float) / 65535
        moved = (values - told["midlevel"]) * told["amplitude_mm"]
        mesh = trimesh.load(io.BytesIO(arrived.files["Wall_plane.ply"]), file_type="ply", process=False)
        rows, columns = values.shape
        # texel centres, in mm from the middle of 300 x 180; the mesh has a vertex at every 256th of its sides
        column = (mesh.vertices[:, 0] / 300 + 0.5) * columns - 0.5
        row = (0.5 - mesh.vertices[:, 1] / 180) * rows - 0.5
        inside = (column > 1) & (column < columns - 2) & (row > 1) & (row < rows - 2)
        left, top = np.floor(column[inside]).astype(int), np.floor(row[inside]).astype(int)
        x, y = column[inside] - left, row[inside] - top
        above = moved[top, left] * (1 - x) + moved[top, left + 1] * x
        below = moved[top + 1, left] * (1 - x) + moved[top + 1, left + 1] * x
        off = mesh.vertices[inside, 2] - (above * (1 - y) + below * y)
        self.assertLess(np.abs(off).max(), 0.01 * np.ptp(moved))
        np.testing.assert_allclose(mesh.extents[:2], [300, 180], rtol=1e-5)

    @long
    def test_a_damaged_file_and_a_wrong_green_in_the_files_are_said(self):
        arrived = self.deliver(self.recipe())
        arrived.files["Wall_bump.png"] += b"x"
        self.assertIn("Wall_bump.png is damaged or missing.", compare(arrived, Settings()).differs)
        turned = self.deliver(self.recipe())
        (told,) = turned.told("normal")
        told["green"] = "down"  # the file says so, and is not
        self.assertIn("may be reversed", " ".join(compare(turned, Settings()).differs))

    def test_what_is_no_delivery_gets_a_sentence(self):
        place = self.folder / "x.zip"
        place.write_bytes(b"PK nonsense")
        with self.assertRaisesRegex(ReliefError, "not a valid ZIP"):
            open_bundle(place)
        for contents in ("[]", "{}", '{"files": [{}], "reliefs": {}}', "nothing"):
            with zipfile.ZipFile(place, "w") as archive:
                archive.writestr("contents.json", contents)
            with self.assertRaisesRegex(ReliefError, "not a delivery"):
                open_bundle(place)
        with self.assertRaisesRegex(ReliefError, "cannot be read"):
            read_picture("x.png", b"nothing")
        bare = self.recipe().with_changes({"delivery.displacement_bits": "float"})
        delivery = bare.delivery.model_copy(update={"left_out": ("displacement", "heights")})
        with self.assertRaisesRegex(ReliefError, "no displacement map"):
            compare(self.deliver(bare.model_copy(update={"delivery": delivery})), Settings())


class DamagedTests(ReceiveTestCase):
    """A damaged bundle is what the receiver is for: whatever is wrong with it is a sentence and exit code 1."""

    def receive(self, place, *options) -> dict:
        code, printed, problem = self.run_command("receive", place, *options)
        self.assertEqual((code, problem), (1, ""), printed)
        told = json.loads(printed)
        for report in told.values():
            self.assertTrue(report["differs"], printed)
            for sentence in report["differs"]:
                self.assertRegex(sentence, r"^[^\n]{8,300}\.$")
        return told

    def lay_out(self, files: dict[str, bytes]):
        folder = self.folder / "laid"
        folder.mkdir(exist_ok=True)
        for old in folder.iterdir():
            old.unlink()
        for name, data in files.items():
            (folder / name).write_bytes(data)
        return folder

    def damage(self, files: dict[str, bytes]):
        """Bundles each damaged in another way, with what is wrong with them."""
        rng = np.random.default_rng(5)
        for name in ("Wall_displacement.png", "Wall_displacement.tif", "Wall_normal.png", "Wall_plane.ply"):
            data = files[name]
            yield f"{name} is missing", {key: value for key, value in files.items() if key != name}
            for what, spoilt in (
                ("empty", b""), ("cut", data[: len(data) // 3]), ("cut in its head", data[:20]),
                ("nonsense", rng.bytes(300)), ("zeros", bytes(len(data))),
                ("flipped", bytes(np.frombuffer(data, np.uint8) ^ (rng.random(len(data)) < 1e-3).astype(np.uint8))),
            ):  # fmt: skip
                yield f"{name} is {what}", files | {name: spoilt}
        huge = bytearray(files["Wall_normal.png"])
        huge[16:24] = struct.pack(">II", 60_000, 60_000)
        yield "a picture claims 60 000 x 60 000", files | {"Wall_normal.png": bytes(huge)}
        grey, small = io.BytesIO(), io.BytesIO()
        Image.fromarray(np.zeros((90, 90), np.uint8)).save(grey, "PNG")
        Image.fromarray(np.zeros((9, 7), np.uint16)).save(small, "PNG")
        yield "a grey normal map", files | {"Wall_normal.png": grey.getvalue()}
        yield "maps of two sizes", files | {"Wall_displacement.png": small.getvalue()}
        yield "sums that are no UTF-8", files | {"SHA256SUMS.txt": b"\xff\xfe  x\n" + files["SHA256SUMS.txt"]}
        whole = json.loads(files["contents.json"])
        for place, file in enumerate(whole["files"]):
            for key in file:
                for value in (None, "x", -1, [], {}, 1e400, "10" * 400):
                    changed = json.loads(files["contents.json"])
                    changed["files"][place][key] = value
                    yield f"{file['name']} has {key} {value!r}"[:80], files | {"contents.json": said(changed)}
        for changed in ([], {}, {"files": [], "reliefs": {}}, {"files": [3], "reliefs": {"main": {}}}, "x", None):
            yield f"contents {changed!r}", files | {"contents.json": said(changed)}
        footprint = json.loads(files["contents.json"])
        for value in (None, [1], [0, 0], ["a", "b"], [1e400, 1], [-3, 4]):
            footprint["reliefs"]["main"]["footprint_mm"] = value
            yield f"a footprint of {value!r}", files | {"contents.json": said(footprint)}
        yield "contents that nest without end", files | {"contents.json": b"[" * 100_000}

    @long
    def test_nothing_that_is_wrong_with_a_bundle_ends_in_an_error_of_python(self):
        arrived = self.deliver(self.recipe(mesh_format="ply"))
        damaged = dict(self.damage(arrived.files))
        self.assertGreater(len(damaged), 150)
        for what, files in damaged.items():
            with self.subTest(what):
                self.receive(self.lay_out(files))

    def test_nothing_that_is_wrong_with_a_zip_does(self):
        self.deliver(self.recipe())
        place = self.folder / "bundle.zip"
        whole, rng = place.read_bytes(), np.random.default_rng(8)
        for number in range(25):
            spoilt = bytearray(whole)
            for at in rng.integers(0, len(whole), 12):
                spoilt[at] ^= 255
            for data in (bytes(spoilt), whole[: int(rng.integers(0, len(whole)))]):
                place.write_bytes(data)
                with self.subTest(number):
                    self.receive(place)
        with zipfile.ZipFile(io.BytesIO(whole)) as archive, zipfile.ZipFile(place, "w") as locked:
            for item in archive.infolist():
                locked.writestr(item.filename, archive.read(item))
        data = bytearray(place.read_bytes())
        for at in range(len(data) - 10):  # the bit that says that an entry is locked (PKWARE's APPNOTE, 4.4.4)
            if data[at : at + 4] == b"PK\x01\x02":
                data[at + 8] |= 1
        place.write_bytes(bytes(data))
        self.receive(place)

    def test_numbers_and_pictures_that_cannot_be_are_refused(self):
        self.deliver(self.recipe())
        place = self.folder / "bundle.zip"
        for options in (
            ("--midlevel", "nan"), ("--scale", "inf"), ("--picture", self.folder), ("--picture", "x.gif"),
            ("--picture", self.folder / "nowhere" / "x.png"), ("--bits", "12"),
        ):  # fmt: skip
            code, printed, problem = self.run_command("receive", place, *options)
            self.assertEqual((code, printed, problem.count("\n")), (2, "", 1), options)
        drawn = self.folder / "drawn.png"
        self.assertEqual(self.run_command("receive", place, "--picture", drawn)[0], 0)
        with Image.open(drawn) as picture:
            self.assertEqual(picture.width, 440)

    @long
    def test_bits_are_counted_in_floats_too_and_a_bundle_of_8_bits_passes(self):
        floats = self.deliver(self.recipe(displacement_bits="float", data_format="exr"))
        step = 12 / 255 / math.sqrt(12)
        self.assertAlmostEqual(compare(floats, Settings(bits=8)).heights["rms_mm"] / step, 1, delta=0.3)
        self.assertEqual(compare(self.deliver(self.recipe(displacement_bits=8)), Settings()).differs, [])


def said(contents) -> bytes:
    """JSON as Python writes it; numbers beyond all bounds as they are met."""
    return json.dumps(contents).encode()


class ProfileTests(ReceiveTestCase):
    @long
    def test_every_profile_that_ships_delivers_and_arrives(self):
        for name, values in SHIPPED.items():
            with self.subTest(name):
                delivery, found = read_profile(values)
                self.assertEqual(found, [])
                small = delivery.model_copy(update={"size": 256 if delivery.size else 0})
                arrived = self.deliver(self.recipe().model_copy(update={"delivery": small}))
                self.assertEqual(compare(arrived, Settings()).differs, [])

    def test_what_will_arrive_wrong_is_found_and_mended(self):
        recipe = self.recipe(displacement_bits=8)
        found = {item.kind: item for item in find_in_delivery(recipe, NOTHING, self.engine)}
        self.assertEqual(set(found), {"eight-bits", "midlevel"})
        for item in found.values():
            recipe = item.mend.apply(recipe)
        self.assertEqual(find_in_delivery(recipe, NOTHING, self.engine), [])
        delivery, lossy = read_profile({"data_format": "jpg"})
        self.assertEqual((delivery.data_format, [item.kind for item in lossy]), ("png", ["lossy"]))
        for nonsense, words in (
            ([], "not a profile"), ({"glitter": 1}, "has no setting “glitter”"),
            ({"normal_bits": 12}, "Normal map cannot"),
            ({"pattern": "{piece}"}, "need {map}"), ({"pattern": "{map}_{colour}"}, "cannot use {colour}"),
            ({"pattern": "{map"}, "need {map}"), ({"pattern": "{map}{"}, "is not closed"),
        ):  # fmt: skip
            with self.subTest(nonsense), self.assertRaisesRegex(RecipeError, words):
                read_profile(nonsense)

    def test_the_commands_deliver_list_and_receive(self):
        picture = self.folder / "hills_height.png"
        Image.fromarray(np.rint(rough(60, 80) * 65535).astype(np.uint16)).save(picture)
        code, listed, _ = self.run_command("profiles")
        self.assertEqual((code, list(json.loads(listed))), (0, list(SHIPPED)))
        own = self.folder / "own.json"
        own.write_text(json.dumps({"size": 256, "pattern": "{map}-{size}-{bits}", "mesh": "none"}))
        out = self.folder / "hills.zip"
        code, printed, problem = self.run_command("deliver", picture, "--profile", own, "--out", out, "--amplitude", 9)
        self.assertEqual(code, 0, problem)
        self.assertEqual([item["kind"] for item in json.loads(printed)["findings"]], ["above-source", "midlevel"])
        with zipfile.ZipFile(out) as bundle:
            self.assertIn("displacement-256-16bit.png", bundle.namelist())
            with Image.open(io.BytesIO(bundle.read("normal-256-8bit.png"))) as normal:
                self.assertEqual((normal.size, normal.info), ((256, 192), {}), "without gamma or colour chunks")
        self.assertEqual(self.run_command("receive", out)[0], 0)
        code, told, _ = self.run_command("receive", out, "--green", "down")
        self.assertEqual(code, 1)
        self.assertGreater(json.loads(told)["main"]["normals"]["mean_degrees"], 5)
        self.assertEqual(self.run_command("receive", out, "--midlevel", 0)[0], 1)
        for profile in ("glitter", picture):
            code, _, problem = self.run_command("deliver", picture, "--profile", profile, "--out", out)
            self.assertEqual((code, problem.count("\n")), (2, 1))
            self.assertIn("not a known profile", problem)
