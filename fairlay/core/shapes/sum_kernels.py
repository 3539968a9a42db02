"""Compiled sums of convex polygons."""

from __future__ import annotations

from numba import njit


@njit(cache=True, nogil=True)
def _lowest(points, a, b):
    low = a
    for i in range(a + 1, b):
        if points[i, 1] < points[low, 1] or (
            points[i, 1] == points[low, 1] and points[i, 0] < points[low, 0]
        ):
            low = i
    return low


@njit(cache=True, nogil=True)
def convex_sums(points, starts, other, other_starts, out, out_starts):
    """Sums of each convex part with each of another's, closed: out ``(n, 2)``, out_starts ``(k * l + 1,)``.

    Returns the number of points written.
    """
    n, which = 0, 0
    out_starts[0] = 0
    for p in range(len(starts) - 1):
        a, b = starts[p], starts[p + 1]
        i0 = _lowest(points, a, b)
        for q in range(len(other_starts) - 1):
            c, d = other_starts[q], other_starts[q + 1]
            j0 = _lowest(other, c, d)
            i, j = 0, 0
            first = n
            while i < b - a or j < d - c:
                pi = a + (i0 - a + i) % (b - a)
                pj = c + (j0 - c + j) % (d - c)
                out[n, 0] = points[pi, 0] + other[pj, 0]
                out[n, 1] = points[pi, 1] + other[pj, 1]
                n += 1
                if i >= b - a:
                    j += 1
                    continue
                if j >= d - c:
                    i += 1
                    continue
                ni = a + (i0 - a + i + 1) % (b - a)
                nj = c + (j0 - c + j + 1) % (d - c)
                ex, ey = points[ni, 0] - points[pi, 0], points[ni, 1] - points[pi, 1]
                fx, fy = other[nj, 0] - other[pj, 0], other[nj, 1] - other[pj, 1]
                cross = ex * fy - ey * fx
                if cross > 0.0:
                    i += 1
                elif cross < 0.0:
                    j += 1
                else:
                    i += 1
                    j += 1
            out[n, 0], out[n, 1] = out[first, 0], out[first, 1]
            n += 1
            which += 1
            out_starts[which] = n
    return n
