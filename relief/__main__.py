"""The command line: the computation without a browser. `python -m relief --help`."""

from __future__ import annotations

import argparse
import hashlib
import json
import re
import sys
from collections.abc import Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any, NoReturn, get_args

from relief.arrange import with_maps
from relief.deliver.bundle import delivery_files, displaced_plane, map_files, test_card_files
from relief.deliver.files import safe_stem, write_whole
from relief.deliver.meshes import FORMATS, mesh_file
from relief.displace.forecast import refuse_if_too_large
from relief.engine import Engine, Progress
from relief.errors import ReliefError
from relief.finished import packable
from relief.height import Edge, Footprint
from relief.inspect.check import check
from relief.inspect.finding import Finding
from relief.inspect.readings import readings
from relief.inspect.start import content_of_picture, first_recipe, started
from relief.layer import HELD, Picture, SourceReference
from relief.maps import COMPANION_MAPS
from relief.maps.packing import CHANNELS, VALUE, Pack
from relief.maps.slopes import Kernel
from relief.maps.vectors import Red
from relief.parameters import Control, Parameters, control, controls
from relief.pipeline import Pipeline
from relief.recipe import CONTENT_PATH, Recipe
from relief.resample import Method
from relief.sources.colour import Grey, Transfer
from relief.sources.decode import ENDINGS, KNOWN, decode
from relief.sources.facts import facts, has_colours
from relief.sources.picture import Picture as Decoded
from relief.sources.roles import Green, Reading, green_of, guessed
from relief.treat import TREATMENTS


class OneLineParser(argparse.ArgumentParser):
    """Says what is wrong in one line and leaves with code 2."""

    def error(self, message: str) -> NoReturn:
        print(f"{self.prog}: {message}", file=sys.stderr)
        raise SystemExit(2)


OPTIONS = {
    "amplitude": "amplitude",
    "midlevel": "midlevel",
    "strength": "maps.normal.strength",
    "soften": "maps.normal.soften",
    "kernel": "maps.normal.kernel",
    "red": "maps.normal.red",
    "green": "maps.normal.green",
    "made-of": "maps.normal.of",
    "calm": "maps.displacement.soften",
    "bits": "delivery.normal_bits",
    "source-green": f"{CONTENT_PATH}.green",
    "grey": f"{CONTENT_PATH}.grey",
    "channel": f"{CONTENT_PATH}.channel",
    "transfer": f"{CONTENT_PATH}.transfer",
    "resolution": "maps.resolution",
    "resample": "maps.method",
    "segments": "surface.segments",
    "level": "surface.level",
}
"""The parameter that each option sets."""


def main(arguments: list[str] | None = None) -> int:
    """Runs one command; 0 when it went well, 2 with one line on standard error when the input is at fault."""
    chosen = _parser().parse_args(arguments)
    try:
        chosen.command(chosen)
    except ReliefError as problem:
        return _complain(str(problem))
    except OSError as problem:
        return _complain(f"{problem.filename or 'A file'}: {problem.strerror or problem}")
    except MemoryError:
        return _complain("There is not enough memory for this.")
    return 0


def _complain(sentence: str) -> int:
    print("relief: " + " ".join(sentence.split()), file=sys.stderr)
    return 2


