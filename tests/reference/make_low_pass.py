#!/usr/bin/python3
"""Makes low_pass.json: values by scipy.signal, for the core's low-pass to be compared with.

Usage: make_low_pass.py > low_pass.json        (needs python3-scipy)
"""
import json
import sys

import numpy as np
import scipy
from scipy.signal import butter, filtfilt

random = np.random.default_rng(30)
cases = []
for fps, corner, n in [(60, 6, 240), (120, 8, 200), (30, 4, 90), (24, 11.5, 60), (60, 2, 12)]:
    t = np.arange(n) / fps
    x = [np.sin(2 * np.pi * f * t + p) + 0.1 * random.normal(size=n) + 3 * t for f, p in [(1, .3), (3, 1), (9, 0)]]
    b, a = butter(2, corner, fs=fps)
    y = [filtfilt(b, a, c) for c in x]
    cases.append({'fps': fps, 'corner_hz': corner, 'b': b.tolist(), 'a': a.tolist(),
                  'in': np.array(x).T.tolist(), 'out': np.array(y).T.tolist()})
print(f'scipy {scipy.__version__}', file=sys.stderr)
json.dump({'cases': cases}, sys.stdout)
