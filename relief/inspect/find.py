"""Looks for everything that will look wrong in a piece: in its sources, relief, surface, mesh and delivery."""

from __future__ import annotations

from functools import partial

from relief.errors import ReliefError
from relief.inspect.finding import Finding, Mend, SetFinding
from relief.inspect.findings import find_all
from relief.inspect.findings.relief import flat
from relief.inspect.readings import Readings, readings
from relief.inspect.seen import SeenDelivery, SeenMesh, SeenNormalMap, SeenRelief, SeenSource, SeenSurface
from relief.inspect.sets import set_findings
from relief.progress import Progress
from relief.recipe.delivery import Depth
from relief.recipe.recipe import Recipe
from relief.recipe.relief import CONTENT_PATH, Relief
from relief.run.engine import Engine, Stage
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline
from relief.run.stages import ReadSource
from relief.sources.picture import Picture
from relief.sources.roles import ROLE_NAMES, Green
from relief.treat.invert import Invert

LAST_STEP = "deliver"
"""The step at which all is asked about."""

LOOKED_AT = 2048
"""Texels on the long side of what a surface is looked at with."""


def find_in_piece(
    recipe: Recipe,
    read_source: ReadSource,
    engine: Engine,
    step: str = LAST_STEP,
    progress: Progress | None = None,
) -> tuple[Readings, list[Finding]]:
    """The readings, and what is found of what a step asks about: the mesh and the delivery at the later ones.

    Args:
        recipe: the piece; of its reliefs the one that is worked on.
        read_source: where the bytes of its sources come from.
        engine: where stages are run.
        step: the step of the route.
        progress: may cancel.

    Raises:
        ReliefError: it cannot be computed.
        Cancelled: through `progress`.
    """
    pipeline = Pipeline.of(recipe, read_source)
    taken, found = measure_and_find(pipeline, engine, recipe.delivery.normal_bits, progress)
    surface = SurfacePipeline.of(recipe, read_source, LOOKED_AT)
    found += find_in_surface(surface, engine)
    if step == LAST_STEP:
        found += find_in_delivery(recipe, read_source, engine)
    if step in ("surface", LAST_STEP):
        found += find_in_mesh(surface, engine, taken.finest)
    return taken, found


def measure_and_find(
    pipeline: Pipeline, engine: Engine, bits: Depth = 8, progress: Progress | None = None
) -> tuple[Readings, list[Finding]]:
    """The readings of a pipeline's finished height field, and what is found in it and in its sources.

    Args:
        pipeline: a relief at full size.
        engine: where stages are run.
        bits: those that its normal map is delivered with.
        progress: told how far it is; may cancel meanwhile.

    Raises:
        PictureError: a source cannot be read.
    """
    relief, progress = pipeline.relief, progress or Progress()
    compute = partial(readings, amplitude=relief.amplitude, midlevel=relief.midlevel)
    taking = Stage("Taking readings", compute, [relief.amplitude, relief.midlevel], (pipeline.height(),), reports=True)
    measured, height = engine.run(taking, progress), engine.run(pipeline.height(), progress)
    seen = SeenRelief(pipeline, engine, height, measured, bits, progress)
    # where there is no relief, nothing else is to be said of it
    nothing = flat.find(seen)
    found = [nothing] if nothing else find_all("relief", seen)
    return measured, found + find_in_source(pipeline, engine)


def find_in_surface(pipeline: SurfacePipeline, engine: Engine) -> list[Finding]:
    """The findings of a surface, from its base mesh."""
    return find_all("surface", SeenSurface(pipeline, engine))


def find_in_mesh(pipeline: SurfacePipeline, engine: Engine, finest: float | None) -> list[Finding]:
    """The findings of a displaced surface.

    Args:
        pipeline: the surface as it is looked at.
        engine: where stages are run.
        finest: the wavelength of the finest detail of the relief that is worked on, mm; none where it is flat.

    Returns:
        Nothing where it is not built, as something is wrong that is said elsewhere.
    """
    try:
        return find_all("mesh", SeenMesh(pipeline, engine, finest))
    except ReliefError:
        return []


