"""Normal maps edited as fields of directions, and combined with those that came along."""

import io
from dataclasses import replace
from unittest import TestCase

import numpy as np
from PIL import Image
from scipy.spatial.transform import Rotation

from relief.height import Edges, Footprint
from relief.maps.normal import Normal, normal_map, vectors
from relief.maps.vectors import rebuilt_blue, reorient, strengthen, unit, vectors_of
from relief.recipe.layer import Layer, Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run.engine import Engine
from relief.run.finished import finish_map, normals
from relief.run.pipeline import Pipeline
from relief.tests.height_fields import WRAP, field, rough
from relief.treat.invert import Invert
from relief.treat.mirror import Mirror
from relief.treat.turn import Turn

UPRIGHT = np.array([0.0, 0.0, 1.0])


def directions(count: int, seed: int = 0) -> np.ndarray:
    """Unit vectors that lean at most 60 degrees or so: float32 (1, count, 3)."""
    flat = np.random.default_rng(seed).normal(0, 0.8, (count, 2))
    return unit(np.dstack([flat[None], np.ones((1, count))]))


def encoded(vectors: np.ndarray, bits: int, red: str = "right", green: str = "up") -> np.ndarray:
    """Unit vectors as uint8 or uint16 (rows, columns, 3) with NumPy: round((n / 2 + 1 / 2) (2^bits - 1))."""
    most = 2**bits - 1
    levels = np.floor(vectors * np.float32(most / 2) + np.float32(most / 2 + 0.5)).astype(np.int32)
    if red == "left":
        levels[..., 0] = most - levels[..., 0]
    if green == "down":
        levels[..., 1] = most - levels[..., 1]
    return np.clip(levels, 0, most).astype(np.uint8 if bits == 8 else np.uint16)


def png(pixels: np.ndarray) -> bytes:
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "PNG")
    return data.getvalue()


def recipe_of(sources: dict[str, bytes], content: Picture, *treatments, **values) -> Pipeline:
    """A pipeline of one layer that wraps, on a footprint of 40 mm."""
    digests = {key: f"{number:064x}" for number, key in enumerate(sources)}
    references = {key: SourceReference(digest=digest, filename=f"{key}.png") for key, digest in digests.items()}
    relief = Relief(
        layers=(Layer(name="x", content=content, treatments=treatments),),
        footprint=Footprint(width=40, height=40), edges=Edges(across="wrap", down="wrap"), amplitude=3, **values,
    )  # fmt: skip
    data = {digests[key]: sources[key] for key in sources}
    return Pipeline.of(Recipe.of(relief, references), data.__getitem__)


class VectorTests(TestCase):
    def test_reoriented_against_rotation_matrices(self):
        """Barre-Brisebois & Hill 2012: upright to the base by the shortest turn, as SciPy's `Rotation` has it."""
        base, detail = directions(200, 1), directions(200, 2)
        found = reorient(base, detail)[0]
        for number, (lower, upper) in enumerate(zip(base[0], detail[0], strict=True)):
            axis = np.cross(UPRIGHT, lower)
            angle = np.arctan2(np.linalg.norm(axis), lower[2])
            turn = Rotation.from_rotvec(axis / np.linalg.norm(axis) * angle)
            np.testing.assert_allclose(found[number], turn.apply(upper), atol=1e-5)

    def test_combined_with_flat_each_stays_as_it_is(self):
        some, flat = directions(50), np.float32([[UPRIGHT] * 50])
        np.testing.assert_allclose(reorient(some, flat), some, atol=1e-6)
        np.testing.assert_allclose(reorient(flat, some), some, atol=1e-6)

    def test_blue_is_made_again_of_red_and_green(self):
        """z = sqrt(1 - x^2 - y^2), within what 8 bits of red and green leave."""
        some = directions(300)
        np.testing.assert_allclose(rebuilt_blue(some[..., 0], some[..., 1]), some[..., 2], atol=1e-6)
        pixels = encoded(some, 8)
        for blue in (0, 255, 128):
            without = pixels.copy()
            without[..., 2] = blue
            cosines = (vectors_of(without) * some).sum(axis=-1)
            self.assertGreater(cosines.min(), np.cos(np.radians(1.0)), blue)
        softened = pixels.copy()
        softened[..., 2] = pixels[..., 2] // 2 + 100
        self.assertGreater((vectors_of(softened, rebuild_blue=True) * some).sum(axis=-1).min(), 0.9998)

    def test_encoded_and_read_back_in_every_direction(self):
        some = directions(300)
        for bits, within in ((8, 0.009), (16, 4e-5)):
            np.testing.assert_allclose(vectors_of(encoded(some, bits)), some, atol=within)
            down = encoded(some, bits, green="down")
            np.testing.assert_allclose(vectors_of(down, "down"), some, atol=within)
            left = encoded(some, bits, red="left")
            np.testing.assert_array_equal(left[..., 0], 2**bits - 1 - encoded(some, bits)[..., 0])

    def test_strength_is_a_factor_on_slopes(self):
        some = directions(100)
        for strength in (2.5, -1):
            more = strengthen(some, strength)
            np.testing.assert_allclose(
                more[..., :2] / more[..., 2:], strength * some[..., :2] / some[..., 2:], rtol=1e-4, atol=1e-5
            )

    def test_the_compiled_encoder_and_the_vectors_agree(self):
        here = field(rough(40, 50), width=40, edges=WRAP)
        for red in ("right", "left"):
            for green in ("up", "down"):
                normal = Normal(red=red, green=green, strength=1.5)
                compiled = normal_map(here, 4, normal).astype(int)
                flat = np.float32(np.broadcast_to(UPRIGHT, (40, 50, 3)))
                combined = normal_map(here, 4, normal.model_copy(update={"of": "both"}), along=flat).astype(int)
                self.assertLessEqual(np.abs(compiled - combined).max(), 1)
                plain = encoded(vectors(here, 4, normal), 8, red, green).astype(int)
                self.assertLessEqual(np.abs(compiled - plain).max(), 1)


