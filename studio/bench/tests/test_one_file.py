"""One more kind of something is one more file: the recipe, the bench, the command line and deliveries have it then."""

import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase

from relief.tests.tags import long
from studio.environment import HOUSE

HINT = "click to nudge it"

FILES = {
    "generate/rising.py": '''"""Rising: a pattern of one file."""

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Generator, Grid
from relief.parameters import number


class Rising(Generator):
    """A slope to the right."""

    title: ClassVar[str] = "Rising pattern"
    family: ClassVar[Family] = "pattern"
    kind: Literal["rising"] = "rising"
    rise: float = number(1, 0, 2, label="Rise", help="How much it rises.")

    def draw(self, grid: Grid) -> np.ndarray:
        return np.ascontiguousarray(np.broadcast_to(grid.across() * self.rise, (grid.rows, grid.columns)))
''',
    "treat/halved.py": '''"""Halved: a treatment of one file."""

from typing import ClassVar, Literal

from relief.height import HeightField
from relief.treat.treatment import Family, Treatment


class Halved(Treatment):
    """Halves all heights."""

    title: ClassVar[str] = "Halved treatment"
    family: ClassVar[Family] = "tone"
    kind: Literal["halved"] = "halved"

    def treat(self, field: HeightField) -> HeightField:
        return field.with_samples(field.samples / 2)
''',
    "maps/evenly_grey.py": '''"""Evenly grey: a map of one file."""

from typing import ClassVar, Literal

import numpy as np

from relief.maps.companion import NOTHING, CompanionMap


class EvenlyGrey(CompanionMap):
    """The same grey everywhere."""

    title: ClassVar[str] = "Evenly grey map"
    role: ClassVar[str] = "metalness"
    reads: ClassVar[str] = "It says nothing."
    kind: Literal["evenly_grey"] = "evenly_grey"

    def draw(self, field, amplitude, beside=NOTHING) -> np.ndarray:
        return np.full_like(field.samples, 0.5)
''',
    "surface/shapes/strip.py": '''"""Strip: a shape of one file."""

from typing import ClassVar, Literal

from relief.height import Footprint
from relief.parameters import number
from relief.surface.mesh import Part
from relief.surface.patches import Patch
from relief.surface.shapes.plane import flat
from relief.surface.shapes.shape import Shape


class Strip(Shape):
    """A long plane."""

    title: ClassVar[str] = "Strip shape"
    about: ClassVar[str] = "A long plane"
    upright: ClassVar[bool] = False
    kind: Literal["strip"] = "strip"
    run: float = number(100, 1, 1000, label="Run of the strip", unit="mm", help="How long it is.")

    def size(self, footprint: Footprint) -> tuple[float, float, float]:
        return self.run, 10, 0

    def patches(self, footprint: Footprint) -> list[Patch]:
        return [flat(Part("all", self.run, 10), 4, 1, (self.run, 0, 0), (0, 10, 0), (0, 0, 0))]
''',
    "surface/mapping/straight.py": '''"""Straight: a mapping of one file."""

from typing import ClassVar, Literal

from relief.surface.mapping.own import OwnMapping


class StraightMapping(OwnMapping):
    """As it comes."""

    title: ClassVar[str] = "Straight mapping"
    about: ClassVar[str] = "As it comes"
    kind: Literal["straight"] = "straight"
''',
    "surface/tessellation/thrifty.py": '''"""Thrifty: a way of tessellating of one file."""

from typing import ClassVar, Literal

import numpy as np

from relief.parameters import number
from relief.surface.tessellation.tessellation import Measured, Tessellation


class Thrifty(Tessellation):
    """Cuts nothing."""

    title: ClassVar[str] = "Thrifty tessellation"
    about: ClassVar[str] = "Nothing is cut"
    measure: ClassVar[str] = "share"
    weighs: ClassVar[bool] = False
    kind: Literal["thrifty"] = "thrifty"
    share: float = number(1, 0, 2, label="Share of it", help="Nothing follows from it.")

    def pieces(self, measured: Measured) -> np.ndarray:
        return np.ones(len(measured.edges))

    def edges_to_cut(self, measured: Measured) -> np.ndarray:
        return np.zeros(len(measured.ends), bool)

    def coarser(self, times: float) -> tuple[str, float]:
        return "share", 1.0
''',
    "formats/meshes/xyz.py": '''"""XYZ: a format of meshes of one file."""

from relief.formats.meshes._format import AroundMesh, MeshFormat
from relief.surface.mesh import Mesh


def write(mesh: Mesh, around: AroundMesh) -> bytes:
    return "".join(f"{x} {y} {z}\\\\n" for x, y, z in mesh.positions).encode()


FORMAT = MeshFormat(name="XYZ points", title="Points, one a line", about="XYZ holds points alone.", write=write)
''',
    "formats/pictures/raw.py": '''"""RAW: a format of pictures of one file."""

import numpy as np

from relief.formats.pictures._format import PictureFormat


def write(pixels: np.ndarray, is_colour: bool) -> bytes:
    return pixels.tobytes()


FORMAT = PictureFormat(name="RAW samples", about="RAW holds samples alone.", holds=("uint8", "uint16"), write=write)
''',
    "formats/scenes/note.py": '''"""Note: a format of scenes of one file."""

from relief.formats.scenes._format import Scene, SceneFormat


def write(scene: Scene) -> bytes:
    return " ".join(look.maps["metalness"] for look in scene.looks).encode()


FORMAT = SceneFormat(
    name="Noted scene", title="Noted", ending="noted", about="A note.", reading="Lengths in {unit}.", write=write
)
''',
    "inspect/findings/relief/too_new.py": '''"""Too new: a finding of one file."""

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief

NEW_BELOW = 7
"""Days. Common practice, no source."""


def find(seen: SeenRelief) -> Finding | None:
    """Every piece is new."""
    return Finding("too-new", "Too new", f"It is less than {NEW_BELOW} days old.", Mend("Wait for it", {"midlevel": 0}))
''',
    "../studio/bench/templates/bench/tools/nudge.html": """<button type="button" data-tool="nudge">Nudge</button>
""",
    "../studio/bench/static/bench/tools/nudge.js": f"""export const kind = "nudge";
export const hint = "{HINT}";
export const inSpace = true;
export function click() {{}}
""",
    "commands/greet.py": '''"""Greet: a command of one file."""


def add_options(parser):
    parser.add_argument("--loudly", action="store_true")


def run(chosen):
    print("Hello")
    return 0
''',
}
"""One of each kind that is found by being there, and its file below relief/; a tool is a script and a template."""

