"""The loops of the noises: each walks over the texels of a row and looks its cell's random numbers up in a table.

Where a texel's centre lies on the lattice, moved by the warp where it is bent, is written out in each: a function that
gives two numbers would keep the loop from vector registers (measured: 2.5 times as slow). Numbers of cells are
unsigned: one with a sign might be below zero and would be counted from the end.
"""

from __future__ import annotations

import numpy as np

from relief.kernels import helper, inlined, kernel


@inlined
def _fade(part):
    """Perlin's quintic: first and second derivative are 0 at both ends."""
    return part * part * part * (part * (part * np.float32(6) - np.float32(15)) + np.float32(10))


@kernel(rows_of="out")
def add_gradient(begin, end, table, matrix, first_u, first_v, bent_x, bent_y, weight, mode, out):
    """Adds one octave of gradient noise to `out`. Modes: 0 plain, 1 ridged, 2 billowed."""
    rows, columns = out.shape
    one, bent = np.float32(1), bent_x.size > 0
    a, b, c, d = matrix
    for row in range(begin, end):
        here = out[row]
        for column in range(columns):
            x, y = (column + 0.5) / columns, (row + 0.5) / rows
            if bent:
                x += bent_x[row, column]
                y += bent_y[row, column]
            u, v = a * x + b * y - first_u, c * x + d * y - first_v
            left, above = np.floor(u), np.floor(v)
            i, j = np.uint64(left), np.uint64(above)
            right, below = i + np.uint64(1), j + np.uint64(1)
            fu, fv = np.float32(u - left), np.float32(v - above)
            su, sv = _fade(fu), _fade(fv)
            n00 = table[j, i, 0] * fu + table[j, i, 1] * fv
            n10 = table[j, right, 0] * (fu - one) + table[j, right, 1] * fv
            n01 = table[below, i, 0] * fu + table[below, i, 1] * (fv - one)
            n11 = table[below, right, 0] * (fu - one) + table[below, right, 1] * (fv - one)
            upper = n00 + su * (n10 - n00)
            lower = n01 + su * (n11 - n01)
            noise = (upper + sv * (lower - upper)) * np.float32(1.4142135)
            here[column] += weight * _shape_noise(noise, mode)


@inlined
def _shape_noise(noise, mode):
    """Noise from -1 to 1, as it is, as ridges, or as billows; all from -1 to 1."""
    if mode == 0:
        return noise
    size = np.abs(noise) * np.float32(2) - np.float32(1)
    if mode == 1:
        return -size
    return size


@kernel(rows_of="out")
def add_value(begin, end, table, matrix, first_u, first_v, bent_x, bent_y, weight, mode, out):
    """Adds one octave of value noise to `out`."""
    rows, columns = out.shape
    bent = bent_x.size > 0
    a, b, c, d = matrix
    for row in range(begin, end):
        here = out[row]
        for column in range(columns):
            x, y = (column + 0.5) / columns, (row + 0.5) / rows
            if bent:
                x += bent_x[row, column]
                y += bent_y[row, column]
            u, v = a * x + b * y - first_u, c * x + d * y - first_v
            left, above = np.floor(u), np.floor(v)
            i, j = np.uint64(left), np.uint64(above)
            right, below = i + np.uint64(1), j + np.uint64(1)
            su, sv = _fade(np.float32(u - left)), _fade(np.float32(v - above))
            upper = table[j, i, 0] + su * (table[j, right, 0] - table[j, i, 0])
            lower = table[below, i, 0] + su * (table[below, right, 0] - table[below, i, 0])
            noise = (upper + sv * (lower - upper)) * np.float32(2) - np.float32(1)
            here[column] += weight * _shape_noise(noise, mode)


@inlined
def _far(du, dv, shape):
    """Distance: 0 round, there its square, 1 square, 2 diamond."""
    if shape == 0:
        return du * du + dv * dv
    if shape == 1:
        return max(abs(du), abs(dv))
    return abs(du) + abs(dv)


@helper
def _measure_to(points_x, points_y, cell, aside, di, dj, in_u, in_v, shape, far):
    """How far texels are from the points of the cells that lie `aside` from their own, by `di` and `dj`."""
    if shape == 0:
        for place in range(far.size):
            du = points_x[cell[place] + aside] + di - in_u[place]
            dv = points_y[cell[place] + aside] + dj - in_v[place]
            far[place] = du * du + dv * dv
    else:
        for place in range(far.size):
            du = abs(points_x[cell[place] + aside] + di - in_u[place])
            dv = abs(points_y[cell[place] + aside] + dj - in_v[place])
            far[place] = max(du, dv) if shape == 1 else du + dv


