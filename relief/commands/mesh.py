"""Write a displaced surface: of a picture or of a recipe."""

from __future__ import annotations

import argparse
import time

from relief.commands._arguments import path
from relief.commands._picture import print_results
from relief.commands._surface import add_surface_options, begin_surface
from relief.cost import peak_memory
from relief.deliver.build import built_files
from relief.deliver.files import write_all
from relief.errors import ReliefError
from relief.formats.meshes import MESHES
from relief.run.meshes import SurfacePipeline


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("--out", type=path, required=True, metavar="FILE", help=f"file ending in {', '.join(MESHES)}")
    add_surface_options(parser)


def run(chosen: argparse.Namespace) -> None:
    """The displaced surface, about its own middle; says how near it is to the true one and what it took."""
    begun = time.perf_counter()
    kind = chosen.out.suffix.lower().lstrip(".")
    if kind not in MESHES:
        raise ReliefError(f"--out must end in {', '.join(f'.{known}' for known in MESHES)}.")
    recipe, read_source, engine = begin_surface(chosen)
    built = engine.run(SurfacePipeline.of(recipe, read_source).final().built())
    mesh, off, allowed = built.mesh, built.off, recipe.surface.tessellation.allowed
    written = write_all(chosen.out.parent, built_files(built, chosen.out.stem, kind))
    angles = {
        name: {"mean_degrees": round(mean, 4), "under_95_percent": round(most, 4)}
        for name, (mean, most) in zip(("geometry_only", "with_residual"), built.angles or (), strict=False)
    }
    surface = recipe.surface.model_dump(mode="json", exclude={"form", "regions"})
    print_results(
        recipe,
        files=[str(place) for place in written],
        faces=mesh.faces,
        vertices=len(mesh.positions),
        error={
            "rms": round(off.error, 6),
            "greatest": round(off.worst, 6),
            "greatest_at": [round(value, 3) for value in off.where],
            **({"asked": allowed, "kept": off.worst <= allowed} if allowed else {}),
        },
        detail_kept=round(off.detail_kept, 4),
        **({"normals_off": angles} if angles else {}),
        memory=mesh.nbytes,
        peak_memory=peak_memory(),
        seconds=round(time.perf_counter() - begun, 2),
        surface=surface,
    )
