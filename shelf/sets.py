"""Pictures that came in together become texture sets."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import replace
from functools import lru_cache

from django.db import transaction

from relief.inspect.sets import SetFinding, set_findings
from relief.sources.decode import decode
from relief.sources.roles import family, role_in_name
from shelf.models import Source, TextureSet, read_source


def gather_sets(sources: Iterable[Source]) -> tuple[list[TextureSet], list[Source]]:
    """Makes sets of the sources whose names belong together; and gives those that stand alone.

    A set needs two members at least, one of them named after its role.
    """
    families: dict[str, list[Source]] = defaultdict(list)
    for source in dict.fromkeys(sources):
        families[family(source.filename)].append(source)
    sets, alone = [], []
    for name, members in families.items():
        roles = {role_of(member) for member in members}
        if len(members) < 2 or len(roles) < 2 or not any(role_in_name(member.filename) for member in members):
            alone += members
            continue
        with transaction.atomic():
            made = TextureSet.objects.create(owner=members[0].owner, name=(name or "Texture set").capitalize()[:120])
            for member in members:
                member.texture_set = made
                member.role = role_of(member)
                member.save(update_fields=["texture_set", "role"])
        sets.append(made)
    return sets, alone


def role_of(source: Source) -> str:
    """The role of a source in a set, where a photo is the set's colour."""
    return "colour" if source.role == "photo" else source.role


def findings_of(texture_set: TextureSet) -> list[SetFinding]:
    """What does not fit in a set.

    Raises:
        PictureError: a member's file is gone.
    """
    members = texture_set.by_role()
    green = members["normal"].green if "normal" in members else "up"
    inverted = "height" in members and members["height"].inverted
    files = tuple((role, member.digest, member.filename) for role, member in members.items())
    return _compare(files, green, inverted)


@lru_cache(maxsize=64)
def _compare(files: tuple[tuple[str, str, str], ...], green: str, inverted: bool) -> list[SetFinding]:
    """Files never change, so that what does not fit in them is found once."""
    pictures = {role: decode(read_source(digest), filename) for role, digest, filename in files}
    found = set_findings(pictures, green, inverted)
    # how a height is read is decided in the piece that is made of it
    return [replace(item, mend="", label="") if item.mend == "gamma" else item for item in found]


def mend(texture_set: TextureSet, kind: str) -> None:
    """Does what a finding of this kind offers; nothing when it is not found."""
    for finding in findings_of(texture_set):
        if finding.kind != kind or not finding.mend:
            continue
        member = texture_set.by_role()[finding.role]
        if finding.mend == "green":
            member.green = "down" if member.green == "up" else "up"
        else:
            member.inverted = not member.inverted
        member.save(update_fields=["green", "inverted"])
