"""Every kernel compiled before it is needed."""

from __future__ import annotations

from typing import get_args

import numpy as np

from relief.benchmark import WRAPPED, displace_shape
from relief.compose.imprints import Imprints, Press, press_stamp, stamp
from relief.compose.strokes import Stroke, Work, draw_strokes
from relief.filters.resample import enlarge, resample_by_area
from relief.filters.statistics import SORTED, deviations, level_counts, percentiles
from relief.filters.warp import warp
from relief.generate.cellular_noise import CellularNoise
from relief.generate.generator import Grid
from relief.generate.gradient_noise import GradientNoise
from relief.generate.value_noise import ValueNoise
from relief.height import Footprint, HeightField
from relief.inspect.wavelengths import wavelengths
from relief.maps.curvature import mean_curvature
from relief.maps.normal import Normal, normal_map
from relief.maps.occlusion import occlusion
from relief.maps.slopes import slopes, steepness
from relief.sources.facts import measure_clipped_light
from relief.surface.shapes.box import Box
from relief.surface.shapes.plane import Plane
from relief.surface.shapes.sphere import Sphere
from relief.surface.subdivide import subdivide_smooth
from relief.treat.heal import Mark, paint
from relief.treat.median import median
from relief.treat.slope_limit import SlopeLimit


def warm_up() -> None:
    """Compiles every kernel, or takes it from the disk cache, so that the first picture does not wait for it."""
    field = HeightField(np.zeros((4, 4), np.float32), Footprint(), WRAPPED)
    rough = HeightField(np.random.default_rng(1).random((8, 8), np.float32), Footprint(), WRAPPED)
    steepness(field, 1)
    slopes(field, 1)
    normal_map(field, 1, Normal())
    normal_map(field, 1, Normal(), 16)
    flat = np.broadcast_to(np.array([0, 0, 1], np.float32), (4, 4, 3)).copy()
    for bits in (8, 16):
        normal_map(field, 1, Normal(of="both"), bits, flat)
    occlusion(field, 1, 1, 4)
    mean_curvature(field, 1)
    for shape in (Plane(segments=1), Box(segments=1)):
        displace_shape(shape, field)
    for cage in (Box(segments=1), Sphere(segments=4)):
        subdivide_smooth(cage.mesh(field.footprint, 0), 2)
    wavelengths(rough, 0.5)
    for dtype in (np.uint8, np.uint16, np.float32):
        resample_by_area(np.zeros((4, 4, 3), dtype), 2, 2)
    enlarge(field.samples, 5, 5, (True, True))
    warp(field.samples, np.eye(3), 2, 2)
    deviations(rough.samples)
    percentiles(np.random.default_rng(1).random(SORTED + 1, np.float32), 50)
    for dtype in (np.uint8, np.uint16):
        level_counts(np.zeros(4, dtype))
        measure_clipped_light(np.zeros((4, 4), dtype))
        measure_clipped_light(np.zeros((4, 4, 3), dtype))
    median(rough.samples, (2, 1), (True, True))
    SlopeLimit().treat(rough)
    line = np.array([(0.1, 0.1, 1), (0.5, 0.5, 1)])
    draw_strokes(field, tuple(Stroke(work=work, points=line.tolist(), radius=50) for work in get_args(Work)))
    paint(field, (Mark(points=((0.5, 0.5),), radius=50),))
    press_stamp(stamp(Imprints(size=100), None), [Press(0.5, 0.5, 0, 1)], Grid(8, 8, field.footprint), (True, True))
    for model in (GradientNoise, ValueNoise, CellularNoise):
        model().draw(Grid(4, 4, field.footprint))
        model(warp=1).draw(Grid(4, 4, field.footprint))
