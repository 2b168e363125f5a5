"""Write a displaced surface: of a picture or of a recipe."""

from __future__ import annotations

import argparse
import resource
import time
from pathlib import Path

from relief.commands._picture import print_results
from relief.commands._surface import add_surface_options, begun_surface
from relief.deliver.files import write_whole
from relief.deliver.images import png
from relief.deliver.meshes import FORMATS, mesh_file
from relief.errors import ReliefError
from relief.run.meshes import SurfacePipeline

MOST_PIXELS = 8192


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("--out", type=Path, required=True, metavar="FILE", help=f"file ending in {', '.join(FORMATS)}")
    add_surface_options(parser)
    parser.add_argument(
        "--split", nargs="?", type=int, const=2048, metavar="PX",
        help="also write STEM_residual.png, the 16-bit normal map that completes the mesh; so many pixels (2048)",
    )  # fmt: skip


def run(chosen: argparse.Namespace) -> None:
    """The displaced surface, about its own middle; says how near it is to the true one and what it took."""
    begun = time.perf_counter()
    kind = chosen.out.suffix.lower().lstrip(".")
    if kind not in FORMATS:
        raise ReliefError(f"--out must end in {', '.join(f'.{known}' for known in FORMATS)}.")
    recipe, read_source, engine = begun_surface(chosen)
    pipeline = SurfacePipeline.of(recipe, read_source).final()
    if chosen.split is not None and not 16 <= chosen.split <= MOST_PIXELS:
        raise ReliefError(f"--split takes 16 to {MOST_PIXELS} pixels.")
    split = engine.run(pipeline.split(chosen.split)) if chosen.split else None
    mesh = split.mesh if split else engine.run(pipeline.delivered())
    off = engine.run(pipeline.deviation())
    data = mesh_file(mesh, kind)
    chosen.out.parent.mkdir(parents=True, exist_ok=True)
    write_whole(chosen.out, data)
    files, angles = [str(chosen.out)], {}
    if split:
        residual = chosen.out.with_name(f"{chosen.out.stem}_residual.png")
        write_whole(residual, png(split.residual))
        files.append(str(residual))
        for name, (mean, most) in (("geometry_only", split.off_before), ("with_residual", split.off_after)):
            angles[name] = {"mean_degrees": round(mean, 4), "under_95_percent": round(most, 4)}
    surface = recipe.surface.model_dump(mode="json", exclude={"form", "regions"})
    print_results(
        recipe,
        files=files,
        faces=mesh.faces,
        vertices=len(mesh.positions),
        error={"rms": round(off.error, 6), "greatest": round(off.worst, 6)},
        detail_kept=round(off.detail_kept, 4),
        **({"normals_off": angles} if angles else {}),
        memory=mesh.nbytes,
        peak_memory=resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024,
        seconds=round(time.perf_counter() - begun, 2),
        surface=surface,
    )
