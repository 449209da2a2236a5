#!/usr/bin/env python3
"""Makes rotations.json: values by scipy.spatial.transform, for the core's rotations to be compared with.

Usage: make_rotations.py > rotations.json        (needs python3-scipy)
"""
import json
import sys

import numpy as np
import scipy
from scipy.spatial.transform import Rotation, Slerp

random = np.random.default_rng(20)
listed = lambda a: [float(v) for v in np.ravel(a)]
exp, euler, slerp, arc, product = [], [], [], [], []
for scale in [1e-9, 1e-4, .1, 1, 3.1]:
    for _ in range(8):
        w = random.normal(size=3)
        w *= scale / np.linalg.norm(w)
        exp.append({'vector': listed(w), 'xyzw': listed(Rotation.from_rotvec(w).as_quat())})
for order in ['XYZ', 'XZY', 'YXZ', 'YZX', 'ZXY', 'ZYX']:
    for _ in range(10):
        angles = random.uniform(-180, 180, 3)
        # Capital letters: turns about the axes of the moving frame, R = R_0 R_1 R_2.
        R = Rotation.from_euler(order, angles, degrees=True)
        euler.append({'order': order, 'degrees': listed(angles), 'xyzw': listed(R.as_quat()), 'matrix': listed(R.as_matrix())})
for _ in range(20):
    a, b = Rotation.random(2, random_state=int(random.integers(1 << 30)))
    u = float(random.uniform())
    both = Rotation.from_quat([a.as_quat(), b.as_quat()])
    slerp.append({'a': listed(a.as_quat()), 'b': listed(b.as_quat()), 'u': u, 'xyzw': listed(Slerp([0, 1], both)([u])[0].as_quat())})
    product.append({'a': listed(a.as_quat()), 'b': listed(b.as_quat()), 'xyzw': listed((a * b).as_quat()),
                    'magnitude': float((a.inv() * b).magnitude())})
for _ in range(20):
    a, b = random.normal(size=(2, 3))
    axis = np.cross(a, b)
    angle = np.arctan2(np.linalg.norm(axis), a @ b)
    R = Rotation.from_rotvec(axis / np.linalg.norm(axis) * angle)
    arc.append({'from': listed(a), 'to': listed(b), 'xyzw': listed(R.as_quat())})
# Swing and twist: the twist about unit axis a is the rotation by 2 atan2(v.a, w); what is left swings the axis.
swing = []
for _ in range(20):
    R = Rotation.random(random_state=int(random.integers(1 << 30)))
    a = random.normal(size=3)
    a /= np.linalg.norm(a)
    x, y, z, w = R.as_quat()
    angle = 2 * np.arctan2(np.dot([x, y, z], a), w)
    angle = (angle + np.pi) % (2 * np.pi) - np.pi
    twist = Rotation.from_rotvec(angle * a)
    swing.append({'xyzw': listed(R.as_quat()), 'axis': listed(a), 'twist': float(angle), 'swing_xyzw': listed((R * twist.inv()).as_quat())})
json.dump({'made_by': 'tests/reference/make_rotations.py', 'scipy': scipy.__version__, 'numpy': np.__version__,
           'exp': exp, 'euler': euler, 'slerp': slerp, 'product': product, 'arc': arc, 'swing': swing}, sys.stdout, indent=1)
print()
