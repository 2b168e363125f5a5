"""Own meshes: read as other libraries read them, measured, mended, refused in a sentence."""

import io
import json
import struct
from unittest import TestCase

import numpy as np
import trimesh

from relief.errors import MeshError
from relief.height import Footprint
from relief.inspect.mesh_facts import MeshFacts, mesh_facts
from relief.sources.mesh.polygons import Polygons
from relief.sources.mesh.read import read_mesh
from relief.surface.edges import find_edges
from relief.surface.mapping.box import BoxMapping
from relief.surface.mapping.mapping import Bounds
from relief.surface.mend import MOST_UNWRAPPED, merge_doubled, turn_outward, unwrap
from relief.surface.orient import find_reversed
from relief.surface.shapes.own_mesh import OwnMesh
from relief.surface.subdivide import subdivide_flat
from relief.tests.height_fields import field, rough
from relief.tests.surfaces import displace_own
from relief.tests.tags import long

CUBE = """# a box of 2 x 4 x 6 with groups and materials
v -1 -2 -3
v 1 -2 -3
v 1 2 -3
v -1 2 -3
v -1 -2 3
v 1 -2 3
v 1 2 3
v -1 2 3
vt 0 0
vt 1 0
vt 1 1
vt 0 1
g walls
usemtl plaster
f 5/1 6/2 7/3 8/4
f 2/1 1/2 4/3 3/4
f 6/1 2/2 3/3 7/4
f 1/1 5/2 8/3 4/4
g lid and floor
usemtl oak
f 8/1 7/2 3/3 4/4
f 1/1 2/2 6/3 5/4
"""


def read(text: str, name: str = "cube.obj") -> Polygons:
    return read_mesh(text.encode(), name)


def known(mesh: Polygons, name: str = "cube.obj") -> MeshFacts:
    return mesh_facts(mesh, name)


def ball(subdivisions: int = 3) -> trimesh.Trimesh:
    return trimesh.creation.icosphere(subdivisions=subdivisions, radius=40)


