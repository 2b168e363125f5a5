"""Renews the lock files from requirements/*.in, with the hashes of every wheel for Linux, macOS and Windows."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import venv
from pathlib import Path

REQUIREMENTS = Path(__file__).resolve().parent.parent / "requirements"
FOR_ALL = ("--upgrade", "--universal", "--python-version", "3.11", "--generate-hashes")
NOT_IN_IT = ("--no-emit-index-url", "--no-header")


def main() -> None:
    """Resolves each list in an environment that is thrown away."""
    with tempfile.TemporaryDirectory() as place:
        venv.create(place, with_pip=True)
        binaries = Path(place) / ("Scripts" if sys.platform == "win32" else "bin")
        subprocess.run([binaries / "pip", "install", "--quiet", "uv"], check=True)
        for name in ("install", "app", "test"):
            inputs = [f"requirements/{name}.in", "-o", f"requirements/{name}.lock"]
            resolve = [binaries / "uv", "pip", "compile", "--quiet", *FOR_ALL, *NOT_IN_IT, *inputs]
            subprocess.run(resolve, check=True, cwd=REQUIREMENTS.parent)


if __name__ == "__main__":
    main()
