#!/usr/bin/env python3
"""Heights of points over triangles by another way than the program's: nearest place by projecting onto each triangle's
plane and edges in one sweep, inside by the generalised winding number (Jacobson, Kavan, Sorkine-Hornung, Robust
inside-outside segmentation using generalized winding numbers, 2013; solid angles by Van Oosterom and Strackee 1983; both
from memory). Reads JSON {"points": [[x, y, z]], "triangles": [[[x, y, z] * 3]]} from standard input, writes heights, m.
"""
import json
import sys

import numpy as np


def dot(u, v):
    return np.einsum('ij,ij->i', u, v)


class Triangles:
    def __init__(self, corners):
        self.corners = [corners[:, i] for i in range(3)]
        a, b, c = self.corners
        n = np.cross(b - a, c - a)
        self.n = n / np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-15)
        # Edges, and what points inwards from each in the plane.
        self.edges = [(s, e - s, np.maximum(dot(e - s, e - s), 1e-18), np.cross(self.n, e - s)) for s, e in ((a, b), (b, c), (c, a))]

    def distance(self, q):
        off = np.abs(dot(q - self.corners[0], self.n))
        inside = np.ones(len(off), bool)
        best = np.full(len(off), np.inf)
        for s, d, length2, inwards in self.edges:
            v = q - s
            inside &= dot(v, inwards) >= 0
            rest = v - np.clip(dot(v, d) / length2, 0, 1)[:, None] * d
            best = np.minimum(best, dot(rest, rest))
        return np.where(inside, off, np.sqrt(best)).min()

    def winding(self, q):
        a, b, c = (corner - q for corner in self.corners)
        la, lb, lc = (np.sqrt(dot(v, v)) for v in (a, b, c))
        top = (a[:, 0] * (b[:, 1] * c[:, 2] - b[:, 2] * c[:, 1]) + a[:, 1] * (b[:, 2] * c[:, 0] - b[:, 0] * c[:, 2])
               + a[:, 2] * (b[:, 0] * c[:, 1] - b[:, 1] * c[:, 0]))
        low = la * lb * lc + dot(a, b) * lc + dot(b, c) * la + dot(c, a) * lb
        return (2 * np.arctan2(top, low)).sum() / (4 * np.pi)


given = json.load(sys.stdin)
triangles = Triangles(np.array(given['triangles'], float))
print(json.dumps([float(triangles.distance(q) * (-1 if triangles.winding(q) > .5 else 1)) for q in np.array(given['points'], float)]))
