"""What series, deliveries, final meshes and stills take, loaded and worked out before any is asked for."""

from contextlib import suppress

import numba  # noqa: F401
import scipy.stats.qmc  # noqa: F401

import relief.depth.series_files  # noqa: F401
import studio.remote.works  # noqa: F401
from relief.still.material import kept_light

with suppress(ImportError):  # an extra; who asks for a still is told that it is missing
    import embreex.mesh_construction  # noqa: F401

kept_light()
