"""A delivered mesh with its residual normal map, read as a receiver reads it, against the true shape in closed form.

Nothing of ours is used to read: the GLB is taken apart by its own tables (Khronos, glTF 2.0), the map by OpenCV;
normals and tangents are interpolated over each triangle and the texels joined by straight lines, as a renderer does it.
"""

from __future__ import annotations

import json
import struct
from pathlib import Path

import cv2
import numpy as np
import tifffile

from relief.tests.command import CommandTestCase
from relief.tests.tags import long

RADIUS, TALL, AMPLITUDE = 100.0, 300.0, 12.0
PLACES = 60_000


def wavy(u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """A relief that repeats and has no symmetry; u to the right, v up, 0 to 1."""
    one = 0.25 * np.sin(2 * np.pi * 5 * u + 0.7) * np.cos(2 * np.pi * 3 * v + 0.3)
    return 0.5 + one + 0.15 * np.sin(2 * np.pi * (3 * u + 4 * v))


def level(u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """The same height everywhere."""
    return np.full_like(u, 0.8)


def on_sphere(u: np.ndarray, v: np.ndarray, moved: np.ndarray) -> np.ndarray:
    """Points of a displaced sphere: longitude from the back around, latitude from the south."""
    angle = 2 * np.pi * u
    out = np.sin(np.pi * v)
    normal = np.stack([-np.sin(angle) * out, -np.cos(np.pi * v), -np.cos(angle) * out], axis=1)
    return normal * (RADIUS + moved)[:, None]


def on_cylinder(u: np.ndarray, v: np.ndarray, moved: np.ndarray) -> np.ndarray:
    """Points of the displaced side of a cylinder."""
    angle = 2 * np.pi * u
    return np.stack([-np.sin(angle) * (RADIUS + moved), (v - 0.5) * TALL, -np.cos(angle) * (RADIUS + moved)], axis=1)


def unit(vectors: np.ndarray) -> np.ndarray:
    return vectors / np.linalg.norm(vectors, axis=1, keepdims=True)


def degrees_between(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    one, other = unit(one), unit(other)
    return np.degrees(np.arctan2(np.linalg.norm(np.cross(one, other), axis=1), (one * other).sum(axis=1)))


def read_glb(place: Path) -> dict[str, np.ndarray]:
    """The attributes of the first mesh of a GLB, in float64, and its `triangles`."""
    data = place.read_bytes()
    (length,) = struct.unpack("<I", data[12:16])
    told, binary = json.loads(data[20 : 20 + length]), data[28 + length :]

    def read(number: int) -> np.ndarray:
        accessor = told["accessors"][number]
        view = told["bufferViews"][accessor["bufferView"]]
        width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[accessor["type"]]
        kind = {5126: np.float32, 5125: np.uint32, 5123: np.uint16}[accessor["componentType"]]
        first = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        return np.frombuffer(binary, kind, accessor["count"] * width, first).reshape(-1, width)

    primitive = told["meshes"][0]["primitives"][0]
    found = {name: read(number).astype(np.float64) for name, number in primitive["attributes"].items()}
    return found | {"triangles": read(primitive["indices"]).reshape(-1, 3)}


def read_map(place: Path, uv: np.ndarray) -> np.ndarray:
    """A normal map at places of glTF (v down), its texels joined by straight lines: (places, 3), -1 to 1."""
    pixels = cv2.imread(str(place), cv2.IMREAD_UNCHANGED)[..., ::-1].astype(np.float64) / 65_535
    rows, columns = pixels.shape[:2]
    x, y = uv[:, 0] * columns - 0.5, uv[:, 1] * rows - 0.5
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    right, down = (x - left)[:, None], (y - top)[:, None]

    def texel(row: np.ndarray, column: np.ndarray) -> np.ndarray:
        return pixels[np.clip(row, 0, rows - 1), np.clip(column, 0, columns - 1)]

    upper = texel(top, left) * (1 - right) + texel(top, left + 1) * right
    lower = texel(top + 1, left) * (1 - right) + texel(top + 1, left + 1) * right
    return (upper * (1 - down) + lower * down) * 2 - 1


class ReceivedSplitTests(CommandTestCase):
    def deliver(self, height, *options) -> dict:
        """Builds a split surface by the command line; gives what it printed."""
        rows, columns = np.mgrid[0:384, 0:640]
        samples = height((columns + 0.5) / 640, 1 - (rows + 0.5) / 384).astype(np.float32)
        tifffile.imwrite(self.folder / "relief.tif", samples)
        code, printed, problem = self.run_command(
            "mesh", self.folder / "relief.tif", "--as", "height", "--amplitude", AMPLITUDE, "--midlevel", 0.5,
            "--edges", "wrap", "--mapping", "uv", "--sizing", "fit", "--out", self.folder / "s.glb", *options,
        )  # fmt: skip
        self.assertEqual(code, 0, problem)
        return json.loads(printed)["normals_off"]

    def received(self, points, height) -> tuple[np.ndarray, np.ndarray]:
        """Degrees between the true normals and those of the mesh alone, and with its map, all over the shape."""
        mesh = read_glb(self.folder / "s.glb")
        corners, positions = mesh["triangles"], mesh["POSITION"] * 1000
        edges = [positions[corners[:, side]] - positions[corners[:, 0]] for side in (1, 2)]
        areas = np.linalg.norm(np.cross(*edges), axis=1)
        rng = np.random.default_rng(3)
        chosen = rng.choice(len(corners), PLACES, p=areas / areas.sum())
        shares = rng.dirichlet((1, 1, 1), PLACES)
        at = lambda values: np.einsum("ij,ijk->ik", shares, values[corners[chosen]])  # noqa: E731
        place, normal, tangent, uv = (at(mesh[name]) for name in ("POSITION", "NORMAL", "TANGENT", "TEXCOORD_0"))
        sign = mesh["TANGENT"][corners[chosen, 0], 3:]
        bitangent = np.cross(normal, tangent[:, :3]) * sign
        held = read_map(self.folder / "s_residual.png", uv)
        shaded = held[:, :1] * tangent[:, :3] + held[:, 1:2] * bitangent + held[:, 2:] * normal
        place *= 1000
        u = np.arctan2(-place[:, 0], -place[:, 2]) / (2 * np.pi) % 1
        if points is on_sphere:
            v = np.arccos(-unit(place)[:, 1]) / np.pi
            inner = (v > 0.06) & (v < 0.94)  # at a pole the relief is squeezed without end
        else:
            v = place[:, 1] / TALL + 0.5
            # the side alone, not the caps, nor the row of faces that bends over to them
            inner = (uv[:, 0] < 0.5) & (uv[:, 1] > 0.5) & (v > 0.03) & (v < 0.97)

        def surface(u: np.ndarray, v: np.ndarray) -> np.ndarray:
            return points(u, v, AMPLITUDE * (height(u, v) - 0.5))

        step = 1e-5
        true = np.cross(surface(u + step, v) - surface(u - step, v), surface(u, v + step) - surface(u, v - step))
        return degrees_between(normal, true)[inner], degrees_between(shaded, true)[inner]

    @long
    def test_a_sphere_of_one_height_needs_no_residual_and_gets_none(self):
        """Its facets are no relief. The map is flat, and the sphere looks round by its interpolated normals."""
        for segments in (16, 48):
            with self.subTest(segments):
                told = self.deliver(
                    level, "--shape", "sphere", "--size", 200, "--segments", segments, "--level", 0, "--split", 512
                )
                before, after = self.received(on_sphere, level)
                self.assertLess(after.mean(), 0.01)
                self.assertLess(after.mean(), before.mean() / 20)
                self.assertLess(told["with_residual"]["mean_degrees"], 0.01)

    @long
    def test_round_shapes_with_relief_get_the_normals_of_the_true_shape(self):
        for points, shape, most in (
            (on_sphere, ("sphere", "--size", 200), 0.15), (on_cylinder, ("cylinder", "--size", 200, TALL), 0.05)
        ):  # fmt: skip
            with self.subTest(shape[0]):
                told = self.deliver(
                    wavy, "--shape", *shape, "--segments", 48, "--level", 1, "--sampling", "bicubic", "--split", 2048
                )
                before, after = self.received(points, wavy)
                self.assertLess(after.mean(), most)
                self.assertGreater(before.mean(), 5 * after.mean())
                self.assertLess(told["with_residual"]["mean_degrees"], most)