class CameAlongTests(TestCase):
    """A normal map that is a source is edited as a field of directions, not as colours."""

    def setUp(self):
        self.heights = rough(48, 48, 3)
        self.truth = field(self.heights, width=40, edges=WRAP)
        self.pixels = normal_map(self.truth, 3, Normal())

    def passed_through(self, *treatments, **normal) -> np.ndarray:
        """The unit vectors of the delivered normal map when it is the source's own."""
        content = Picture(source="picture", reading="normal")
        pipeline = recipe_of({"picture": png(self.pixels)}, content, *treatments)
        changes = {f"maps.normal.{name}": value for name, value in {"of": "source", **normal}.items()}
        pipeline = replace(pipeline, relief=pipeline.relief.with_changes(changes))
        return Engine().run(finish_map(pipeline, "normal"))

    def test_left_alone_it_comes_out_as_it_came_in(self):
        self.assertLessEqual(np.abs(self.passed_through().astype(int) - self.pixels).max(), 1)

    def test_turned_mirrored_and_inverted_it_is_the_map_of_the_relief_that_was(self):
        """The relief is turned, mirrored or inverted first and its normal map made then."""
        for treatment, moved in (
            (Turn(quarters=1), np.rot90(self.heights, 1)),
            (Turn(quarters=2), np.rot90(self.heights, 2)),
            (Mirror(), self.heights[:, ::-1]),
            (Mirror(across=False, down=True), self.heights[::-1]),
            (Mirror(across=True, down=True), self.heights[::-1, ::-1]),
            (Invert(), 1 - self.heights),
        ):
            with self.subTest(treatment=treatment):
                expected = normal_map(field(np.ascontiguousarray(moved), width=40, edges=WRAP), 3, Normal())
                found = self.passed_through(treatment)
                self.assertLessEqual(np.abs(found.astype(int) - expected).max(), 2)

    def test_a_small_turn_turns_the_directions_too(self):
        """In the middle, where the same texel stays, its direction is turned by the angle."""
        slanted = np.broadcast_to(encoded(unit(np.float32([[[0.6, 0, 0.8]]])), 8), (32, 32, 3)).copy()
        self.pixels = slanted
        found = vectors_of(self.passed_through(Turn(angle=30)))[8, 8]
        np.testing.assert_allclose(found, [0.6 * np.cos(np.pi / 6), 0.6 * np.sin(np.pi / 6), 0.8], atol=0.01)

    def test_made_smaller_it_keeps_unit_length(self):
        content = Picture(source="picture", reading="normal")
        pipeline = recipe_of({"picture": png(self.pixels)}, content)
        changes = {"maps.normal.of": "source", "maps.resolution": 20}
        small = replace(pipeline, relief=pipeline.relief.with_changes(changes))
        vectors = Engine().run(finish_map(small, "normal", 16)).astype(float) / 65535 * 2 - 1
        self.assertEqual(vectors.shape, (20, 20, 3))
        np.testing.assert_allclose(np.linalg.norm(vectors, axis=2), 1, atol=1e-4)

    def test_strength_and_green_are_its_own(self):
        weaker = vectors_of(self.passed_through(detail=0.5, green="down"), "down")
        whole = vectors_of(self.pixels)
        np.testing.assert_allclose(weaker[..., 0] / weaker[..., 2], 0.5 * whole[..., 0] / whole[..., 2], atol=0.03)
        np.testing.assert_allclose(weaker[..., 1] / weaker[..., 2], 0.5 * whole[..., 1] / whole[..., 2], atol=0.03)

    def test_a_sets_normal_map_is_laid_on_the_relief(self):
        height = np.rint(rough(48, 48, 9) * 65535).astype(np.uint16)
        content = Picture(source="height", reading="height", companions={"normal": "normal"})
        pipeline = recipe_of({"height": png(height), "normal": png(self.pixels)}, content)
        engine = Engine()
        together = engine.run(normals(pipeline, Normal(of="both"), 16))
        own = vectors_of(engine.run(normals(pipeline, Normal(), 16)))
        expected = reorient(own, vectors_of(self.pixels))
        self.assertGreater((vectors_of(together) * expected).sum(axis=-1).min(), 0.9999)
        # and where nothing came along the relief's own is made
        alone = recipe_of({"height": png(height)}, Picture(source="height", reading="height"))
        np.testing.assert_array_equal(
            engine.run(normals(alone, Normal(of="both"), 8)), engine.run(normals(alone, Normal(), 8))
        )
