"""Blocks of points in rows and columns: their quadrilaterals, the edges along a line of them, and what is
left when cells are taken out; the way along a line of points."""
import numpy as np


def block_cells(number):
    """Quadrilaterals of a block, shape (n - 1, m - 1, 4).

    Parameters
    ----------
    number : ndarray of int, shape (n, m)
        Numbers of its points. Where x grows with the first index and y with the second, the corners run
        counter-clockwise.
    """
    return np.stack([number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]], axis=-1)


def line_edges(line):
    """Edges between neighbours of a line of points, shape (len(line) - 1, 2)."""
    return np.stack([line[:-1], line[1:]], axis=1)


def arc_length(line):
    """Way along a line of points, shape (n, dim), up to each of them, shape (n,)."""
    return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])


def used_only(points, cells, edges):
    """(points, cells, edges) numbered anew without the points that no cell has.

    Parameters
    ----------
    points : ndarray, shape (n, 2)
    cells : ndarray of int, shape (n_cells, 4)
    edges : dict of str to ndarray of int, shape (k, 2)
    """
    used, new = np.unique(cells, return_inverse=True)
    back = np.full(len(points), -1, dtype=np.int64)
    back[used] = np.arange(len(used))
    return points[used], new.reshape(cells.shape), {name: back[pairs] for name, pairs in edges.items()}
