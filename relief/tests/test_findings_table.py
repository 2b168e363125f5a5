"""What is said, and what is left unsaid, of a hundred made-up inputs: healthy ones, and ones with one fault each.

Pictures are scikit-image's (CC0 or public domain) and noise of fixed seeds. Each faulty input has one fault that is
common in the trade (no source); a hit is that this fault is named, a false alarm is anything said of a healthy one.
"""

from __future__ import annotations

import hashlib
import io
from collections.abc import Iterator
from unittest import TestCase

import numpy as np
import skimage.data
import tifffile
from PIL import Image
from scipy.ndimage import gaussian_filter

from relief.inspect.check import check
from relief.inspect.find import measure_and_find
from relief.inspect.start import content_of_picture, first_recipe, start_from_nothing
from relief.maps.normal import Normal, normal_map
from relief.recipe import layer_edits
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.sources.decode import decode
from relief.sources.facts import facts
from relief.tests.height_fields import WRAP, centres, field, rough
from relief.tests.tags import long

FEWEST_HITS, MOST_ALARMS = 0.95, 1

KINDS = {
    "blue", "cliffs", "clipped", "colour-as-data", "curve", "data-as-colour", "exchanged", "flat", "green",
    "green-name", "harsh", "length", "seam", "shades", "shallow", "steps", "stretched", "swell", "telltale",
    "too-strong", "uneven", "weak",
}  # fmt: skip
"""The kinds of findings that the table has faulty inputs for."""


def encoded(pixels: np.ndarray, form: str = "PNG", **options) -> bytes:
    data = io.BytesIO()
    if form == "TIFF":
        tifffile.imwrite(data, pixels)
    else:
        Image.fromarray(pixels).save(data, form, **options)
    return data.getvalue()


def jpeg(pixels: np.ndarray, quality: int = 90) -> bytes:
    return encoded(pixels, "JPEG", quality=quality)


def sixteen(heights: np.ndarray) -> np.ndarray:
    return np.rint(np.clip(heights, 0, 1) * 65535).astype(np.uint16)


def eight(heights: np.ndarray) -> np.ndarray:
    return np.rint(np.clip(heights, 0, 1) * 255).astype(np.uint8)


def hills(seed: int, breadth: float, size: tuple[int, int] = (220, 256)) -> np.ndarray:
    """Smooth hills that tile, 0 to 1."""
    noise = gaussian_filter(np.random.default_rng(seed).standard_normal(size), breadth, mode="wrap")
    return (noise - noise.min()) / np.ptp(noise)


def normals(seed: int, rise: float = 4, bits: int = 8, **normal) -> np.ndarray:
    return normal_map(field(rough(220, 256, seed), 100, edges=WRAP), rise, Normal(**normal), bits)


def photos() -> dict[str, np.ndarray]:
    """Photos of surfaces, 256 pixels on a side."""
    found = {name: getattr(skimage.data, name)()[:256, :256] for name in ("gravel", "brick", "grass")}
    return found | {f"{name}-below": getattr(skimage.data, name)()[256:, 100:356] for name in found}


def joints(width: float) -> np.ndarray:
    """A photo of plain tiles, two across, with sharp dark joints of some width beside that of a tile."""
    place = centres(700) * 2 % 1
    inside = np.minimum.outer(place, place) > width
    return eight(0.15 + 0.6 * inside + np.random.default_rng(1).normal(0, 0.01, inside.shape))


