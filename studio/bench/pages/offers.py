"""What can be added to a piece: treatments, layers from nothing, grey maps, packed pictures."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from relief.generate import GENERATORS
from relief.maps import COMPANION_MAPS
from relief.maps.packing import PRESETS
from relief.treat import TREATMENTS
from relief.treat.treatment import FAMILY_NAMES

TEMPLATES = Path(__file__).parents[1] / "templates/bench/tools"
TOOLS = [f"bench/tools/{file.stem}.js" for file in sorted(TEMPLATES.glob("*.html"))]
"""The scripts of the tools on the stage: each has the name of the template of its controls."""


@dataclass(frozen=True)
class Offer:
    """A treatment that can be added."""

    kind: str
    title: str
    about: str


def offer_treatments() -> list[tuple[str, list[Offer]]]:
    """The treatments that can be added, by family."""
    return [
        (
            name,
            [Offer(kind, model.title, model.about()) for kind, model in TREATMENTS.items() if model.family == family],
        )
        for family, name in FAMILY_NAMES.items()
    ]


def gallery() -> list[tuple[str, list[Offer]]]:
    """The noises and patterns that can be added, by family."""
    families = {"noise": "Noise", "pattern": "Patterns"}
    listed = [(model.family, Offer(kind, model.title, model.about())) for kind, model in GENERATORS.items()]
    return [(name, [offer for of, offer in listed if of == family]) for family, name in families.items()]


def offer_maps() -> list[Offer]:
    """The grey maps that can be added."""
    return [Offer(kind, model.title, model.about()) for kind, model in COMPANION_MAPS.items()]


def offer_packs() -> list[Offer]:
    """The packed pictures to begin with."""
    return [Offer(kind, title, about) for kind, (title, about, _) in PRESETS.items()]
