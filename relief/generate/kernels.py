"""The loops of the noises: each walks over the texels of a row and looks its cell's random numbers up in a table."""

from __future__ import annotations

import numba
import numpy as np

from relief.kernels import inlined, kernel


@inlined
def _fade(part):
    """Perlin's quintic: first and second derivative are 0 at both ends."""
    return part * part * part * (part * (part * np.float32(6) - np.float32(15)) + np.float32(10))


@inlined
def _on_lattice(row, column, rows, columns, matrix, first_u, first_v, bent_x, bent_y):
    """Where a texel's centre lies on the lattice, moved by the warp on the unit square where there is one."""
    a, b, c, d = matrix
    x = (column + 0.5) / columns
    y = (row + 0.5) / rows
    if bent_x.size > 0:
        x += bent_x[row, column]
        y += bent_y[row, column]
    return a * x + b * y - first_u, c * x + d * y - first_v


@kernel
def add_gradient(table, matrix, first_u, first_v, bent_x, bent_y, weight, mode, out):
    """Adds one octave of gradient noise to `out`. Modes: 0 plain, 1 ridged, 2 billowed."""
    rows, columns = out.shape
    for row in numba.prange(rows):
        for column in range(columns):
            u, v = _on_lattice(row, column, rows, columns, matrix, first_u, first_v, bent_x, bent_y)
            i = int(np.floor(u))
            j = int(np.floor(v))
            fu = np.float32(u - i)
            fv = np.float32(v - j)
            su = _fade(fu)
            sv = _fade(fv)
            one = np.float32(1)
            n00 = table[j, i, 0] * fu + table[j, i, 1] * fv
            n10 = table[j, i + 1, 0] * (fu - one) + table[j, i + 1, 1] * fv
            n01 = table[j + 1, i, 0] * fu + table[j + 1, i, 1] * (fv - one)
            n11 = table[j + 1, i + 1, 0] * (fu - one) + table[j + 1, i + 1, 1] * (fv - one)
            upper = n00 + su * (n10 - n00)
            lower = n01 + su * (n11 - n01)
            noise = (upper + sv * (lower - upper)) * np.float32(1.4142135)
            out[row, column] += weight * _shaped(noise, mode)


@inlined
def _shaped(noise, mode):
    """Noise from -1 to 1, as it is, as ridges, or as billows; all from -1 to 1."""
    if mode == 0:
        return noise
    size = np.abs(noise) * np.float32(2) - np.float32(1)
    if mode == 1:
        return -size
    return size


@kernel
def add_value(table, matrix, first_u, first_v, bent_x, bent_y, weight, mode, out):
    """Adds one octave of value noise to `out`."""
    rows, columns = out.shape
    for row in numba.prange(rows):
        for column in range(columns):
            u, v = _on_lattice(row, column, rows, columns, matrix, first_u, first_v, bent_x, bent_y)
            i = int(np.floor(u))
            j = int(np.floor(v))
            su = _fade(np.float32(u - i))
            sv = _fade(np.float32(v - j))
            upper = table[j, i, 0] + su * (table[j, i + 1, 0] - table[j, i, 0])
            lower = table[j + 1, i, 0] + su * (table[j + 1, i + 1, 0] - table[j + 1, i, 0])
            noise = (upper + sv * (lower - upper)) * np.float32(2) - np.float32(1)
            out[row, column] += weight * _shaped(noise, mode)


@inlined
def _far(du, dv, shape):
    """Distance: 0 round, 1 square, 2 diamond."""
    if shape == 0:
        return np.sqrt(du * du + dv * dv)
    if shape == 1:
        return max(abs(du), abs(dv))
    return abs(du) + abs(dv)


@kernel
def cells(table, matrix, first_u, first_v, bent_x, bent_y, jitter, shape, nearest, second, value):
    """Worley's F1 and F2 in cells, and the number of the nearest point's cell.

    All points within one cell of a place lie in the 3 x 3 cells around it; where F2 is larger, the next ring is looked
    at.
    """
    rows, columns = nearest.shape
    for row in numba.prange(rows):
        for column in range(columns):
            place_u, place_v = _on_lattice(row, column, rows, columns, matrix, first_u, first_v, bent_x, bent_y)
            u = np.float32(place_u)
            v = np.float32(place_v)
            i = int(np.floor(u))
            j = int(np.floor(v))
            one = np.float32(9)
            two = np.float32(9)
            owner = np.float32(0)
            ring = 1
            while True:
                for dj in range(-ring, ring + 1):
                    for di in range(-ring, ring + 1):
                        if ring == 2 and abs(di) < 2 and abs(dj) < 2:
                            continue
                        px = i + di + np.float32(0.5) + jitter * (table[j + dj, i + di, 0] - np.float32(0.5))
                        py = j + dj + np.float32(0.5) + jitter * (table[j + dj, i + di, 1] - np.float32(0.5))
                        far = _far(px - u, py - v, shape)
                        if far < one:
                            two = one
                            one = far
                            owner = table[j + dj, i + di, 2]
                        elif far < two:
                            two = far
                if ring == 2 or two <= 1:
                    break
                ring = 2
            nearest[row, column] = one
            second[row, column] = two
            value[row, column] = owner