def healthy_files() -> Iterator[tuple[str, bytes]]:
    for name, pixels in photos().items():
        yield f"{name}.jpg", jpeg(pixels, 92)
        yield f"{name}.png", encoded(np.dstack([pixels, pixels * 0.93, pixels * 0.8]).astype(np.uint8))
    for seed in range(4):
        yield f"rough{seed}_height.png", encoded(sixteen(0.1 + 0.8 * rough(220, 256, seed)))
        yield f"hills{seed}_height.tif", encoded(hills(seed, 9 + 3 * seed).astype(np.float32), "TIFF")
        yield f"mounds{seed}_height.png", encoded(sixteen(hills(seed + 9, 14 + 2 * seed)))
        yield f"wall{seed}_normal.png", encoded(normals(seed, green=("up", "down")[seed % 2]))
    for quality in (75, 90, 95):
        yield f"wall_{quality}_normal.jpg", jpeg(normals(quality), quality)
    yield "wall_gl.png", encoded(normals(5))
    yield "wall_dx.png", encoded(normals(6, green="down"))
    yield "tile_seamless_height.png", encoded(sixteen(rough(128, 128, 8)))
    yield "grain_height.png", encoded(eight(rough(220, 256, 3)))
    place = centres(220) * 4 % 1
    bricks = np.clip((np.minimum.outer(place, centres(256) * 2 % 1) - 0.06) * 30, 0, 1)
    yield "bricks_height.png", encoded(sixteen(bricks))  # plateaus at both ends are meant here
    yield "terraces_height.png", encoded(sixteen(np.rint(hills(3, 30) * 9) / 9))
    for number, photo in enumerate(photos().values()):
        falls_off = 1 - 0.2 * np.linspace(0, 1, 256)[None, :]
        yield f"lit{number}.jpg", jpeg((photo * falls_off).astype(np.uint8), 92)


def faulty_files() -> Iterator[tuple[str, str, bytes]]:
    gravel, brick, grass = (photos()[name] for name in ("gravel", "brick", "grass"))
    for number, (photo, gain, lift) in enumerate(
        (
            (gravel, 2.2, 0),
            (brick, 1.9, 40),
            (grass, 2.5, 60),
            (gravel, 1.6, -110),
            (brick, 1.5, -120),
            (grass, 1.8, 90),
        )
    ):
        light = np.clip(photo * gain + lift, 0, 255).astype(np.uint8)
        yield "clipped", f"sky{number}.jpg", jpeg(light, 85 + number)
    for number, spread in enumerate((0.5, 0.6, 0.8, 1.0)):
        wide = (hills(number + 30, 7) - 0.5) * 2 / spread + 0.5  # the file holds less than there was
        yield "clipped", f"cut{number}_height.png", encoded(sixteen(wide))
    for number, apart in enumerate((2, 3, 4, 5)):
        coarse = eight(hills(number + 40, 40)) // apart * apart
        yield "steps", f"sparse{number}_height.png", encoded(coarse)
        yield "steps", f"sparse16-{number}_height.png", encoded(coarse.astype(np.uint16) * 257)
    for number in range(4):
        flat = 30_000 + np.rint(54 * hills(number + 50, 20)).astype(np.uint16)
        yield "shallow", f"flat{number}_height.png", encoded(flat)
    for number, size in enumerate((128, 256)):
        for seed in (60, 61):
            alone = hills(seed, 12, (size + 70, size + 90))[:size, :size]
            yield "seam", f"alone{number}{seed}_height.png", encoded(sixteen(alone))
    for number, (photo, direction) in enumerate(((gravel, 0), (brick, 1), (grass, 0), (gravel, 1), (grass, 1))):
        light = np.linspace(1.0, 0.45, 256)
        lit = photo * (light[None, :] if direction else light[:, None])
        yield "uneven", f"lamp{number}.jpg", jpeg(lit.astype(np.uint8), 92)
    flash = np.dstack([np.clip(gravel * gain, 0, 255) for gain in (2.6, 2.4, 2.2)]).astype(np.uint8)
    yield "clipped", "flash.png", encoded(flash)
    for number, breadth in enumerate((20, 30, 45)):
        smooth = 0.4 + 0.15 * hills(number, breadth)
        yield "steps", f"dune{number}_height.png", encoded(eight(smooth))
        yield "steps", f"dune16-{number}_height.png", encoded(eight(smooth).astype(np.uint16) * 257)
        yield "steps", f"dune-float{number}_height.tif", encoded((eight(smooth) / 255).astype(np.float32), "TIFF")
    levels = np.rint(hills(7, 60, (440, 512)) * 90).astype(np.uint16) * 703  # as a scanner of few levels writes them
    yield "steps", "scan_height.png", encoded(levels)
    for number, word in enumerate(("seamless", "tile", "tileable", "tiling")):
        yield "seam", f"ground{number}_{word}.jpg", jpeg(photos()["gravel" if number % 2 else "grass"][:, :200])
    for number in range(3):
        across = rough(200, 240, number)[:150]
        yield "seam", f"strip{number}_height.png", encoded(sixteen(across if number % 2 else across.T))
    for number in range(4):
        soft = gaussian_filter(normals(number, 9).astype(float), (3 + number, 3 + number, 0), mode="wrap")
        yield "length", f"soft{number}_normal.png", encoded(np.rint(soft).astype(np.uint8))
    for number, gamma in enumerate((2.2, 1 / 2.2)):
        bent = 255 * (normals(number) / 255) ** gamma
        yield "length", f"gamma{number}_normal.png", encoded(np.rint(bent).astype(np.uint8))
    for number, blue in enumerate((255, 128, 0)):
        without = normals(number)
        without[..., 2] = blue
        yield "blue", f"blue{number}_normal.png", encoded(without)
    for number, (word, green) in enumerate((("gl", "down"), ("ogl", "down"), ("dx", "up"), ("opengl", "down"))):
        yield "green-name", f"plank{number}_normal_{word}.png", encoded(normals(number, green=green))
        yield "green-name", f"plank{number}_normal_{word}.jpg", jpeg(normals(number + 20, green=green))
    for number in range(3):
        yield "exchanged", f"swapped{number}_normal.png", encoded(normals(number)[..., ::-1].copy())
    yield "exchanged", "swapped.png", encoded(normals(9)[..., ::-1].copy())
    for number, photo in enumerate((gravel, brick, grass)):
        yield "shades", f"threshold{number}.jpg", jpeg(((photo > np.median(photo)) * 255).astype(np.uint8), 98)
    yield "flat", "even_height.png", encoded(np.full((90, 70), 30_000, np.uint16))
    for number, place in enumerate(((60, 70), (150, 200), (110, 60))):
        stained = hills(number, 2.5)
        row, column = place
        blob = np.hypot(np.arange(220)[:, None] - row, np.arange(256)[None, :] - column) < 16
        yield (
            "telltale",
            f"stain{number}_height.png",
            encoded(sixteen(0.4 * stained + 0.6 * gaussian_filter(blob * 1.0, 4))),
        )


