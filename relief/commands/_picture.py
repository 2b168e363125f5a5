"""What the commands that take one picture share: its options, and the recipe they ask for."""

from __future__ import annotations

import argparse
import hashlib
import json
import re
from collections.abc import Callable, Mapping
from typing import Any, get_args

from relief.commands._arguments import number, path
from relief.depth.from_light import Way
from relief.errors import ReliefError
from relief.filters.resample import Method
from relief.height import Edge, Footprint
from relief.inspect.start import content_of_picture, first_recipe, set_from_statistics
from relief.maps import COMPANION_MAPS
from relief.maps.packing import CHANNELS, VALUE, Pack
from relief.parameters import Control, Parameters, control
from relief.recipe.layer import HELD, Picture, SourceReference
from relief.recipe.map_edits import with_maps
from relief.recipe.recipe import Recipe
from relief.recipe.relief import CONTENT_PATH, Relief
from relief.run.engine import Engine
from relief.run.finished import packable
from relief.run.pipeline import Pipeline, ReadSource
from relief.sources.colour import Grey, Transfer
from relief.sources.decode import KNOWN, decode
from relief.sources.facts import has_colours
from relief.sources.picture import Picture as Decoded
from relief.sources.roles import Green, Reading, green_of, guess_role
from relief.treat import TREATMENTS

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
}
"""The parameter that each option sets."""


def add_picture(parser: argparse.ArgumentParser) -> None:
    """The options of the picture and of its relief."""
    parser.add_argument("picture", type=path, metavar="PICTURE", help=f"a {KNOWN}")
    parser.add_argument(
        "--as", dest="reading", choices=get_args(Reading), help="interpret the picture as (default: guess)"
    )
    parser.add_argument(
        "--depth",
        choices=("brightness", "light"),
        help="what a photo's depth is read from: the same as --as photo, light",
    )
    parser.add_argument(
        "--light", nargs=2, type=number, metavar=("AZIMUTH", "ELEVATION"),
        help="where the light of the photo came from, with --depth light: azimuth in degrees counter-clockwise from "
            "the right edge, and elevation above the surface; estimated and printed if not given",
    )  # fmt: skip
    parser.add_argument(
        "--read-by", choices=get_args(Way),
        help="how the light of the photo is read, with --depth light: by the neural network (the default) or by the "
            "linear method",
    )  # fmt: skip
    parser.add_argument("--footprint", nargs=2, type=number, metavar=("W", "H"), help="real width and height, mm")
    add_number(parser, "amplitude")
    add_number(parser, "midlevel")
    add_choice(parser, "grey", get_args(Grey))
    parser.add_argument("--channel", metavar="NAME", help=_find_definition("channel").help)
    add_choice(parser, "transfer", get_args(Transfer))
    parser.add_argument("--edges", choices=get_args(Edge), help="what lies beyond the edge of the picture")
    add_number(parser, "resolution", kind=int)
    add_choice(parser, "resample", get_args(Method))
    parser.add_argument(
        "--source-green", choices=(*get_args(Green), "auto"), default="auto",
        help="which way green points in a normal map given as input; judged from its pixels if not given",
    )  # fmt: skip
    parser.add_argument(
        "--start", action="store_true", help="set even light, levels, soften and midlevel from the picture"
    )
    parser.add_argument(
        "--treat", action="append", default=[], metavar="KIND[:NAME=VALUE,...]",
        help="add a treatment to the end of the list; can be given several times (see: relief treatments)",
    )  # fmt: skip


def add_number(parser: argparse.ArgumentParser, name: str, kind: Callable[[str], Any] = number) -> None:
    known = _find_definition(name)
    unit = f" ({known.unit})" if known.unit else ""
    parser.add_argument(
        f"--{name}",
        type=kind,
        metavar=known.unit.upper() or name[0].upper(),
        help=(known.help + unit).replace("%", "%%"),
    )


