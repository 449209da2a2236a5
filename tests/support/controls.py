#!/usr/bin/env python3
"""Evaluates a keyed control rig as an animator's rig would, and compares the body it gives with what was shown.
Usage: controls.py CONTROLS.glb SHOWN.csv ROLES.json   (ROLES: {role: joint of the table})

Rules of the rig, all stated here and nowhere else: the pelvis control carries the hips; hand and foot controls carry
wrists and ankles; elbows and knees lie where two bones of their rest lengths meet, on the side of their pole (law of
cosines); in angles, upper arm and forearm (thigh and shin) turn as their controls turned since the first frame of the
table, which is the rest; a limb's share is what its node stands over its rest, in tenths of a metre: 1 goal and pole, 0
angles, between both results mixed. Prints JSON: the largest distance in m by rule; poles where the limb is bent by 15
degrees; the tips where the shares have them; the shares of all frames, least and largest."""
import csv
import json
import sys

import numpy as np
from glb import Glb, rotation

glb = Glb(sys.argv[1])
nodes, parent, channels = glb.nodes, glb.parent, glb.channels()
number = {node['name']: n for n, node in enumerate(nodes)}


def world(n, t, cache):
    if n in cache:
        return cache[n]

    def value(path, rest):
        if (n, path) not in channels:
            return np.array(nodes[n].get(path, rest), float)
        times, values = channels[n, path]
        k = int(np.argmin(np.abs(times - t)))  # a key a frame
        assert abs(times[k] - t) < 1e-3
        return values[k]
    R, p = rotation(value('rotation', [0, 0, 0, 1])), value('translation', [0, 0, 0])
    if n in parent:
        R_P, p_P = world(parent[n], t, cache)
        R, p = R_P @ R, p_P + R_P @ p
    cache[n] = R, p
    return cache[n]


roles = json.load(open(sys.argv[3]))
shown, times = {}, {}
with open(sys.argv[2], newline='') as f:
    for row in csv.DictReader(f):
        shown[int(row['frame']), row['joint']] = np.array([float(row[k]) for k in ('x_m', 'y_m', 'z_m')])
        times[int(row['frame'])] = float(row['time_s'])
at = lambda f, role: shown[f, roles[role]]
worst = {'pelvis': 0., 'tips': 0., 'poles': 0., 'angles': 0., 'shared': 0.}
shares = []
rest = {name: world(n, times[0], {}) for name, n in number.items()}
for f in sorted(times):
    cache = {}
    ctl = {name: world(n, times[f], cache) for name, n in number.items()}
    turned = {name: ctl[name][0] @ rest[name][0].T for name in ctl}
    off = lambda rule, a, b: worst.__setitem__(rule, max(worst[rule], float(np.linalg.norm(a - b))))
    off('pelvis', ctl['pelvis_ctl'][1] + turned['pelvis_ctl'] @ (at(0, 'hips') - rest['pelvis_ctl'][1]), at(f, 'hips'))
    for side, s in (('left', 'L'), ('right', 'R')):
        for tip, control, start, mid, pole in (('hand', f'hand_{s}_ctl', 'upperarm', 'forearm', f'elbow_{s}_ctl'),
                                               ('foot', f'foot_{s}_ctl', 'thigh', 'shin', f'knee_{s}_ctl')):
            a, b, c = (at(f, f'{part}.{side}') for part in (start, mid, tip))
            reached = ctl[control][1] + turned[control] @ (at(0, f'{tip}.{side}') - rest[control][1])
            off('tips', reached, c)
            upper, lower = np.linalg.norm(b - a), np.linalg.norm(c - b)
            cos_bend = (b - a) @ (c - b) / (upper * lower)
            axis = (reached - a) / np.linalg.norm(reached - a)
            if cos_bend < np.cos(np.radians(15)):
                d = np.linalg.norm(reached - a)
                along = (upper ** 2 - lower ** 2 + d ** 2) / (2 * d)
                beside = ctl[pole][1] - a
                beside -= axis * (axis @ beside)
                off('poles', a + axis * along + np.sqrt(max(0, upper ** 2 - along ** 2)) * beside / np.linalg.norm(beside), b)
            middle = a + turned[f'{start}_{s}_turn'] @ (at(0, f'{mid}.{side}') - at(0, f'{start}.{side}'))
            off('angles', middle, b)
            turned_tip = middle + turned[f'{mid}_{s}_turn'] @ (at(0, f'{tip}.{side}') - at(0, f'{mid}.{side}'))
            off('angles', turned_tip, c)
            own = number[f"{'arm' if tip == 'hand' else 'leg'}_{s}_share"]
            R_P, p_P = ctl[nodes[parent[own]]['name']]
            share = 10 * (R_P.T @ (world(own, times[f], cache)[1] - p_P) - np.array(nodes[own]['translation']))[1]
            shares.append(share)
            off('shared', share * reached + (1 - share) * turned_tip, c)
print(json.dumps(worst | {'least': min(shares), 'largest': max(shares)}))
