"""A parametric walk: footsteps are planned, feet stand where they are put, the legs follow.

Curves of hip, knee and ankle over a stride are those of level walking in published gait texts (Perry, Gait
Analysis; from memory, read at nine points): they shape the swing and the roll of the foot. Stance is 60 % of
the stride. Lengths in metres, angles in degrees.
"""
import math

import numpy as np

from bodies import rot

PERCENT = [0, 10, 20, 40, 50, 62, 73, 87, 100]
HIP = [28, 24, 17, 0, -9, -2, 15, 31, 28]       # flexion
KNEE = [4, 16, 15, 5, 8, 38, 60, 26, 4]         # flexion
ANKLE = [0, -4, 4, 10, 9, -17, -6, 1, 0]        # dorsiflexion


def curve(values, percent):
    """Periodic cubic (Catmull-Rom on uneven knots) through the readings."""
    x = np.array([PERCENT[0] - (100 - PERCENT[-2])] + PERCENT + [100 + PERCENT[1]], float)
    y = np.array([values[-2]] + list(values) + [values[1]], float)
    percent = percent % 100
    k = int(np.clip(np.searchsorted(x, percent, side='right') - 1, 1, len(x) - 3))
    slope = lambda i: (y[i + 1] - y[i - 1]) / (x[i + 1] - x[i - 1])
    h = x[k + 1] - x[k]
    t = (percent - x[k]) / h
    return ((2 * t**3 - 3 * t**2 + 1) * y[k] + (t**3 - 2 * t**2 + t) * h * slope(k)
            + (-2 * t**3 + 3 * t**2) * y[k + 1] + (t**3 - t**2) * h * slope(k + 1))


def ease(u):
    u = np.clip(u, 0, 1)
    return u**3 * (10 - 15 * u + 6 * u * u)


def smooth(values, sigma_frames):
    n = int(4 * sigma_frames) + 1
    kernel = np.exp(-.5 * (np.arange(-n, n + 1) / sigma_frames)**2)
    kernel /= kernel.sum()
    padded = np.concatenate([np.repeat(values[:1], n, 0), values, np.repeat(values[-1:], n, 0)])
    if values.ndim == 1:
        return np.convolve(padded, kernel, 'valid')
    return np.stack([np.convolve(padded[:, c], kernel, 'valid') for c in range(values.shape[1])], 1)


class Step:
    """A foot leaves the floor at `lift` and stands at `land` (s) with its flat ankle over (x, z), `y` above the floor."""

    def __init__(self, lift, land, xz, heading=0., y=0.):
        self.lift, self.land, self.xz, self.heading, self.y = lift, land, np.array(xz, float), heading, y


class Foot:
    def __init__(self, side, steps=()):
        self.side, self.x = side, 1 if side == 'left' else -1
        self.steps = list(steps)


class Sole:
    """Points of a body's foot seen from the ankle of the flat foot."""

    def __init__(self, body):
        ball = body.offsets[body.roles.index('toe.left')]
        self.ankle = body.ankle
        self.heel = np.array([0, -body.ankle, -.055])
        self.ball = ball.copy()  # the toes stay flat while the foot turns about their joint


def plan(body, path, stride_s=1.12, stand_s=.9):
    """Alternating steps along path(s) -> (x, z, heading). Returns feet and the whole time."""
    step_s = stride_s / 2
    swing_s = .4 * stride_s
    half = abs(body.offsets[body.roles.index('thigh.left')][0]) * .8
    step_length, length = .62 * (body.length('shin.left') + body.length('foot.left')) * 1.25, path.length
    feet = {s: Foot(s) for s in ('left', 'right')}

    def place(s, foot):
        x, z, heading = path(s)
        return np.array([x + foot.x * half * math.cos(heading), z - foot.x * half * math.sin(heading)]), heading

    for foot in feet.values():
        foot.steps.append(Step(-9., -8., *place(0, foot)))
    s, t, side = 0., stand_s, 'left'
    while s < length - 1e-6:
        s = min(s + step_length * (.6 if s == 0 else 1), length)
        feet[side].steps.append(Step(t, t + swing_s, *place(s, feet[side])))
        t += step_s
        side = 'right' if side == 'left' else 'left'
    feet[side].steps.append(Step(t, t + swing_s, *place(length, feet[side])))
    return feet, t + swing_s + stand_s


class FootState:
    """Where one foot is: `sole` the flat ankle's place on plan (x, z), `ankle` (x, y, z), pitch and heading in degrees and
    radians, `percent` of the stride, `stands` on heel, sole, ball or None."""

    def __init__(self, sole, ankle, pitch, heading, percent, stands):
        self.sole, self.ankle, self.pitch, self.heading, self.percent, self.stands = sole, ankle, pitch, heading, percent, stands


