#!/usr/bin/env python3
"""Heights of points over triangles by another way than the program's: nearest place by projecting onto each triangle's
plane and edges in one sweep, inside by the generalised winding number (Jacobson, Kavan, Sorkine-Hornung, Robust
inside-outside segmentation using generalized winding numbers, 2013; solid angles by Van Oosterom and Strackee 1983; both
from memory). Reads JSON {"points": [[x, y, z]], "triangles": [[[x, y, z] * 3]]} from standard input, writes heights, m.
"""
import json
import sys

import numpy as np


def distance(q, a, b, c):
    n = np.cross(b - a, c - a)
    n /= np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-15)
    off = ((q - a) * n).sum(1)
    foot = q - off[:, None] * n
    inside = np.ones(len(a), bool)
    best = np.full(len(a), np.inf)
    for s, e in ((a, b), (b, c), (c, a)):
        inside &= (np.cross(e - s, foot - s) * n).sum(1) >= 0
        d = e - s
        t = np.clip(((q - s) * d).sum(1) / np.maximum((d * d).sum(1), 1e-18), 0, 1)
        best = np.minimum(best, np.linalg.norm(q - s - t[:, None] * d, axis=1))
    return np.where(inside, np.abs(off), best).min()


def winding(q, a, b, c):
    a, b, c = a - q, b - q, c - q
    la, lb, lc = (np.linalg.norm(v, axis=1) for v in (a, b, c))
    top = (a * np.cross(b, c)).sum(1)
    low = la * lb * lc + (a * b).sum(1) * lc + (b * c).sum(1) * la + (c * a).sum(1) * lb
    return (2 * np.arctan2(top, low)).sum() / (4 * np.pi)


given = json.load(sys.stdin)
t = np.array(given['triangles'], float)
a, b, c = t[:, 0], t[:, 1], t[:, 2]
print(json.dumps([float(distance(np.array(q), a, b, c) * (-1 if winding(np.array(q), a, b, c) > .5 else 1)) for q in given['points']]))