ENGINE = Engine()
"""One for all: what a piece has computed as it began is not computed again as it is measured."""


def begun(name: str, data: bytes, role: str | None = None) -> tuple[Recipe, dict[str, bytes]]:
    digest = hashlib.sha256(data).hexdigest()
    guess = facts(decode(data, name), name).guess
    content = content_of_picture(name, role or guess.role, guess.green)
    source = SourceReference(digest=digest, filename=name)
    return first_recipe({"picture": source}, content, lambda _: data, ENGINE), {digest: data}


def faulty_pieces() -> Iterator[tuple[str, str, Recipe, dict[str, bytes]]]:
    """Pieces that were begun well and then set wrong."""
    heights = {f"rough{seed}_height.png": encoded(sixteen(rough(200, 240, seed))) for seed in range(3)}
    for name, data in heights.items():
        recipe, files = begun(name, data)
        amplitude, midlevel = recipe.main.amplitude, recipe.main.midlevel
        yield "harsh", name, recipe.with_changes({"amplitude": amplitude * 8}), files
        yield "weak", name, recipe.with_changes({"amplitude": amplitude / 30}), files
        yield "swell", name, recipe.with_changes({"midlevel": midlevel - 0.3}), files
        yield "stretched", name, recipe.with_changes({"footprint.keep_aspect": False, "footprint.width": 500}), files
        yield "curve", name, recipe.with_changes({"layers.0.content.transfer": "srgb"}), files
        yield "too-strong", name, recipe.with_changes({"maps.normal.strength": 12}), files
        yield "data-as-colour", name, *begun(name, data, "photo")
    for name, pixels in photos().items():
        coloured = np.dstack([pixels, pixels * 0.8, pixels * 0.5]).astype(np.uint8)
        data = encoded(coloured)
        yield "colour-as-data", name, *begun(f"{name}.png", data, "height")
        recipe, files = begun(f"{name}.png", data)
        yield "clipped", name, recipe.with_changes({"layers.0.treatments.0.white": 0.12}), files
    for number, joint in enumerate((0.03, 0.05)):
        data = jpeg(joints(joint), 95)
        recipe, files = begun("floor.jpg", data)
        yield "cliffs", f"joints{number}", recipe.with_changes({"amplitude": 20}), files
    for number in range(2):
        data = encoded(normals(number, green="down"))
        recipe, files = begun("plain_normal.png", data)
        yield "green", f"turned{number}", recipe.with_changes({"layers.0.content.green": "up"}), files
    strip = encoded(sixteen(rough(200, 240, 5)[:150, :170]))
    recipe, files = begun("strip.png", strip)
    yield "seam", "wrapped strip", recipe.with_changes({"edges.across": "wrap", "edges.down": "wrap"}), files