def find_in_delivery(recipe: Recipe, read_source: ReadSource, engine: Engine) -> list[Finding]:
    """What will arrive wrong of a piece as its delivery is set.

    Raises:
        PictureError: a source cannot be read.
    """
    return find_all("delivery", SeenDelivery(recipe, read_source, engine))


def find_in_normal_map(picture: Picture, filename: str = "") -> list[Finding]:
    """Whether a normal map has its blue, vectors of unit length, and its green as its name says."""
    return find_all("normal_map", SeenNormalMap(picture, filename))


def find_in_source(pipeline: Pipeline, engine: Engine) -> list[Finding]:
    """What is to be said of the sources of a piece whose ground is a picture.

    Raises:
        PictureError: a source cannot be read.
    """
    content = pipeline.relief.picture
    if content is None:
        return []
    picture, filename = engine.run(pipeline.picture()), pipeline.sources[content.source].filename
    of_set = _find_in_set(pipeline, engine)
    needs_curve = any(_removes_curve(item) for item in of_set)
    kinds = frozenset(item.kind for item in of_set)
    found = find_all("source", SeenSource(pipeline, engine, content, picture, filename, kinds, needs_curve))
    beside = content.beside.get("normal")
    if beside and not (content.rebuild_blue or content.unpacked.normal):
        # a picture does not change, so it is looked at once
        name = pipeline.sources[beside.source].filename
        compute = partial(find_in_normal_map, filename=name)
        found += engine.run(Stage("Checking the normals", compute, name, (pipeline.picture(beside.source),)))
    decoded = content.reading == "height" and content.transfer == "srgb"
    for item in of_set:
        if not (decoded and _removes_curve(item)):
            found.append(Finding(item.kind, item.title, item.reason, _mend(item, pipeline.relief)))
    return found


def _removes_curve(item: SetFinding) -> bool:
    return bool(item.mend and item.mend.does == "gamma")


def _find_in_set(pipeline: Pipeline, engine: Engine) -> list[SetFinding]:
    """What does not fit between the pictures of the ground's texture set, as they are stored."""
    relief = pipeline.relief
    content = relief.picture
    if content is None:
        return []
    members = {content.source, *(item.source for item in content.beside.values())}
    roles = [role for role in pipeline.sources if role in ROLE_NAMES and role in members]
    if len(roles) < 2:
        return []
    inverted = len([item for item in relief.layers[0].treatments if isinstance(item, Invert) and item.on]) % 2 == 1
    pictures = [pipeline.picture(role) for role in roles]
    compute = partial(_hold_against_itself, tuple(roles), content.green, inverted)
    found: list[SetFinding] = engine.run(
        Stage("Cross-checking the set", compute, [roles, content.green, inverted], tuple(pictures))
    )
    return found


def _hold_against_itself(roles: tuple[str, ...], green: Green, inverted: bool, *pictures: Picture) -> list[SetFinding]:
    return set_findings(dict(zip(roles, pictures, strict=True)), green, inverted)


def _mend(item: SetFinding, relief: Relief) -> Mend | None:
    """What the piece does about something that does not fit in its set."""
    content, mend = relief.picture, item.mend
    if content is None or mend is None:
        return None
    match mend.does:
        case "green":
            right = "down" if content.green == "up" else "up"
            return Mend(mend.label, {f"{CONTENT_PATH}.green": right})
        case "invert":
            switches = [
                f"layers.0.treatments.{number}.on"
                for number, treatment in enumerate(relief.layers[0].treatments)
                if isinstance(treatment, Invert)
            ]
            if switches:
                return Mend(mend.label, {switches[-1]: not relief.value(switches[-1])})
            return Mend(mend.label, last=Invert())
        case "gamma" if content.reading == "height":
            return Mend(mend.label, {f"{CONTENT_PATH}.transfer": "srgb"})
    return None