ASK = """
import contextlib, io, json
import django
django.setup()
from relief.__main__ import main
from relief.recipe import map_edits
from relief.recipe.recipe import Recipe
from pathlib import Path
from django.contrib.staticfiles import finders
from studio.bench.pages import offers, steps, surface
from tools.strings.findings import findings_page
from studio.bench.pages.groups import field_at

def printed(*command):
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.suppress(SystemExit):
        main(list(command))
    return out.getvalue()

layer = {"name": "Rising", "content": {"kind": "rising", "rise": 0.5}, "treatments": [{"kind": "halved"}]}
recipe = Recipe.read({
    "version": 1, "sources": {}, "layers": [layer], "maps": {"resolution": 32}, "surface": {"level": 0},
})
relief, _ = map_edits.add_map(recipe.main, "evenly_grey")
asked = {"mesh_format": "xyz", "data_format": "raw", "note": True}
recipe = recipe.with_relief(relief).with_changes({f"delivery.{name}": value for name, value in asked.items()})
recipe = Recipe.read({**recipe.as_data(), "surface": {
    "level": 0, "shape": {"kind": "strip"}, "mapping": {"kind": "straight"}, "tessellation": {"kind": "thrifty"},
}})
open("piece.json", "w").write(recipe.as_text())
offered = [offer.title for _, group in (*offers.gallery(), *offers.offer_treatments()) for offer in group]
offered += [offer.title for offer in offers.offer_maps()]
models = (surface.SHAPES, surface.MAPPINGS, surface.TESSELLATIONS)
offered += [choice.title for known in models for choice in surface._choices(known, "")]
for path in ("delivery.mesh_format", "delivery.data_format"):
    offered += [str(name) for name in dict(recipe.control(path).names).values()]
offered += [recipe.control(path).label for paths in steps.STEPS[-1].groups.values() for path in paths]
print(json.dumps({
    "checked": printed("check", "piece.json"),
    "page": findings_page(Path(".")),
    "tools": [Path(finders.find(script)).read_text() for script in offers.TOOLS],
    "offered": offered,
    "help": printed("maps", "--help") + printed("mesh", "--help") + printed("--help") + printed("treatments"),
    "codes": [main(["deliver", "piece.json", "--out", "out"]), main(["greet"])],
    "labels": [recipe.control(path).label for path in ("layers.0.content.rise", "surface.shape.run")],
}))
"""


class OneFileTests(TestCase):
    @long
    def test_one_more_file_of_each_kind_is_found_everywhere(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        # with what is compiled, so that no kernel is compiled again
        for package in ("relief", "studio"):
            shutil.copytree(HOUSE / package, folder / package, ignore=shutil.ignore_patterns("tests", "vendor"))
        for name, text in FILES.items():
            (folder / "relief" / name).write_text(text.replace("\\\\n", "\\n"))
        environment = {**os.environ, "PYTHONPATH": f"{folder}:{HOUSE}", "GRAVEL_DATA": str(folder / "data")}
        command = [sys.executable, "-c", ASK]
        ran = subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True, check=False)
        self.assertEqual(ran.returncode, 0, ran.stderr)
        found = json.loads(ran.stdout.splitlines()[-1])
        for title in (
            "Rising pattern", "Halved treatment", "Evenly grey map", "Strip shape", "Straight mapping",
            "Thrifty tessellation", "XYZ points", "RAW samples", "Noted scene",
        ):  # fmt: skip
            self.assertIn(title, found["offered"])
        said = " ".join(found["help"].split())
        for words in ("evenly_grey", "strip: run of the strip", "straight", "thrifty:N", "xyz", "halved", "greet"):
            self.assertIn(words, said)
        self.assertEqual((found["codes"], found["labels"]), ([0, 0], ["Rise", "Run of the strip"]))
        endings = {place.suffix for place in (folder / "out").iterdir()}
        self.assertLessEqual({".xyz", ".raw"}, endings)
        self.assertEqual((folder / "out" / "piece.noted").read_text(), "piece_evenly_grey.raw", "a member of materials")
        self.assertIn("Too new", found["checked"])
        for words in ("### Too new", "Threshold: 7. Days.", "Mend: “Wait for it”"):
            self.assertIn(words, found["page"])
        self.assertTrue(any(HINT in script for script in found["tools"]))
        self.assertTrue(any("evenly" in place.name for place in (folder / "out").iterdir()))