class ReadTests(TestCase):
    def test_an_obj_keeps_polygons_groups_materials_and_uv(self):
        mesh = read(CUBE)
        self.assertEqual((mesh.faces, set(np.diff(mesh.offsets)), len(mesh.positions)), (6, {4}, 8))
        self.assertEqual((mesh.group_names, mesh.material_names), (("walls", "lid and floor"), ("plaster", "oak")))
        np.testing.assert_array_equal(mesh.groups, [0, 0, 0, 0, 1, 1])
        uv, corners = mesh.uv_sets[0]
        np.testing.assert_array_equal(uv[corners[:4]], [(0, 0), (1, 0), (1, 1), (0, 1)])

    def test_every_way_to_write_a_corner_gives_the_same_faces(self):
        plain = "v 0 0 0\nv 2 0 0\nv 2 1 0\nv 1 3 0\nv 0 1 0\nvn 0 0 1\n"
        for face in (
            "f 1 2 3 4 5", "f 1//1 2//1 3//1 4//1 5//1", "f -5 -4 -3 -2 -1", "f 1 2 3 \\\n4 5", "f  1\t2 3 4 5 ",
            "f 1/ 2/ 3/ 4/ 5/", "f 1//1 2 3//1 4 5", "f 1/1/1 2//1 3 4 5//",
        ):  # fmt: skip
            with self.subTest(face):
                mesh = read(plain + face + "\r\n")
                np.testing.assert_array_equal(mesh.corners, range(5))
                np.testing.assert_array_equal(mesh.offsets, [0, 5])

    def test_formats_that_trimesh_writes_come_back_with_its_area_and_volume(self):
        made = ball()
        for kind in ("obj", "ply", "stl", "glb"):
            with self.subTest(kind):
                data = made.export(file_type=kind)
                mesh = read_mesh(data if isinstance(data, bytes) else data.encode(), f"ball.{kind}")
                solid = OwnMesh(unit="mm").base(mesh)
                again = trimesh.Trimesh(solid.positions, solid.corners[solid.triangles()], process=False)
                self.assertAlmostEqual(again.volume / made.volume, 1, places=4)
                self.assertAlmostEqual(again.area / made.area, 1, places=4)
                self.assertTrue(again.is_watertight)

    def test_ply_as_text_and_binary_with_mixed_polygons_and_uv(self):
        rows = [(0, 0, 0, 0, 0), (1, 0, 0, 1, 0), (1, 1, 0, 1, 1), (0, 1, 0, 0, 1), (0.5, 2, 0, 0.5, 1)]
        faces = [(0, 1, 2, 3), (3, 2, 4)]
        head = "element vertex 5\n" + "".join(f"property float {name}\n" for name in "xyzst")
        head += "element face 2\nproperty list uchar int vertex_indices\nend_header\n"
        text = "ply\nformat ascii 1.0\n" + head
        text += "".join(" ".join(map(str, row)) + "\n" for row in rows)
        text += "".join(f"{len(face)} {' '.join(map(str, face))}\n" for face in faces)
        for order, kind in (("<", "binary_little_endian"), (">", "binary_big_endian")):
            binary = f"ply\nformat {kind} 1.0\n{head}".encode()
            binary += b"".join(struct.pack(f"{order}5f", *row) for row in rows)
            binary += b"".join(struct.pack(f"{order}B{len(face)}i", len(face), *face) for face in faces)
            for data in (text.encode(), binary):
                mesh = read_mesh(data, "mixed.ply")
                np.testing.assert_array_equal(mesh.corners, [0, 1, 2, 3, 3, 2, 4])
                np.testing.assert_array_equal(mesh.offsets, [0, 4, 7])
                np.testing.assert_allclose(mesh.uv_sets[0][0], np.array(rows)[:, 3:])

    def test_a_glb_keeps_every_uv_set_its_materials_and_the_places_of_its_nodes(self):
        """Positions against trimesh, which reads the same file; the second set as it was written."""
        one, other = trimesh.creation.box((1, 2, 3)), trimesh.creation.icosphere(subdivisions=1)
        scene = trimesh.Scene()
        turn = trimesh.transformations.rotation_matrix(0.7, (1, 2, 3), (0.2, 0, 0))
        mirror = np.diag([-1.0, 1, 1, 1])
        for mesh, name, matrix in ((one, "oak", turn), (other, "iron", mirror)):
            material = trimesh.visual.material.PBRMaterial(name=name)
            mesh.visual = trimesh.visual.TextureVisuals(uv=mesh.vertices[:, :2], material=material)
            scene.add_geometry(mesh, transform=matrix)
        data = scene.export(file_type="glb")
        mesh = read_mesh(data, "two.glb")
        self.assertEqual(
            (mesh.faces, sorted(mesh.material_names)), (len(one.faces) + len(other.faces), ["iron", "oak"])
        )
        read = trimesh.load_scene(io.BytesIO(data), file_type="glb").to_geometry()
        again = trimesh.Trimesh(mesh.positions, mesh.corners.reshape(-1, 3), process=False)
        np.testing.assert_allclose(again.bounds, read.bounds, atol=1e-5)
        self.assertAlmostEqual(again.volume, one.volume + other.volume, places=4)
        first = np.sort(np.concatenate([one.vertices[:, :2], other.vertices[:, :2]]), axis=0)
        np.testing.assert_allclose(np.sort(mesh.uv_sets[0][0], axis=0), first, atol=1e-5)
        # a second set: the first one's array under another name
        length = int.from_bytes(data[12:16], "little")
        content = json.loads(data[20 : 20 + length])
        for item in content["meshes"]:
            attributes = item["primitives"][0]["attributes"]
            attributes["TEXCOORD_1"] = attributes["TEXCOORD_0"]
        text = json.dumps(content).encode()
        text += b" " * (-len(text) % 4)
        rest = data[20 + length :]
        twice = struct.pack("<4sIII4s", b"glTF", 2, 20 + len(text) + len(rest), len(text), b"JSON") + text + rest
        self.assertEqual(len(read_mesh(twice, "two.glb").uv_sets), 2)
        self.assertEqual(mesh_facts(read_mesh(twice, "two.glb"), "two.glb").uv_sets, 2)

    def test_what_is_no_mesh_is_refused_in_a_sentence(self):
        good = {kind: ball(1).export(file_type=kind) for kind in ("ply", "stl", "glb")}
        broken = {
            "empty.obj": b"",
            "nothing.obj": b"# only a remark\n",
            "picture.obj": b"\x89PNG\r\n\x1a\n" + bytes(range(256)),
            "points.obj": b"v 0 0 0\nv 1 0 0\n",
            "missing.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 7\n",
            "zero.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 0 1 2\n",
            "letters.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 x\n",
            "short.obj": b"v 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
            "words.obj": b"v a b c\nf 1 2 3\n",
            "nan.obj": b"v 0 0 0\nv nan 0 0\nv 0 1 0\nf 1 2 3\n",
            "line.obj": b"v 0 0 0\nf " + b"1 " * 600_000 + b"\n",
            "flat.obj": b"v 1 1 1\nv 1 1 1\nv 1 1 1\nf 1 2 3\n",
            "slim.obj": b"v 0 0 0\nv 1 0 0\nf 1 2\n",
            "cut.ply": good["ply"][:-30],
            "cut.stl": good["stl"][: len(good["stl"]) // 2],
            "cut.glb": good["glb"][: len(good["glb"]) // 2],
            "wrong.glb": good["stl"],
            "wrong.ply": good["glb"],
            "huge.ply": b"ply\nformat ascii 1.0\nelement vertex 2000000000\nproperty float x\nend_header\n",
            "thing.fbx": b"anything",
        }
        for name, data in broken.items():
            with self.subTest(name), self.assertRaises(MeshError) as refused:
                read_mesh(data, name)
            self.assertRegex(str(refused.exception), r"^[A-Z\w].*\.$")

    def test_faces_of_less_than_three_corners_are_left_out_and_said(self):
        mesh = read("v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nf 1 2 3\nf 2 2 4\nf 2 4 3\n")
        self.assertEqual(mesh.faces, 2)
        self.assertIn("left out", mesh.remarks[0])


class FactsTests(TestCase):
    def test_a_sound_box(self):
        """Open edges, winding and counts against trimesh, which reads the same file."""
        facts = known(read(CUBE))
        other = trimesh.load(trimesh.util.wrap_as_stream(CUBE), file_type="obj", force="mesh")
        other.merge_vertices(merge_tex=True, merge_norm=True)
        self.assertTrue(other.is_watertight)
        self.assertEqual((facts.open_edges, facts.non_manifold, facts.mixed, facts.reversed, facts.doubled), (0,) * 5)
        self.assertEqual((facts.quads, facts.hard_edges, facts.uv_sets), (6, 12, 1))
        np.testing.assert_allclose(facts.size, np.ptp(other.vertices, axis=0) * 1000)

    def test_faults_are_found(self):
        lines = CUBE.splitlines()
        turned = CUBE.replace("f 8/1 7/2 3/3 4/4", "f 4/4 3/3 7/2 8/1")
        self.assertEqual((known(read(turned)).mixed, known(read(turned)).reversed), (4, 1))
        opened = "\n".join(line for line in lines if not line.startswith("f 8/1"))
        self.assertEqual(known(read(opened)).open_edges, 4)
        winged = CUBE + "v 0 5 0\nf 8/1 7/2 9/3\n"
        self.assertEqual((known(read(winged)).non_manifold, known(read(winged)).open_edges), (1, 2))
        doubled = CUBE + "v 1 2 3\nv 1 2 -3\n"
        self.assertEqual(known(read(doubled)).doubled, 2)

    def test_the_unit_is_guessed_with_its_reason(self):
        """Common practice, no source: glTF is in metres by its standard, STL in mm as a rule, others by their size."""
        for size, name, unit in (
            (2, "x.obj", "m"),
            (120, "x.obj", "cm"),
            (900, "x.obj", "mm"),
            (2, "x.glb", "m"),
            (3, "x.stl", "mm"),
        ):
            mesh = trimesh.creation.box((size, 1, 1))
            facts = mesh_facts(read_mesh(mesh.export(file_type="stl"), "x.stl"), name)
            self.assertEqual(facts.unit, unit, name)
            self.assertTrue(facts.reason.endswith("."))


class MendTests(TestCase):
    def test_faces_are_turned_outward_whatever_was_reversed(self):
        """Signed volume against trimesh's own repair, on a ball and a ring with a third of the faces turned."""
        rng = np.random.default_rng(4)
        for made in (ball(2), trimesh.creation.torus(50, 15)):
            faces = made.faces.copy()
            wrong = rng.random(len(faces)) < 0.3
            faces[wrong] = faces[wrong][:, ::-1]
            broken = trimesh.Trimesh(made.vertices, faces, process=False)
            mesh = turn_outward(read_mesh(broken.export(file_type="obj").encode(), "x.obj"))
            again = trimesh.Trimesh(mesh.positions, mesh.corners.reshape(-1, 3), process=False)
            self.assertTrue(again.is_winding_consistent)
            self.assertAlmostEqual(again.volume, made.volume, places=2)
            edges = find_edges(
                broken.faces.reshape(-1).astype(np.int32), np.arange(0, 3 * len(faces) + 1, 3, dtype=np.int32)
            )
            found = find_reversed(made.vertices, faces.reshape(-1), np.arange(0, 3 * len(faces) + 1, 3), edges)
            np.testing.assert_array_equal(found, wrong)

    def test_doubled_vertices_are_merged_and_what_was_loose_is_closed(self):
        made = ball(2)
        loose = trimesh.Trimesh(
            made.triangles.reshape(-1, 3), np.arange(3 * len(made.faces)).reshape(-1, 3), process=False
        )
        mesh = read_mesh(loose.export(file_type="obj").encode(), "x.obj")
        self.assertEqual(known(mesh).doubled, 3 * len(made.faces) - len(made.vertices))
        again = trimesh.Trimesh(mesh.positions, merge_doubled(mesh).corners.reshape(-1, 3), process=False)
        again.remove_unreferenced_vertices()
        self.assertTrue(again.is_watertight)
        self.assertEqual(len(again.vertices), len(made.vertices))

    def test_a_mapping_is_made_whose_faces_do_not_overlap(self):
        """The areas on the map add up to less than it, and no place lies outside."""
        mesh = unwrap(read(CUBE))
        uv, corners = mesh.uv_sets[0]
        self.assertTrue((uv >= 0).all() and (uv <= 1).all())
        a, b, c = np.moveaxis(uv[corners].reshape(-1, 3, 2), 1, 0)
        (x, y), (p, q) = (b - a).T, (c - a).T
        areas = np.abs(x * q - y * p) / 2
        self.assertTrue(0.2 < areas.sum() <= 1)
        real = trimesh.Trimesh(mesh.positions, mesh.corners.reshape(-1, 3), process=False).area_faces
        np.testing.assert_allclose(areas / real, (areas / real).mean(), rtol=0.05)
        large = trimesh.creation.icosphere(subdivisions=6)
        self.assertGreater(len(large.faces), MOST_UNWRAPPED)
        with self.assertRaisesRegex(MeshError, "Use a box"):
            unwrap(read_mesh(large.export(file_type="stl"), "x.stl"))


class OwnShapeTests(TestCase):
    def test_parts_by_groups_materials_and_hard_edges(self):
        mesh = read(CUBE)
        names = {
            split: [part.name for part in OwnMesh(split=split).base(mesh).part_list]
            for split in ("groups", "materials", "angle")
        }
        self.assertEqual(names["groups"], ["walls", "lid and floor"])
        self.assertEqual(names["materials"], ["plaster", "oak"])
        self.assertEqual(len(names["angle"]), 6)
        self.assertEqual(len(OwnMesh(split="angle", split_angle=100).base(mesh).part_list), 1)

    def test_units_and_longest_side(self):
        for settings, expected in (
            ({"unit": "cm"}, (20, 40, 60)),
            ({"longest": 300}, (100, 200, 300)),
            ({"unit": "in"}, (50.8, 101.6, 152.4)),
        ):
            base = OwnMesh(**settings).base(read(CUBE))
            np.testing.assert_allclose(np.ptp(base.positions, axis=0), expected, rtol=1e-6)
            np.testing.assert_allclose(base.positions.mean(axis=0), 0, atol=1e-4)

    def test_uv_by_real_size_has_the_area_of_the_mesh(self):
        base = OwnMesh(unit="cm").base(read(CUBE))
        self.assertAlmostEqual(
            6 * base.part_list[0].width * base.part_list[0].height, 2 * (20 * 40 + 40 * 60 + 20 * 60), places=1
        )

    def test_a_displaced_mesh_stays_closed_however_its_faces_were_cut(self):
        shape = OwnMesh(unit="cm", merge=True)
        base = subdivide_flat(shape.base(read(CUBE)), 3)
        mesh = displace_own(base, field(rough(40, 50), width=30, height=30), 4, 0.5)
        self.assertTrue(trimesh.Trimesh(mesh.positions, mesh.corners[mesh.triangles()], process=False).is_watertight)

    @long
    def test_300_000_faces_without_uv_go_through(self):
        grid = trimesh.creation.icosphere(subdivisions=7)  # 327 680
        mesh = read_mesh(grid.export(file_type="ply"), "fine.ply")
        base = OwnMesh().base(mesh)
        laid = BoxMapping().lay(base, Footprint(), Bounds(*base.bounds()))
        self.assertEqual((base.faces, len(laid.corners)), (327_680, 3 * 327_680))