def add_choice(parser: argparse.ArgumentParser, name: str, values: tuple[str, ...]) -> None:
    parser.add_argument(f"--{name}", choices=values, help=_find_definition(name).help.replace("%", "%%"))


def _find_definition(name: str) -> Control:
    """The definition of the parameter behind an option."""
    *way, last = OPTIONS[name].split(".")
    place: Any = Recipe if way[:1] in (["surface"], ["delivery"]) else Relief
    if way[:1] == ["layers"]:
        place, way = Picture, []
    for part in way:
        place = place.model_fields[part].annotation
    return control(place, last)


def channel_and_role(text: str) -> tuple[str, str]:
    """What `--unpack` is given: `green=roughness`."""
    channel, _, role = text.partition("=")
    if channel not in CHANNELS or role not in HELD or not role:
        known = ", ".join(role for role in HELD if role)
        raise argparse.ArgumentTypeError(f"“{text}” does not name a channel and what it holds ({known}).")
    return channel, role


def begin_recipe(chosen: argparse.Namespace) -> tuple[Recipe, ReadSource, Engine]:
    """The recipe that the options ask for, on the suggested start; where its source is read from, and an engine."""
    data, name, engine = chosen.picture.read_bytes(), chosen.picture.name[-200:], Engine()
    footprint = None
    if chosen.footprint:
        footprint = Footprint.create(width=chosen.footprint[0], height=chosen.footprint[1])
    source = SourceReference(digest=hashlib.sha256(data).hexdigest(), filename=name)
    content = _content(chosen, decode(data, name), name)
    recipe = first_recipe({"picture": source}, content, lambda _: data, engine, footprint)
    if content.reading == "normal" and chosen.source_green == "auto":
        relief = recipe.main
        suggested = (*relief.suggested, OPTIONS["source-green"])
        recipe = recipe.with_relief(relief.model_copy(update={"suggested": suggested}))
    changes = _read_changes(chosen) | _read_light(chosen, content)
    recipe = recipe.with_changes(changes)
    if chosen.start:
        recipe = recipe.with_relief(set_from_statistics(Pipeline.of(recipe, lambda _: data), engine))
        # what was asked for outdoes what the start suggests
        recipe = recipe.with_changes({path: changes[path] for path in ("amplitude", "midlevel") if path in changes})
    return recipe.with_relief(_with_lists(recipe.main, chosen)), lambda _: data, engine


def with_options(recipe: Recipe, chosen: argparse.Namespace) -> Recipe:
    """A recipe from a file with what options ask for besides: values, the footprint, treatments."""
    changes = _read_changes(chosen)
    if chosen.footprint:
        width, height = chosen.footprint
        changes |= {"footprint.keep_aspect": False, "footprint.width": width, "footprint.height": height}
    recipe = recipe.with_changes(changes)
    return recipe.with_relief(_with_lists(recipe.main, chosen))


def _content(chosen: argparse.Namespace, picture: Decoded, name: str) -> Picture:
    """How the picture is read: as the options say, otherwise as it would be on the bench."""
    guess = guess_role(picture, name, has_colours(picture))
    content = content_of_picture(name, guess.role, guess.green)
    asked = {"brightness": "photo", "light": "light"}.get(chosen.depth, chosen.reading)
    if asked:
        content = content.model_copy(update={"reading": asked})
    if chosen.read_by:
        if content.reading != "light":
            raise ReliefError("--read-by goes with --depth light only.")
        content = content.model_copy(update={"light": content.light.model_copy(update={"way": chosen.read_by})})
    green = chosen.source_green
    if green == "auto":
        green = green_of(picture) if content.reading == "normal" else content.green
    return content.model_copy(update={"green": green})


def _read_light(chosen: argparse.Namespace, content: Picture) -> dict[str, Any]:
    """Where the light stood as the options say, by path.

    Raises:
        ReliefError: a light is told of a picture that is not read by its light.
    """
    if not chosen.light:
        return {}
    if content.reading != "light":
        raise ReliefError("--light can only be used with --depth light.")
    azimuth, elevation = chosen.light
    return {f"{CONTENT_PATH}.light.azimuth": azimuth % 360, f"{CONTENT_PATH}.light.elevation": elevation}


