"""How quick this machine is with meshes and stills: measured while the studio is made ready, and kept on the disk, so
that no page waits for it.
"""

from __future__ import annotations

import json
import threading
from dataclasses import asdict
from typing import Any

from django.conf import settings

from relief.deliver.files import write_whole
from relief.deliver.rates import MachineRates, Rate, Rates, measure_machine
from relief.still.forecast import time_usual_path
from studio.bench.preparing import this_machine

_measuring = threading.Lock()


def mesh_rates() -> Rates:
    """What a face of a mesh costs on this machine."""
    return _rates().meshes


def seconds_of_path() -> float:
    """What a path of a still takes on this machine. Raises ReliefError, which says why, where none can be drawn."""
    return _rates().path or time_usual_path()


def _rates() -> MachineRates:
    """As they were kept for this machine and this version, else measured now."""
    with _measuring:
        return _read() or keep_rates(measure_machine())


def _read() -> MachineRates | None:
    """What was kept; None where there is nothing, or it is damaged or of another version or machine."""
    try:
        kept = json.loads(_place().read_text())
        meshes = Rates(Rate(**kept["levels"]), Rate(**kept["triangles"]))
        return MachineRates(meshes, kept["path"]) if kept["of"] == this_machine() else None
    except (OSError, ValueError, TypeError, KeyError):
        return None


def keep_rates(rates: MachineRates) -> MachineRates:
    """Keeps what was measured, for all that run on this data folder."""
    told: dict[str, Any] = {"of": this_machine(), "path": rates.path, **asdict(rates.meshes)}
    write_whole(_place(), json.dumps(told).encode())
    return rates


def _place():
    return settings.DATA / "rates.json"
