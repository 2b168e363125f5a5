"""The application as a wheel: built, installed into an environment of its own, and started from another folder."""

from __future__ import annotations

import os
import shutil
import site
import subprocess
import sys
import tempfile
import venv
from pathlib import Path
from unittest import TestCase

from relief.tests.tags import long
from studio.environment import HOUSE, VARIABLES


@long
class InstalledTests(TestCase):
    """Of what it needs the environment has what this one has; of the application only what the wheel brought."""

    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        source = cls.folder / "source"  # what the builder leaves behind is thrown away with it
        for name in ("relief", "studio"):
            shutil.copytree(HOUSE / name, source / name, ignore=shutil.ignore_patterns("__pycache__"))
        for name in ("pyproject.toml", "README.md", "LICENSE", "requirements/core.in", "requirements/scenes.in"):
            (source / name).parent.mkdir(exist_ok=True)
            shutil.copy(HOUSE / name, source / name)
        wheel = ["wheel", "--quiet", "--no-deps", "--no-build-isolation", "--wheel-dir", str(cls.folder), str(source)]
        cls.run_here([sys.executable, "-m", "pip", *wheel])
        environment = cls.folder / "environment"
        venv.create(environment, with_pip=False)
        cls.binaries = environment / "bin"
        packages = next(environment.glob("lib/python*/site-packages"))
        (packages / "beside.pth").write_text("\n".join(site.getsitepackages()))
        built = next(cls.folder.glob("*.whl"))
        install = ["--python", str(cls.binaries / "python"), "install", "--quiet", "--no-deps", str(built)]
        cls.run_here([sys.executable, "-m", "pip", *install])
        cls.packages = packages

    @classmethod
    def run_here(cls, command: list[str], **variables: str) -> str:
        """What a command prints that is called from a folder without any of the source."""
        environment = {name: value for name, value in os.environ.items() if not name.startswith(("PYTHON", "GRAVEL"))}
        environment.pop("DJANGO_SETTINGS_MODULE", None)
        done = subprocess.run(
            command, cwd=cls.folder, env=environment | variables, capture_output=True, text=True, check=False
        )
        if done.returncode:
            raise AssertionError(f"{command}: {done.stdout}{done.stderr}")
        return done.stdout

    def test_the_command_line_computes_without_the_source(self):
        self.assertIn("maps", self.run_here([str(self.binaries / "relief"), "--help"]))
        where = self.run_here([str(self.binaries / "python"), "-c", "import relief; print(relief.__file__)"])
        self.assertTrue(where.startswith(str(self.packages)), where)
        weights = "from relief.depth.networks import are_there; print(are_there())"
        self.assertEqual(self.run_here([str(self.binaries / "python"), "-c", weights]).strip(), "True")

    def test_the_studio_migrates_collects_its_files_and_answers(self):
        data = str(self.folder / "data")
        gravel = str(self.binaries / "gravel")
        self.run_here([gravel, "manage", "migrate", "--verbosity", "0"], GRAVEL_DATA=data)
        self.run_here([gravel, "manage", "collectstatic", "--noinput"], GRAVEL_DATA=data)
        self.assertTrue((Path(data) / "static" / "bench" / "bench.js").exists())
        ask = (
            "from django.test import Client; answer = Client().get('/', headers={'host': 'localhost'}); "
            "print(answer.status_code, b'Shelf' in answer.content)"
        )
        self.assertIn("200 True", self.run_here([gravel, "manage", "shell", "-c", ask], GRAVEL_DATA=data))
        self.assertFalse((self.packages / "var").exists(), "nothing is kept where it was installed")

    def test_what_it_says_of_itself(self):
        said = self.run_here([str(self.binaries / "gravel"), "--help"])
        for name in VARIABLES:
            self.assertIn(name, said)
        self.assertRegex(self.run_here([str(self.binaries / "gravel"), "--version"]), r"^Zealous Gravel \d+\.\d+")
