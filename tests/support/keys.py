#!/usr/bin/env python3
"""Plays a .glb densely and compares it with a table of what was shown. Usage: keys.py FILE.glb TABLE.csv
Reads the animation added last by itself (glTF 2.0, ISO/IEC 12113: 3.6 accessors, appendix C interpolation); places of
joints in the world in metres from node transforms. Prints JSON: the largest distance (m) and turn (degrees) over all
frames and joints that both have."""
import csv
import json
import sys

import numpy as np
from glb import Glb, rotation

glb = Glb(sys.argv[1])
nodes, parent, channels = glb.nodes, glb.parent, glb.channels()


def matrix(q, p, s):
    m = np.eye(4)
    m[:3, :3] = rotation(q) * np.array(s)
    m[:3, 3] = p
    return m


def slerp(a, b, u):
    d = a @ b
    if d < 0:
        b, d = -b, -d
    t = np.arccos(min(1.0, d))
    if t < 1e-9:
        return a
    return (np.sin((1 - u) * t) * a + np.sin(u * t) * b) / np.sin(t)


def curved(times, values, k, t):
    """Appendix C.5 of the specification; turns are made of unit length after it."""
    if k + 1 == len(times) or t <= times[0]:
        return values[k, 1]
    d = times[k + 1] - times[k]
    u = min(1.0, max(0.0, (t - times[k]) / d))
    return ((2 * u**3 - 3 * u**2 + 1) * values[k, 1] + d * (u**3 - 2 * u**2 + u) * values[k, 2]
            + (3 * u**2 - 2 * u**3) * values[k + 1, 1] + d * (u**3 - u**2) * values[k + 1, 0])


def played(times, values, t, is_turn):
    k = int(np.clip(np.searchsorted(times, t + 1e-6) - 1, 0, len(times) - 1))
    if values.ndim == 3:
        return curved(times, values, k, t)
    if k + 1 == len(times) or t <= times[0]:
        return values[k]
    u = min(1.0, max(0.0, (t - times[k]) / (times[k + 1] - times[k])))
    return slerp(values[k], values[k + 1], u) if is_turn else (1 - u) * values[k] + u * values[k + 1]


shown = {}
frames = {}
with open(sys.argv[2], newline='') as f:
    for row in csv.DictReader(f):
        shown[int(row['frame']), row['joint']] = np.array([float(row[k]) for k in ('x_m', 'y_m', 'z_m', 'qx', 'qy', 'qz', 'qw')])
        frames[int(row['frame'])] = float(row['time_s'])
joints = {name for _, name in shown}
by_name = {nodes[n].get('name'): n for n in range(len(nodes)) if nodes[n].get('name') in joints}

worst = dict(place_m=0.0, turn_deg=0.0, joints=len(by_name), frames=len(frames), keys=sum(len(t) for t, _ in channels.values()),
             curved=sum(v.ndim == 3 for _, v in channels.values()))
start = None
for frame, t in sorted(frames.items()):
    world = {}

    def globally(n):
        if n not in world:
            node = nodes[n]
            if 'matrix' in node:
                local = np.array(node['matrix']).reshape(4, 4).T
            else:
                q = played(*channels[n, 'rotation'], t, True) if (n, 'rotation') in channels else np.array(node.get('rotation', [0, 0, 0, 1]))
                p = played(*channels[n, 'translation'], t, False) if (n, 'translation') in channels else node.get('translation', [0, 0, 0])
                local = matrix(q, p, node.get('scale', [1, 1, 1]))
            world[n] = globally(parent[n]) @ local if n in parent else local
        return world[n]

    for name, n in by_name.items():
        m = globally(n)
        is_there = shown[frame, name]
        off = float(np.linalg.norm(m[:3, 3] - is_there[:3]))
        if off > worst['place_m']:
            worst.update(place_m=off, place_joint=name, place_frame=frame)
        r = m[:3, :3] / np.linalg.norm(m[:3, :3], axis=0)
        s = matrix(is_there[3:], [0, 0, 0], [1, 1, 1])[:3, :3]
        worst['turn_deg'] = max(worst['turn_deg'], float(np.degrees(np.arccos(np.clip((np.trace(r @ s.T) - 1) / 2, -1, 1)))))
print(json.dumps(worst))