@helper
def _take_heights(heights, cell, aside, far, one, owner):
    """Where a point is nearer than the nearest so far, its cell's height is taken."""
    for place in range(far.size):
        owner[place] = heights[cell[place] + aside] if far[place] < one[place] else owner[place]


@helper
def _take_distances(far, one, two):
    """Where a point is nearer than the nearest or the second so far, it becomes that."""
    for place in range(far.size):
        before, here = one[place], far[place]
        two[place] = min(two[place], max(before, here))
        one[place] = min(before, here)


@helper
def _row_of_cells(table, row, rows, matrix, first_u, first_v, bent_x, bent_y, shape, heights_too, one, two, owner):
    """Writes Worley's F1 and F2 along a row (round: their squares) and, when wanted, the height of the nearest cell.

    The 3 x 3 cells around a texel's own are gone through one after the other, each for the whole row, in loops without
    a branch. Beyond them no point is nearer than their border; where F2 reaches farther, the next ring is looked at.

    `table` is (3, rows, columns) of the lattice: the points' places in their cells, and the cells' heights.
    """
    columns, wide, bent = one.size, table.shape[2], bent_x.size > 0
    a, b, c, d = matrix
    points_x, points_y, heights = table[0].ravel(), table[1].ravel(), table[2].ravel()
    in_u, in_v, far = np.empty(columns, np.float32), np.empty(columns, np.float32), np.empty(columns, np.float32)
    cell = np.empty(columns, np.uint64)  # a number below zero would be counted from the end, at a cost
    for column in range(columns):
        x, y = (column + 0.5) / columns, (row + 0.5) / rows
        if bent:
            x += bent_x[row, column]
            y += bent_y[row, column]
        u, v = a * x + b * y - first_u, c * x + d * y - first_v
        i, j = int(np.floor(u)), int(np.floor(v))
        in_u[column], in_v[column] = u - i, v - j
        cell[column] = (j - 1) * wide + i - 1
    one[:] = np.float32(99)
    two[:] = np.float32(99)
    for dj in range(3):
        for di in range(3):
            aside = np.uint64(dj * wide + di)
            along, down = np.float32(di - 1), np.float32(dj - 1)
            _measure_to(points_x, points_y, cell, aside, along, down, in_u, in_v, shape, far)
            if heights_too:
                _take_heights(heights, cell, aside, far, one, owner)
            _take_distances(far, one, two)
    for column in range(columns):
        u, v = in_u[column], in_v[column]
        border = np.float32(1) + min(min(u, np.float32(1) - u), min(v, np.float32(1) - v))
        if two[column] > (border * border if shape == 0 else border):
            middle = np.int64(cell[column]) + wide + 1
            for dj in range(-2, 3):
                for di in range(-2, 3):
                    if abs(di) == 2 or abs(dj) == 2:
                        other = middle + dj * wide + di
                        away = _far(points_x[other] + di - u, points_y[other] + dj - v, shape)
                        two[column] = min(two[column], max(one[column], away))
                        if away < one[column]:
                            one[column] = away
                            owner[column] = heights[other]
    if shape == 0:
        for column in range(columns):
            one[column] = np.sqrt(one[column])
        for column in range(columns):
            two[column] = np.sqrt(two[column])


@kernel(rows_of="out")
def add_cells(begin, end, table, matrix, first_u, first_v, bent_x, bent_y, shape, measure, weight, out):
    """Adds one octave of cellular noise about 0. Measures: 0 of F1, 1 of F2, 2 of F2 - F1, 3 the cell's height."""
    rows, columns = out.shape
    zero, half, whole = np.float32(0), np.float32(0.5), np.float32(1)
    for row in range(begin, end):
        near = np.empty((3, columns), np.float32)
        one, two, owner = near[0], near[1], near[2]
        _row_of_cells(table, row, rows, matrix, first_u, first_v, bent_x, bent_y, shape, measure == 3, one, two, owner)
        here = out[row]
        if measure == 0:
            for column in range(columns):
                here[column] += weight * (min(max(whole - one[column], zero), whole) - half)
        elif measure == 1:
            for column in range(columns):
                here[column] += weight * (min(two[column] * np.float32(1 / 1.5), whole) - half)
        elif measure == 2:
            for column in range(columns):
                here[column] += weight * (min(two[column] - one[column], whole) - half)
        else:
            for column in range(columns):
                here[column] += weight * (owner[column] - half)


@kernel(rows_of="rows")
def measure_cells(begin, end, table, matrix, first_u, first_v, bent_x, bent_y, shape, rows, out):
    """Writes F1, F2 and the height of the nearest cell: float32 (3, rows, columns)."""
    for row in range(begin, end):
        one, two, owner = out[0, row], out[1, row], out[2, row]
        _row_of_cells(table, row, rows, matrix, first_u, first_v, bent_x, bent_y, shape, True, one, two, owner)