def _read_changes(chosen: argparse.Namespace) -> dict[str, Any]:
    """The parameters that options set, by their path."""
    changes = {path: getattr(chosen, name.replace("-", "_"), None) for name, path in OPTIONS.items()}
    if chosen.source_green == "auto":
        del changes[OPTIONS["source-green"]]
    changes |= {"edges.across": chosen.edges, "edges.down": chosen.edges}
    if getattr(chosen, "unpack", None):
        # what is asked for stands in place of what the name says
        held = dict.fromkeys(CHANNELS, "") | dict(chosen.unpack)
        changes |= {f"{CONTENT_PATH}.unpacked.{channel}": role for channel, role in held.items()}
    changes["maps.bump.full_range"] = getattr(chosen, "full_range", False) or None
    return {path: value for path, value in changes.items() if value is not None}


def _with_lists(relief: Relief, chosen: argparse.Namespace) -> Relief:
    """The relief with the grey maps, the packed pictures and the treatments that options ask for."""
    if getattr(chosen, "more", None):
        relief = with_maps(relief, more=tuple(_read_model(text, COMPANION_MAPS, "map") for text in chosen.more))
    if getattr(chosen, "packs", None):
        relief = with_maps(relief, packs=tuple(_pack(text, relief) for text in chosen.packs))
    if chosen.treat:
        kept = range(len(relief.layers[0].treatments))
        added = [_read_model(text, TREATMENTS, "treatment") for text in chosen.treat]
        relief = relief.with_treatments([*kept, *added])
    return relief


def _read_model(text: str, models: Mapping[str, type[Parameters]], what: str) -> Any:
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
    return models[kind].create(**values)


def _pack(text: str, relief: Relief) -> Pack:
    """The packed picture that `R,G,B` or `R,G,B,A` asks for, each a map, a grey map's kind or a value.

    Raises:
        ReliefError: not three or four of them, or one that is neither.
    """
    asked = text.split(",")
    if len(asked) not in (3, 4):
        raise ReliefError("A packed picture has three or four channels: --pack R,G,B or R,G,B,A.")
    offered = packable(relief)
    kinds = {grey.kind: f"more-{number}" for number, grey in enumerate(relief.maps.more)}
    values: dict[str, Any] = {}
    for channel, held in zip(CHANNELS, asked, strict=False):
        name = kinds.get(held, held)
        if name in offered:
            values[channel] = name
        elif re.fullmatch(r"[01](\.\d+)?", held):
            values |= {channel: VALUE, f"{channel}_value": float(held)}
        else:
            raise ReliefError(
                f"“{held}” is not a map that can be packed. Choose one of {', '.join([*offered, *kinds])}, and 0 to 1."
            )
    return Pack.create(**values)


def print_results(recipe: Recipe, **results: Any) -> None:
    """One JSON object: what was written and measured, and the values it was made with."""
    relief = recipe.main
    used = {
        "reading": relief.picture.reading if relief.picture else "",
        "footprint": [relief.final_footprint.width, relief.final_footprint.height],
        "edges": [relief.final_edges.across, relief.final_edges.down],
        "treatments": [treatment.model_dump(mode="json") for treatment in relief.layers[0].treatments],
        **{name: recipe.value(path) for name, path in OPTIONS.items()},
    }
    if relief.picture and relief.picture.reading == "light":
        used["light"] = [relief.picture.light.azimuth, relief.picture.light.elevation]
        used["read_by"] = "network" if relief.picture.light.by_network else "linear"
    suggested = [name for name, path in OPTIONS.items() if path in relief.suggested]
    suggested += ["light"] if f"{CONTENT_PATH}.light.azimuth" in relief.suggested else []
    print(json.dumps({**results, "used": used, "suggested": suggested}, indent=2))
