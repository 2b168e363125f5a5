"""Adding a noise or pattern is adding a file: it is then in the recipe, on the bench and on the command line."""

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

SLOPE = '''"""Slope: a pattern of one file."""

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Generator, Grid
from relief.parameters import number


class Slope(Generator):
    """A slope to the right."""

    title: ClassVar[str] = "Slope"
    family: ClassVar[Family] = "pattern"
    kind: Literal["slope"] = "slope"
    rise: float = number(1, 0, 2, label="Rise", help="How much it rises.")

    def draw(self, grid: Grid) -> np.ndarray:
        return np.ascontiguousarray(np.broadcast_to(grid.across() * self.rise, (grid.rows, grid.columns)))
'''

ASK = """
import json, sys
import django
django.setup()
from studio.bench.pages.offers import gallery
from relief.__main__ import main
from relief.recipe.recipe import Recipe
layer = {"name": "Slope", "content": {"kind": "slope", "rise": 0.5}}
small = {"maps": {"resolution": 32}, "surface": {"level": 0}}
recipe = Recipe.read({"version": 1, "sources": {}, "layers": [layer], **small})
shown = [offer.title for _, offers in gallery() for offer in offers]
open("slope.json", "w").write(recipe.as_text())
code = main(["run", "slope.json", "--out", "out"])
known = recipe.control("layers.0.content.rise")
print(json.dumps({"shown": shown, "code": code, "label": known.label}))
"""


class NewFileTests(TestCase):
    @long
    def test_one_more_file_is_found_everywhere(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        # with what is compiled, so that no kernel is compiled again
        shutil.copytree(HOUSE / "relief", folder / "relief", ignore=shutil.ignore_patterns("tests"))
        (folder / "relief" / "generate" / "slope.py").write_text(SLOPE)
        environment = {**os.environ, "PYTHONPATH": f"{folder}:{HOUSE}", "GRAVEL_DATA": str(folder / "data")}
        command = [sys.executable, "-c", ASK]
        ran = subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True, check=False)
        self.assertEqual(ran.returncode, 0, ran.stderr)
        found = json.loads(ran.stdout.splitlines()[-1])
        self.assertEqual((found["code"], found["label"]), (0, "Rise"))
        self.assertIn("Slope", found["shown"])
        self.assertTrue((folder / "out" / "slope_displacement.tif").exists())