def foot_at(sole, foot, t, stride_s):
    k = max(n for n, step in enumerate(foot.steps) if step.lift <= t)
    step = foot.steps[k]
    before = foot.steps[k - 1] if k else step
    p, p0 = step.xz, before.xz
    reach = min(1., np.linalg.norm(p - p0) / 1.2)
    is_rise = abs(step.y - before.y) > .02
    heel_up = 0. if is_rise else 16.
    at = lambda xz, y: np.array([xz[0], sole.ankle + y, xz[1]])
    if t < step.land:
        u = (t - step.lift) / (step.land - step.lift)
        e = ease(u)
        place = p0 + e * (p - p0)
        heading = before.heading + e * (step.heading - before.heading)
        # Toe down after leaving, toe up before landing: published ankle, knee and hip curves together.
        pitch = reach * np.interp(u, [0, .2, .55, .85, 1], [-48, -42, 2, heel_up + 1 if heel_up else 0, heel_up])
        arch = (reach * (.115 * math.sin(math.pi * u) * (1 - .55 * u) + .012 * math.sin(math.pi * u))
                + .05 * (1 - reach) * math.sin(math.pi * u))
        climb = ease(u / .62) if step.y > before.y else ease((u - .38) / .62)
        y = before.y + climb * (step.y - before.y)
        # Start from the rolled-off foot, end on the heel: the ankle's place at both ends is that of stance.
        ankle = (at(place, y + arch) + (1 - ease(u / .7)) * rolled(sole.ball, -48 * reach, before.heading)
                 + ease((u - .3) / .7) * rolled(sole.heel, heel_up * reach, step.heading))
        return FootState(place, ankle, pitch, heading, 60 + 40 * u, None)
    reach = reach if k else 0.
    following = foot.steps[k + 1] if k + 1 < len(foot.steps) else None
    reach_next = min(1., np.linalg.norm(following.xz - p) / 1.2) if following else 0.
    to_flat = heel_up * reach * (1 - ease((t - step.land) / (.11 * stride_s)))
    off = 0.
    if following:
        off = -48 * reach_next * float(np.clip((t - (following.lift - .24 * stride_s)) / (.24 * stride_s), 0, 1))**1.7
    pitch = to_flat + off
    ankle = at(p, step.y) + rolled(sole.ball if off < 0 else sole.heel, pitch, step.heading)
    percent = 59.9 * np.clip((t - step.land) / (.6 * stride_s), 0, 1)
    return FootState(p, ankle, pitch, step.heading, percent, 'heel' if to_flat > .5 else 'ball' if off < -.5 else 'sole')


def rolled(pivot, pitch, heading):
    """Where the ankle goes when the flat foot is rolled about a point of its sole (seen from the ankle)."""
    offset = pivot - rot(0, -pitch) @ pivot
    return rot(1, math.degrees(heading)) @ offset


def body_at(body, turns, hips):
    kept = body.offsets[0]
    body.offsets[0] = hips
    result = body.pose(turns)
    body.offsets[0] = kept
    return result


def leg(R_hips, hip, ankle, pitch, heading, thigh, shin, side, splay=0.):
    """Two-bone closed form: the knee ahead (turned out by `splay`, radians), the foot as planned. Local turns of thigh,
    shin, foot."""
    d = ankle - hip
    distance = min(np.linalg.norm(d), .9995 * (thigh + shin))
    direction = d / np.linalg.norm(d)
    ahead = rot(1, math.degrees(heading + (splay if side == 'left' else -splay))) @ np.array([0, 0, 1.])
    normal = np.cross(-direction, ahead)  # the knee's axis: +X of a body that faces +Z
    normal /= np.linalg.norm(normal)
    cos_hip = (thigh**2 + distance**2 - shin**2) / (2 * thigh * distance)
    a = math.acos(np.clip(cos_hip, -1, 1))
    front = np.cross(normal, direction) * -1
    if front @ ahead < 0:
        front = -front
    upper = math.cos(a) * direction + math.sin(a) * front
    lower = (direction * distance - thigh * upper) / shin
    frame = lambda down: np.column_stack([np.cross(-down, np.cross(normal, -down)), -down, np.cross(normal, -down)])
    R_thigh, R_shin = frame(upper), frame(lower)
    R_foot = rot(1, math.degrees(heading)) @ rot(0, -pitch)
    return {f'thigh.{side}': R_hips.T @ R_thigh, f'shin.{side}': R_thigh.T @ R_shin, f'foot.{side}': R_shin.T @ R_foot}