def healthy_pieces() -> Iterator[tuple[str, Recipe, dict[str, bytes]]]:
    for kind in ("gradient_noise", "value_noise", "cellular_noise", "waves", "dots", "net"):
        yield kind, start_from_nothing(kind, lambda _: b"", ENGINE), {}
    recipe, files = begun("rough_height.png", encoded(sixteen(rough(200, 240, 1))))
    yield "two layers", recipe.with_relief(layer_edits.add_layer(recipe.main, "gradient_noise")[0]), files


def said_of_piece(recipe: Recipe, files: dict[str, bytes]) -> list[str]:
    _, found = measure_and_find(Pipeline.of(recipe, files.__getitem__), ENGINE)
    return [item.kind for item in found]


def said_of_file(name: str, data: bytes) -> list[str]:
    checked = check({name: data})
    return [item.kind for item in checked.files[name]]


class TableTests(TestCase):
    @long
    def test_faults_are_found_and_what_is_well_is_left_alone(self):
        alarms, missed, counts, kinds = [], [], {"healthy": 0, "faulty": 0}, set()
        for name, data in healthy_files():
            counts["healthy"] += 1
            alarms += [f"{name}: {kind}" for kind in said_of_file(name, data)]
        for name, recipe, files in healthy_pieces():
            counts["healthy"] += 1
            alarms += [f"{name}: {kind}" for kind in said_of_piece(recipe, files)]
        for kind, name, data in faulty_files():
            kinds.add(kind)
            counts["faulty"] += 1
            said = said_of_file(name, data)
            missed += [] if kind in said else [f"{name}: {kind}, said {said}"]
            self.assertEqual(len(said), len(set(said)), f"{name}: nothing is said twice")
        for kind, name, recipe, files in faulty_pieces():
            kinds.add(kind)
            counts["faulty"] += 1
            said = said_of_piece(recipe, files)
            missed += [] if kind in said else [f"{name}: {kind}, said {said}"]
        hits = 1 - len(missed) / counts["faulty"]
        words = (
            f"\nfindings: {counts['healthy']} healthy with {len(alarms)} false alarms, {counts['faulty']} faulty with "
            f"{hits:.0%} found\n" + "\n".join([*alarms, *missed])
        )
        print(words)
        self.assertEqual(kinds, KINDS)
        self.assertGreaterEqual(counts["healthy"], 40)
        self.assertGreaterEqual(counts["faulty"], 60)
        self.assertGreaterEqual(hits, FEWEST_HITS, words)
        self.assertLessEqual(len(alarms), MOST_ALARMS, words)
