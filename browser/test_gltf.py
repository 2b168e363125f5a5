"""GLB files pass the Khronos validator, which ships as a script for the browser."""

from __future__ import annotations

import base64
from pathlib import Path

from browser.driver import BrowserTestCase
from browser.pictures import waves
from relief.deliver.delivery import delivery_files
from relief.formats.writing import mesh_file
from relief.height import Edges, Footprint, HeightField
from relief.inspect.start import start_from_nothing
from relief.progress import Progress
from relief.recipe import map_edits
from relief.run.engine import Engine
from relief.surface.shapes.cylinder import Cylinder
from relief.surface.shapes.plane import Plane
from relief.tests.surfaces import displace

VALIDATOR = (Path(__file__).parent / "vendor" / "gltf-validator" / "gltf_validator.dart.js").read_text()
ASK = """
const [encoded, done] = arguments;
const bytes = Uint8Array.from(atob(encoded), letter => letter.charCodeAt(0));
exports.validateBytes(bytes, {maxIssues: 50}).then(report => done(report.issues), problem => done(String(problem)));
"""


class ValidatorTests(BrowserTestCase):
    def issues(self, data: bytes) -> dict:
        self.open("/")
        self.run_script("window.exports = {};\n" + VALIDATOR + "\n;window.exports = exports")
        return self.driver.execute_async_script(ASK, base64.b64encode(data).decode())

    def delivered(self, mesh: str) -> bytes:
        """The GLB of a delivery, with its pictures in it."""
        engine = Engine()
        recipe = start_from_nothing("scallops", lambda _: b"", engine)
        relief, _ = map_edits.add_map(recipe.main, "occlusion")
        relief, _ = map_edits.add_map(relief, "roughness")
        changes = {"delivery.mesh": mesh, "delivery.mesh_format": "glb", "delivery.green": "down", "surface.level": 1}
        changes |= {"maps.resolution": 64, "surface.residual": 256}
        recipe = recipe.with_relief(relief).with_changes(changes)
        made = delivery_files(recipe, lambda _: b"", engine, "Wall", Progress())
        return next(file.data for file in made if file.name.endswith(".glb"))

    def test_displaced_shapes_have_no_error_and_no_warning(self):
        """glTF 2.0; `gltf-validator` from npm."""
        footprint = Footprint(width=80, height=60)
        field = HeightField(waves(64).astype("float32"), footprint, Edges(across="wrap", down="wrap"))
        for shape in (Plane(segments=32), Cylinder(diameter=60, height=90)):
            glb = mesh_file(displace(shape, field, 5, 0.5), "glb")
            found = self.issues(glb)
            self.assertEqual((found.get("numErrors"), found.get("numWarnings")), (0, 0), found)
        for name in ("base", "displaced"):  # with a normal map, occlusion and roughness; and with its residual
            self.assertEqual(self.issues(self.delivered(name)), {**found, "numInfos": 0, "messages": []}, name)
        broken = bytearray(glb)
        broken[-3000:] = b"\xff" * 3000
        self.assertGreater(self.issues(bytes(broken))["numErrors"], 0, "the validator would say so")
