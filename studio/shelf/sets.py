"""Pictures that came in together become texture sets."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

from django.db import transaction

from relief.inspect.finding import SetFinding
from relief.inspect.sets import set_findings
from relief.sources.decode import decode
from relief.sources.roles import family, role_in_name
from studio.shelf.models import Gathered, Source, TextureSet, read_source


def gather_sets(sources: Iterable[Source]) -> tuple[list[TextureSet], list[Source]]:
    """The sets of the sources whose names belong together, and the sources that stand alone.

    A set needs two members at least, one of them named after its role. The same sources again are the same set.
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
        sets.append(keep_set(members, (name or "Texture set").capitalize()))
    return sets, alone


@transaction.atomic
def keep_set(members: Sequence[Source], name: str) -> TextureSet:
    """The set of some sources: the one that has just these, as the artist left it; otherwise a new one.

    Other sets keep what they have. A source that is in a set already keeps its role.
    """
    known = same_sources(TextureSet, "members", members)
    if known is not None:
        return known
    made = TextureSet.objects.create(owner=members[0].owner, name=name[:120])
    for member in members:
        if not member.sets.exists():
            member.role = role_of(member)
            member.save(update_fields=["role"])
    made.members.set(members)
    return made


def same_sources(kind: type[Gathered], field: str, sources: Sequence[Source]) -> Any:
    """What the artist has gathered of just these sources already; it comes back where it was removed."""
    ours = {source.pk for source in sources}
    near = kind.objects.filter(owner=sources[0].owner, **{field: sources[0]}).order_by("-removed", "pk")
    for known in near:
        if set(getattr(known, field).values_list("pk", flat=True)) == ours:
            if known.removed:
                known.removed = None
                known.save(update_fields=["removed"])
            return known
    return None


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
    return [replace(item, mend=None) if item.mend and item.mend.does == "gamma" else item for item in found]


def mend(texture_set: TextureSet, kind: str) -> None:
    """Does what a finding of this kind offers; nothing when it is not found."""
    for finding in findings_of(texture_set):
        if finding.kind != kind or not finding.mend:
            continue
        member = texture_set.by_role()[finding.mend.role]
        if finding.mend.does == "green":
            member.green = "down" if member.green == "up" else "up"
        else:
            member.inverted = not member.inverted
        member.save(update_fields=["green", "inverted"])