def _parser() -> argparse.ArgumentParser:
    parser = OneLineParser(prog="relief", description="Pictures into normal, bump and displacement detail.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    maps = commands.add_parser("maps", help="write the maps of a picture and print its readings")
    _add_picture(maps)
    maps.add_argument("--out", type=Path, required=True, metavar="DIR", help="folder for the files; made if missing")
    _add_choice(maps, "kernel", get_args(Kernel))
    _add_choice(maps, "red", get_args(Red))
    _add_choice(maps, "green", get_args(Green))
    _add_choice(maps, "made-of", ("relief", "source", "both"))
    maps.add_argument("--edges", choices=get_args(Edge), help="what lies beyond the edge of the picture")
    maps.add_argument("--bits", type=int, choices=(8, 16), help="bits in each channel of the normal map")
    _add_number(maps, "strength")
    _add_number(maps, "soften")
    _add_number(maps, "calm")
    maps.add_argument("--full-range", action="store_true", help="spread the bump map from black to white")
    maps.add_argument("--test-card", action="store_true", help="write the maps of a test card along")
    maps.add_argument(
        "--unpack", action="append", type=_channel_and_role, metavar="CHANNEL=ROLE",
        help="a map that was packed into a channel of the picture, such as green=roughness; can be given several "
        "times; names such as wall_orm.png say it themselves",
    )  # fmt: skip
    _add_number(maps, "resolution", kind=int)
    _add_choice(maps, "resample", get_args(Method))
    maps.add_argument(
        "--map", dest="more", action="append", default=[], metavar="KIND[:NAME=VALUE,...]",
        help=f"make a grey map more: {', '.join(COMPANION_MAPS)}; can be given several times",
    )  # fmt: skip
    maps.add_argument(
        "--pack", dest="packs", action="append", default=[], metavar="R,G,B[,A]",
        help="pack maps into the channels of one picture, such as normal.red,normal.green,displacement or "
        "occlusion,roughness,0; can be given several times",
    )  # fmt: skip
    maps.set_defaults(command=write_maps)

    mesh = commands.add_parser("mesh", help="write the displaced plane of a picture")
    _add_picture(mesh)
    mesh.add_argument("--out", type=Path, required=True, metavar="FILE", help=f"file ending in {', '.join(FORMATS)}")
    _add_number(mesh, "segments", kind=int)
    _add_number(mesh, "level", kind=int)
    mesh.set_defaults(command=write_mesh)

    run = commands.add_parser("run", help="make everything a recipe asks for")
    run.add_argument("recipe", type=Path, metavar="RECIPE.json")
    run.add_argument(
        "--source", action="append", default=[], metavar="NAME=FILE", help="the file of one of its sources"
    )
    run.add_argument("--out", type=Path, required=True, metavar="DIR", help="folder for the files; made if missing")
    run.add_argument("--size", type=int, metavar="N", help="texels on the long side of the maps")
    run.set_defaults(command=run_recipe)

    listing = commands.add_parser("treatments", help="list the treatments that --treat takes, with their parameters")
    listing.set_defaults(command=lambda chosen: print(_treatments_in_words()))

    look = commands.add_parser("look", help="print what is known of pictures: facts and what each seems to be")
    look.add_argument("pictures", type=Path, nargs="+", metavar="PICTURE")
    look.set_defaults(command=print_facts)

    check_ = commands.add_parser("check", help="print what will look wrong: of pictures, and of the sets they form")
    check_.add_argument("pictures", type=Path, nargs="+", metavar="PICTURE|DIR", help="pictures, or folders of them")
    check_.set_defaults(command=print_findings)

    bench = commands.add_parser("bench", help="measure the kernels on this machine")
    bench.set_defaults(command=print_benchmark)
    return parser


def _channel_and_role(text: str) -> tuple[str, str]:
    """What `--unpack` is given: `green=roughness`."""
    channel, _, role = text.partition("=")
    if channel not in CHANNELS or role not in HELD or not role:
        known = ", ".join(role for role in HELD if role)
        raise argparse.ArgumentTypeError(f"“{text}” is not a channel and what it holds ({known}).")
    return channel, role


def _add_picture(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("picture", type=Path, metavar="PICTURE", help=f"a {KNOWN}")
    parser.add_argument("--as", dest="reading", choices=get_args(Reading), help="read it as this; guessed otherwise")
    parser.add_argument("--footprint", nargs=2, type=float, metavar=("W", "H"), help="real width and height, mm")
    _add_number(parser, "amplitude")
    _add_number(parser, "midlevel")
    _add_choice(parser, "grey", get_args(Grey))
    parser.add_argument("--channel", metavar="NAME", help=_defined("channel").help)
    _add_choice(parser, "transfer", get_args(Transfer))
    parser.add_argument(
        "--source-green", choices=(*get_args(Green), "auto"), default="auto",
        help="which way light green faces in a normal map that comes in; judged by its pixels unless it is said",
    )  # fmt: skip
    parser.add_argument("--start", action="store_true", help="even light, levels, soften and midlevel from the picture")
    parser.add_argument(
        "--treat", action="append", default=[], metavar="KIND[:NAME=VALUE,...]",
        help="add a treatment to the end of the list; can be given several times (see: relief treatments)",
    )  # fmt: skip


def _add_number(parser: argparse.ArgumentParser, name: str, kind: type = float) -> None:
    known = _defined(name)
    unit = f" ({known.unit})" if known.unit else ""
    parser.add_argument(
        f"--{name}",
        type=kind,
        metavar=known.unit.upper() or name[0].upper(),
        help=(known.help + unit).replace("%", "%%"),
    )


def _add_choice(parser: argparse.ArgumentParser, name: str, values: tuple[str, ...]) -> None:
    parser.add_argument(f"--{name}", choices=values, help=_defined(name).help.replace("%", "%%"))


def _defined(name: str) -> Control:
    """The definition of the parameter behind an option."""
    *way, last = OPTIONS[name].split(".")
    place: Any = Recipe
    if way[:1] == ["layers"]:
        place, way = Picture, []
    for part in way:
        place = place.model_fields[part].annotation
    return control(place, last)


def _begun(chosen: argparse.Namespace) -> tuple[Pipeline, Engine]:
    """The recipe that the options ask for, on the suggested start."""
    data, name, engine = chosen.picture.read_bytes(), chosen.picture.name[-200:], Engine()
    footprint = None
    if chosen.footprint:
        footprint = Footprint.checked(width=chosen.footprint[0], height=chosen.footprint[1])
    source = SourceReference(digest=hashlib.sha256(data).hexdigest(), filename=name)
    content = _content(chosen, decode(data, name), name)
    recipe = first_recipe({"picture": source}, content, lambda _: data, engine, footprint)
    if content.reading == "normal" and chosen.source_green == "auto":
        recipe = recipe.model_copy(update={"suggested": (*recipe.suggested, OPTIONS["source-green"])})
    changes = _asked_changes(chosen)
    recipe = recipe.with_changes(changes)
    if chosen.start:
        recipe = started(recipe, lambda _: data, engine)
        # what was asked for outdoes what the start suggests
        recipe = recipe.with_changes({path: changes[path] for path in ("amplitude", "midlevel") if path in changes})
    return Pipeline(_with_lists(recipe, chosen), lambda _: data), engine


def _content(chosen: argparse.Namespace, picture: Decoded, name: str) -> Picture:
    """How the picture is read: as the options say, otherwise as it would be on the bench."""
    guess = guessed(picture, name, has_colours(picture))
    content = content_of_picture(name, guess.role, guess.green)
    if chosen.reading:
        content = content.model_copy(update={"reading": chosen.reading})
    green = chosen.source_green
    if green == "auto":
        green = green_of(picture) if content.reading == "normal" else content.green
    return content.model_copy(update={"green": green})


def _asked_changes(chosen: argparse.Namespace) -> dict[str, Any]:
    """The parameters that options set, by their path."""
    changes = {path: getattr(chosen, name.replace("-", "_"), None) for name, path in OPTIONS.items()}
    if chosen.source_green == "auto":
        del changes[OPTIONS["source-green"]]
    edges = getattr(chosen, "edges", None)
    changes |= {"edges.across": edges, "edges.down": edges}
    if getattr(chosen, "unpack", None):
        # what is asked for stands in place of what the name says
        held = dict.fromkeys(CHANNELS, "") | dict(chosen.unpack)
        changes |= {f"{CONTENT_PATH}.unpacked.{channel}": role for channel, role in held.items()}
    changes["maps.bump.full_range"] = getattr(chosen, "full_range", False) or None
    return {path: value for path, value in changes.items() if value is not None}


def _with_lists(recipe: Recipe, chosen: argparse.Namespace) -> Recipe:
    """The recipe with the grey maps, the packed pictures and the treatments that options ask for."""
    if getattr(chosen, "more", None):
        recipe = with_maps(recipe, more=tuple(_asked_for(text, COMPANION_MAPS, "map") for text in chosen.more))
    if getattr(chosen, "packs", None):
        recipe = with_maps(recipe, packs=tuple(_pack(text, recipe) for text in chosen.packs))
    if chosen.treat:
        kept = range(len(recipe.layers[0].treatments))
        added = [_asked_for(text, TREATMENTS, "treatment") for text in chosen.treat]
        recipe = recipe.with_treatments([*kept, *added])
    return recipe


def _asked_for(text: str, models: Mapping[str, type[Parameters]], what: str) -> Any:
    """The treatment or map that `kind:name=value,name=value` asks for; a value with commas stands in brackets.

    Raises:
        ReliefError: no such kind or parameter, or a value out of its bounds.
    """
    kind, _, rest = text.partition(":")
    if kind not in models:
        raise ReliefError(f"There is no {what} “{kind}”. There are {', '.join(models)}.")
    values = {}
    for part in re.findall(r"(?:\[.*?\](?=,\w+=|$)|[^,])+", rest):
        name, equals, value = part.partition("=")
        if not equals or name not in models[kind].model_fields or name == "kind":
            raise ReliefError(f"The {what} {kind} has no parameter “{name}”.")
        values[name] = value
    return models[kind].checked(**values)


def _pack(text: str, recipe: Recipe) -> Pack:
    """The packed picture that `R,G,B` or `R,G,B,A` asks for, each a map, a grey map's kind or a value.

    Raises:
        ReliefError: not three or four of them, or one that is neither.
    """
    asked = text.split(",")
    if len(asked) not in (3, 4):
        raise ReliefError("A packed picture has three or four channels: --pack R,G,B or R,G,B,A.")
    offered = packable(recipe)
    kinds = {grey.kind: f"more-{number}" for number, grey in enumerate(recipe.maps.more)}
    values: dict[str, Any] = {}
    for channel, held in zip(CHANNELS, asked, strict=False):
        name = kinds.get(held, held)
        if name in offered:
            values[channel] = name
        elif re.fullmatch(r"[01](\.\d+)?", held):
            values |= {channel: VALUE, f"{channel}_value": float(held)}
        else:
            raise ReliefError(f"“{held}” is no map to pack. There are {', '.join([*offered, *kinds])}, and 0 to 1.")
    return Pack.checked(**values)


def _treatments_in_words() -> str:
    """Every treatment with its parameters, their bounds and units."""
    lines = []
    for kind, model in TREATMENTS.items():
        lines.append(f"{kind}  {model.__doc__.strip()}")
        for known in controls(model):
            if known.name == "on":
                continue
            match known.kind:
                case "number":
                    values = f"{known.low:g} to {known.high:g} {known.unit}"
                case "choice":
                    values = ", ".join(map(str, known.names))
                case "switch":
                    values = "true, false"
                case _:
                    values = "as JSON in brackets"
            lines.append(f"    {known.name:14}{values}")
    return "\n".join(lines)


def print_benchmark(chosen: argparse.Namespace) -> None:
    """`relief bench`: what the kernels take on this machine."""
    from relief.benchmark import table  # it loads what it compares with

    print(table())


def print_facts(chosen: argparse.Namespace) -> None:
    """`relief look`: the facts of each picture, as one JSON object by file name."""
    known = {}
    for picture in chosen.pictures:
        known[str(picture)] = asdict(facts(decode(picture.read_bytes(), picture.name), picture.name))
    print(json.dumps(known, indent=2))


def print_findings(chosen: argparse.Namespace) -> None:
    """`relief check`: what is found in each picture and in each set, as one JSON object."""
    paths = []
    for path in chosen.pictures:
        inside = sorted(path.iterdir()) if path.is_dir() else [path]
        paths += [file for file in inside if not path.is_dir() or file.suffix.lower() in ENDINGS]
    if not paths:
        raise ReliefError(f"There is no picture in {chosen.pictures[0]}.")
    found = check({str(path): path.read_bytes() for path in paths})
    if len(found.problems) == len(paths):
        raise ReliefError(f"{paths[0]}: {found.problems[str(paths[0])]}")
    listed = {name: {"problem": problem} for name, problem in found.problems.items()}
    for name, role in found.roles.items():
        listed[name] = {"role": role, "findings": [_in_words(item) for item in found.files[name]]}
    sets = {name: [_in_words(item) for item in items] for name, items in found.sets.items()}
    print(json.dumps({"files": listed, "sets": sets}, indent=2, ensure_ascii=False))


def _in_words(finding: Finding) -> dict[str, str]:
    mend = {"mend": finding.mend.label} if finding.mend else {}
    return {"kind": finding.kind, "title": finding.title, "reason": finding.reason} | mend


def write_maps(chosen: argparse.Namespace) -> None:
    """`relief maps`: all files are made before the first is written."""
    pipeline, engine = _begun(chosen)
    recipe = pipeline.recipe
    height = engine.run(pipeline.height())
    stem = safe_stem(chosen.picture.name)
    files = map_files(pipeline, engine, stem)
    files += test_card_files(pipeline, engine, stem) if chosen.test_card else []
    chosen.out.mkdir(parents=True, exist_ok=True)
    for file in files:
        write_whole(chosen.out / file.name, file.data)
    measured = readings(height, recipe.amplitude, recipe.midlevel)
    _print(recipe, files=[str(chosen.out / file.name) for file in files], readings=asdict(measured))


def run_recipe(chosen: argparse.Namespace) -> None:
    """`relief run`: the files of a bundle, unpacked; all are made before the first is written."""
    try:
        recipe = Recipe.read(json.loads(chosen.recipe.read_bytes()))
    except (ValueError, RecursionError) as problem:
        raise problem if isinstance(problem, ReliefError) else ReliefError("This is not a recipe.") from None
    if chosen.size:
        recipe = recipe.with_changes({"maps.resolution": chosen.size})
    files = dict(text.partition("=")[::2] for text in chosen.source)
    missing = [key for key in recipe.sources if key not in files]
    if missing:
        raise ReliefError(f"The recipe needs --source {missing[0]}=FILE ({recipe.sources[missing[0]].filename}).")
    unknown = [key for key in files if key not in recipe.sources]
    if unknown:
        raise ReliefError(f"The recipe has no source “{unknown[0]}”. It has {', '.join(recipe.sources) or 'none'}.")
    by_digest = {}
    for key, reference in recipe.sources.items():
        data = Path(files[key]).read_bytes()
        if hashlib.sha256(data).hexdigest() != reference.digest:
            print(f"relief: {files[key]} is not the file that {key} was made with.", file=sys.stderr)
        by_digest[reference.digest] = data
    pipeline = Pipeline(recipe, by_digest.__getitem__)
    made = delivery_files(pipeline, Engine(), chosen.recipe.stem, Progress())
    chosen.out.mkdir(parents=True, exist_ok=True)
    for name, data in made.items():
        write_whole(chosen.out / name, data)
    _print_run(recipe, [str(chosen.out / name) for name in made])


def _print_run(recipe: Recipe, files: list[str]) -> None:
    print(json.dumps({"files": files, "layers": [layer.name for layer in recipe.layers]}, indent=2))


def write_mesh(chosen: argparse.Namespace) -> None:
    """`relief mesh`: the displaced plane, centred."""
    kind = chosen.out.suffix.lower().lstrip(".")
    if kind not in FORMATS:
        raise ReliefError(f"--out must end in {', '.join(f'.{known}' for known in FORMATS)}.")
    pipeline, engine = _begun(chosen)
    recipe = pipeline.recipe
    refuse_if_too_large(recipe.surface, recipe.relief_footprint)
    mesh = displaced_plane(recipe, engine.run(pipeline.displacing()))
    data = mesh_file(mesh, kind)
    chosen.out.parent.mkdir(parents=True, exist_ok=True)
    write_whole(chosen.out, data)
    _print(recipe, files=[str(chosen.out)], faces=len(mesh.faces), vertices=len(mesh.positions))


def _print(recipe: Recipe, **results: Any) -> None:
    """One JSON object: what was written and measured, and the values it was made with."""
    used = {
        "reading": recipe.layers[0].content.reading,
        "footprint": [recipe.relief_footprint.width, recipe.relief_footprint.height],
        "edges": [recipe.relief_edges.across, recipe.relief_edges.down],
        "treatments": [treatment.model_dump(mode="json") for treatment in recipe.layers[0].treatments],
        **{name: recipe.value(path) for name, path in OPTIONS.items()},
    }
    suggested = [name for name, path in OPTIONS.items() if path in recipe.suggested]
    print(json.dumps({**results, "used": used, "suggested": suggested}, indent=2))


if __name__ == "__main__":
    sys.exit(main())
