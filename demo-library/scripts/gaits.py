#!/usr/bin/env python3
"""Makes the takes in tests/gaits: a run, a skip and a tread on the spot, with labels of what stands, by the capture
simulator. They are test data, not part of the demo.

Usage: gaits.py [FOLDER]
"""
import os
import sys

import numpy as np

import make_demo
import perform
from perform import SIDES, Score
from walk import Foot, Step


def flights(body, order, step_s, stance_s, length, steps):
    """Steps in which the body flies: `order` of the feet, over and over; each stands `stance_s`."""
    half = abs(body.offsets[body.roles.index('thigh.left')][0]) * .6
    feet = {s: Foot(s, [Step(-9, -8, (x * half, 0))]) for s, x in SIDES}
    t, z, stood = .9, 0., {'left': .7, 'right': .9}
    for k in range(steps):
        side = order[k % len(order)]
        z += length * (.5 if k in (0, steps - 1) else 1)
        feet[side].steps.append(Step(stood[side], t, (feet[side].x * half, z)))
        stood[side] = t + stance_s
        t += step_s
    last = order[(steps - 1) % len(order)]
    other = 'left' if last == 'right' else 'right'
    feet[other].steps.append(Step(stood[other], t, (feet[other].x * half, z)))
    return feet, t + 1.


def run(body):
    """Twelve steps at 3.2 m/s, each foot 0.18 s on the floor."""
    feet, seconds = flights(body, ('left', 'right'), .34, .18, 1.09, 12)
    score = Score(seconds, feet, .36, swings=True)
    score.key('crouch', (.5, 0), (1.2, .05), (seconds - 1.5, .05), (seconds - .7, 0))
    return score.key('pelvis.x', (.5, 0), (1.2, 8), (seconds - 1.5, 8), (seconds - .7, 0)).both('arm.elbow', (.5, 16), (1.2, 85), (seconds - 1.5, 85), (seconds - .7, 16))


def skip(body):
    """Step and hop on one foot, step and hop on the other; 0.16 s on the floor each."""
    feet, seconds = flights(body, ('left', 'left', 'right', 'right'), .32, .16, .62, 16)
    score = Score(seconds, feet, .34, swings=True)
    return score.key('crouch', (.5, 0), (1.2, .04), (seconds - 1.5, .04), (seconds - .7, 0))


class Straight:
    length = 14.

    def __call__(self, s):
        return 0., s, 0.


def tread(body, fps):
    """Four strides of a steady walk whose travel is taken off: a loop. Frames, labels, and the speed (m/s)."""
    stride_s = 1.12
    score = perform.walking_score(body, Straight(), stride_s)
    score.keys.pop('head.y')
    frames, labels, _ = perform.perform(body, score, fps)
    left = [step for step in score.feet['left'].steps if step.land > 0]
    speed = (left[4].xz[1] - left[3].xz[1]) / stride_s
    first = int(round((left[3].land + .1) * fps))
    last = first + int(round(4 * stride_s * fps))
    out = [(turns, hips - np.array([0, 0, left[3].xz[1] + speed * i / fps])) for i, (turns, hips, _) in enumerate(frames[first:last])]
    return out, [(p, i - first, what) for p, i, what in labels if first <= i < last], speed


def main(folder):
    os.makedirs(folder, exist_ok=True)
    body = make_demo.performer()
    on = ('performer', body, make_demo.named(body, make_demo.PERFORMER_NAMES, 'L', 'R'))
    record = make_demo.Recorder(folder)
    record.folder = folder
    for name, score in (('run', run(body)), ('skip', skip(body))):
        record.person(name, (score, ()), name, 120, on)
    frames, labels, speed = tread(body, 60)
    record.write('tread', on, frames, labels, 60, 'tread')
    print(f'tread: {speed:.4f} m/s')
    for name in ('run', 'skip', 'tread'):
        os.remove(os.path.join(folder, name + '.take.json'))


if __name__ == '__main__':
    main(sys.argv[1] if len(sys.argv) > 1 else os.path.join(os.path.dirname(os.path.abspath(__file__)), '..', '..', 'tests', 'gaits'))
