"""Pictures and meshes that come in: decoded, measured, and kept as sources."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import asdict, replace
from functools import partial
from typing import Any

from django.conf import settings

from relief.errors import ReliefError
from relief.inspect.mesh_facts import MeshFacts, mesh_facts
from relief.recipe.layer import SourceReference
from relief.run.pipeline import reading
from relief.sources.decode import decode
from relief.sources.facts import Facts, facts
from relief.sources.mesh.read import is_mesh, read_mesh
from studio.background.within import run_within
from studio.shelf.engine import get_engine
from studio.shelf.models import MESH, Source, keep_file, read_source


def keep_source(owner: Any, filename: str, data: bytes) -> Source:
    """Keeps a picture or a mesh, or finds it when the owner has it already; one that was removed comes back.

    Raises:
        PictureError, MeshError: the bytes are none that can be read; nothing is kept.
    """
    digest = hashlib.sha256(data).hexdigest()
    known = Source.objects.filter(owner=owner, digest=digest).first()
    if known:
        keep_file(data)  # its file may be gone, or cut short
        known.removed = None
        if known.problem or not known.is_measured:
            known.measured, known.problem = asdict(_measure(known)), ""
        known.save(update_fields=["removed", "measured", "problem"])
        return known
    filename = filename[-200:]
    if is_mesh(filename):
        measured_mesh = mesh_facts(_read_apart(read_mesh, data, filename), filename)
        keep_file(data)
        values = {"filename": filename, "size": len(data), "measured": asdict(measured_mesh), "role": MESH}
        return Source.objects.get_or_create(owner=owner, digest=digest, defaults=values)[0]
    # kept by the engine, as it is most likely looked at next
    reference = SourceReference(digest=digest, filename=filename)
    stage = replace(reading(reference, read_source), compute=partial(_read_apart, decode, data, filename))
    measured = facts(get_engine().run(stage), filename)
    keep_file(data)
    values = {
        "filename": filename, "size": len(data), "measured": asdict(measured), "role": measured.guess.role,
        "green": measured.guess.green,
    }  # fmt: skip
    return Source.objects.get_or_create(owner=owner, digest=digest, defaults=values)[0]


def _read_apart(read: Callable[[bytes, str], Any], data: bytes, filename: str) -> Any:
    """What is read of bytes that nobody has read yet: that may take more time and memory than the studio has."""
    return run_within(settings.LONGEST_READING, settings.MOST_TO_READ, read, data, filename)


def measure_anew() -> list[Source]:
    """Measures the sources of which an earlier version of the app knew less.

    Returns:
        Those that could not be read. They stay on the shelf, which says why.
    """
    unread = []
    for source in Source.objects.all():
        if source.is_measured and not source.problem:
            continue
        try:
            source.measured, source.problem = asdict(_measure(source)), ""
        except (ReliefError, OSError) as problem:
            source.problem = str(problem)[:200] if isinstance(problem, ReliefError) else "Its file could not be read."
            unread.append(source)
        source.save(update_fields=["measured", "problem"])
    return unread


def _measure(source: Source) -> Facts | MeshFacts:
    """What is measured of a source whose file is there already. Raises ReliefError, OSError."""
    data = read_source(source.digest)
    if source.is_mesh:
        return mesh_facts(_read_apart(read_mesh, data, source.filename), source.filename)
    return facts(_read_apart(decode, data, source.filename), source.filename)
