"""Fetches the vendored fonts, styles and scripts from npm, by pinned version; browser/vendor is for tests alone.

Needs npm. The results are committed, so this is only run to take a new version.
"""

import re
import subprocess
import tarfile
import tempfile
from pathlib import Path

HOUSE = Path(__file__).resolve().parent.parent
WEIGHTS = (400, 500, 600)
FONT_FILES = [f"files/{{name}}-latin{extra}-{weight}-normal.woff2" for extra in ("", "-ext") for weight in WEIGHTS]

PARTS = {
    "studio/static/vendor/bootstrap": ("bootstrap", "5.3.9", ["dist/css/bootstrap.min.css", "LICENSE"]),
    "studio/static/vendor/htmx": ("htmx.org", "2.0.11", ["dist/htmx.min.js", "LICENSE"]),
    "studio/static/vendor/three": (
        "three",
        "0.187.0",
        ["build/three.module.js", "build/three.core.js", "examples/jsm/controls/OrbitControls.js", "LICENSE"],
    ),
    "studio/static/vendor/barlow": (
        "@fontsource/barlow",
        "5.3.0",
        [name.format(name="barlow") for name in FONT_FILES] + ["LICENSE"],
    ),
    "studio/static/vendor/barlow-semi-condensed": (
        "@fontsource/barlow-semi-condensed",
        "5.3.0",
        [name.format(name="barlow-semi-condensed") for name in FONT_FILES] + ["LICENSE"],
    ),
    # the proof sheet is drawn where there is no studio, too
    "relief/deliver/fonts": (
        "@fontsource/barlow",
        "5.3.0",
        [f"files/barlow-latin-{weight}-normal.woff2" for weight in WEIGHTS] + ["LICENSE"],
    ),
    "browser/vendor/axe-core": ("axe-core", "4.14.1", ["axe.min.js", "LICENSE"]),
    "browser/vendor/gltf-validator": (
        "gltf-validator",
        "2.0.0-dev.3.10",
        ["gltf_validator.dart.js", "LICENSE", "NOTICES"],
    ),
}


def fetch(folder: Path, package: str, version: str, wanted: list[str]) -> None:
    """Puts the wanted files of one package, flat, into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as place:
        subprocess.run(["npm", "pack", "--silent", f"{package}@{version}"], cwd=place, check=True, capture_output=True)
        with tarfile.open(next(Path(place).glob("*.tgz"))) as archive:
            for name in wanted:
                data = archive.extractfile(f"package/{name}").read()
                (folder / Path(name).name).write_bytes(adapted(data))
    (folder / "VERSION").write_text(f"{package} {version}\n")


def adapted(data: bytes) -> bytes:
    """Bare module names become paths: an import map would be an inline script, which the page's policy forbids."""
    return re.sub(rb"from 'three'", b"from './three.module.js'", data)


if __name__ == "__main__":
    for folder, part in PARTS.items():
        print(folder)
        fetch(HOUSE / folder, *part)
