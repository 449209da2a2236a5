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


class Foot:
    def __init__(self, side, body):
        self.x = 1 if side == 'left' else -1
        self.steps = []  # (lift time, land time, place, heading), place = ankle of the flat foot, on the floor plan


def plan(body, path, stride_s=1.12, stand_s=.9):
    """Alternating steps along path(s) -> (x, z, heading). Returns feet and the whole time."""
    step_s = stride_s / 2
    swing_s = .4 * stride_s
    half = abs(body.offsets[body.roles.index('thigh.left')][0]) * .8
    step_length, length = .62 * (body.length('shin.left') + body.length('foot.left')) * 1.25, path.length
    feet = {s: Foot(s, body) for s in ('left', 'right')}

    def place(s, foot):
        x, z, heading = path(s)
        return np.array([x + foot.x * half * math.cos(heading), z - foot.x * half * math.sin(heading)]), heading

    for foot in feet.values():
        p, heading = place(0, foot)
        foot.steps.append((-9., -8., p, heading))
    s, t, side = 0., stand_s, 'left'
    while s < length - 1e-6:
        s = min(s + step_length * (.6 if s == 0 else 1), length)
        foot = feet[side]
        p, heading = place(s, foot)
        foot.steps.append((t, t + swing_s, p, heading))
        t += step_s
        side = 'right' if side == 'left' else 'left'
    p, heading = place(length, feet[side])
    feet[side].steps.append((t, t + swing_s, p, heading))
    return feet, t + swing_s + stand_s


def simulate(body, path, fps=60, stride_s=1.12):
    """Local turns {role: matrix} and the hips' place for every frame, and the labels of what the feet do."""
    feet, whole = plan(body, path, stride_s)
    frames = int(whole * fps)
    time = np.arange(frames) / fps
    thigh, shin = body.length('shin.left'), body.length('foot.left')
    ball = body.offsets[body.roles.index('toe.left')]
    heel = np.array([0, -body.ankle, -.055])
    toe_end = next(o for j, o in body.ends if body.roles[j] == 'toe.left')
    ball_low = ball + np.array([0, -body.ankle - ball[1], 0])

    ankles = {s: np.zeros((frames, 3)) for s in feet}
    pitch = {s: np.zeros(frames) for s in feet}
    headings = {s: np.zeros(frames) for s in feet}
    phase = {s: np.zeros(frames) for s in feet}
    plan_xz = {s: np.zeros((frames, 2)) for s in feet}
    walking = np.zeros(frames)
    labels = {s: [] for s in feet}
    for s, foot in feet.items():
        last_land = foot.steps[-1][1]
        for i, t in enumerate(time):
            k = max(n for n, step in enumerate(foot.steps) if step[0] <= t)
            lift, land, p, heading = foot.steps[k]
            p_before, heading_before = (foot.steps[k - 1][2:] if k else (p, heading))
            next_lift = foot.steps[k + 1][0] if k + 1 < len(foot.steps) else 1e9
            if t < land:
                u = (t - lift) / (land - lift)
                e = ease(u)
                plan_xz[s][i] = p_before + e * (p - p_before)
                headings[s][i] = heading_before + e * (heading - heading_before)
                phase[s][i] = 60 + 40 * u
                reach = min(1., np.linalg.norm(p - p_before) / 1.2)
                # Toe down after leaving, toe up before landing: published ankle, knee and hip curves together.
                pitch[s][i] = reach * np.interp(u, [0, .2, .55, .85, 1], [-48, -42, 2, 17, 16])
                lift_height = reach * (.115 * math.sin(math.pi * u)**1.0 * (1 - .55 * u) + .012 * math.sin(math.pi * u))
                d = np.array([plan_xz[s][i][0], body.ankle + lift_height, plan_xz[s][i][1]])
                # Start from the rolled-off foot, end on the heel: the ankle's place at both ends is that of stance.
                start = rolled(ball_low, -48 * reach, heading_before) + np.array([p_before[0], body.ankle, p_before[1]])
                end = rolled(heel, 16 * reach, heading) + np.array([p[0], body.ankle, p[1]])
                flat0 = np.array([p_before[0], body.ankle, p_before[1]])
                flat1 = np.array([p[0], body.ankle, p[1]])
                ankles[s][i] = d + (1 - ease(u / .7)) * (start - flat0) + ease((u - .3) / .7) * (end - flat1)
            else:
                plan_xz[s][i] = p
                headings[s][i] = heading
                reach = min(1., np.linalg.norm(p - p_before) / 1.2) if k else 0.
                reach_next = min(1., np.linalg.norm(foot.steps[k + 1][2] - p) / 1.2) if next_lift < 1e8 else 0.
                phase[s][i] = 59.9 * np.clip((t - land) / (.6 * stride_s), 0, 1)
                to_flat = 16 * reach * (1 - ease((t - land) / (.11 * stride_s)))
                off = -48 * reach_next * float(np.clip((t - (next_lift - .24 * stride_s)) / (.24 * stride_s), 0, 1))**1.7
                pitch[s][i] = to_flat + off
                pivot = ball_low if off < 0 else heel
                ankles[s][i] = np.array([p[0], body.ankle, p[1]]) + rolled(pivot, pitch[s][i], heading)
                labels[s].append((i, 'heel' if to_flat > .5 else 'ball' if off < -.5 else 'sole'))
            walking[i] = max(walking[i], 1. if .3 < t < last_land + .1 else 0.)

    weight = np.array([.5 + (.16 if phase['left'][i] >= 60 else -.16 if phase['right'][i] >= 60 else 0) for i in range(frames)])
    weight = smooth(weight, .09 * fps)[:, None]
    middle = smooth((1 - weight) * plan_xz['left'] + weight * plan_xz['right'], .17 * fps)
    heading = smooth(.5 * (headings['left'] + headings['right']), .2 * fps)
    walking = smooth(walking, .2 * fps)
    forward = np.stack([np.sin(heading), np.cos(heading)], 1)
    lead = {s: ((plan_xz[s] - middle) * forward).sum(1) for s in feet}
    split = smooth((lead['left'] - lead['right']) / .66, .04 * fps)
    speed = np.clip(np.linalg.norm(np.gradient(middle, axis=0), axis=1) * fps / 1.1, 0, 1.2)

    # The hips ride as high as the legs that stand allow, and a little lower.
    half = np.array([abs(body.offsets[body.roles.index('thigh.left')][0]), body.offsets[body.roles.index('thigh.left')][1]])
    hip_y = np.full(frames, 1e9)
    for s, foot in feet.items():
        for i in range(frames):
            if phase[s][i] >= 60 and phase[s][i] < 97:
                continue
            side = np.array([math.cos(heading[i]), -math.sin(heading[i])]) * foot.x * half[0]
            d = np.linalg.norm(ankles[s][i][[0, 2]] - middle[i] - side)
            hip_y[i] = min(hip_y[i], ankles[s][i][1] + math.sqrt(max(.01, (.992 * (thigh + shin))**2 - d * d)))
    hip_y = smooth(np.minimum(hip_y, smooth(hip_y, .05 * fps)), .07 * fps) - .012 - half[1]

    rng = np.random.default_rng(7)
    sway = smooth(rng.normal(size=(frames, 6)), .5 * fps)
    sway /= np.abs(sway).max(0)
    out = []
    for i in range(frames):
        pelvis_yaw, list_ = -5.5 * split[i] * walking[i], 3.5 * (float(weight[i, 0]) - .5) / .16 * walking[i]
        turns = {}
        R_h = rot(1, math.degrees(heading[i]))
        turns['hips'] = R_h @ rot(1, pelvis_yaw) @ rot(2, list_) @ rot(0, 2.5 * speed[i] + .6 * sway[i, 0])
        hips = np.array([middle[i][0], hip_y[i], middle[i][1]])
        spine = [r for r in body.roles if r.startswith('spine') or r == 'chest']
        for role in spine:
            n = len(spine)
            turns[role] = rot(1, -2.0 * pelvis_yaw / n) @ rot(2, -1.1 * list_ / n + .8 * sway[i, 1] / n) @ rot(0, (1.5 + .8 * sway[i, 2]) / n)
        turns['neck.1'] = rot(1, .5 * pelvis_yaw + 4 * sway[i, 3]) @ rot(0, -1.5)
        glance = 24 * math.exp(-.5 * ((i / frames - .5) / .07)**2)
        turns['head'] = rot(1, .5 * pelvis_yaw + glance + 5 * sway[i, 4]) @ rot(0, -2 * speed[i] + 1.5 * sway[i, 5])
        for s, x in (('left', 1), ('right', -1)):
            swing = x * split[i] * 23 * walking[i] * min(1, speed[i] + .2)  # arm goes back when its leg is ahead
            turns[f'clavicle.{s}'] = rot(1, -x * -.12 * swing) @ rot(2, x * -3)
            # From level to hanging, then flexion about the body's X; the elbow bends forward.
            turns[f'upperarm.{s}'] = rot(0, swing - 3) @ rot(2, -x * 78) @ rot(0, -x * 0)
            elbow = 16 + max(0, -swing) * .8 + 4 * speed[i]
            turns[f'forearm.{s}'] = rot(1, -x * elbow)
            turns[f'hand.{s}'] = rot(2, x * -4) @ rot(1, -x * 6)
        R, p = body_at(body, turns, hips)
        for s, foot in feet.items():
            j = body.roles.index(f'thigh.{s}')
            turns.update(leg(R[0], p[j], ankles[s][i], pitch[s][i], headings[s][i], thigh, shin, s))
            up = max(0., -pitch[s][i]) if phase[s][i] <= 62 else 0.
            turns[f'toe.{s}'] = rot(0, -up * (1 if phase[s][i] < 60 else max(0., 1 - (phase[s][i] - 60) / 2)))
        out.append((turns, hips))
    del toe_end
    return out, labels


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


def leg(R_hips, hip, ankle, pitch, heading, thigh, shin, side):
    """Two-bone closed form: the knee ahead, the foot as planned. Local turns of thigh, shin, foot."""
    d = ankle - hip
    distance = min(np.linalg.norm(d), .9995 * (thigh + shin))
    direction = d / np.linalg.norm(d)
    ahead = rot(1, math.degrees(heading)) @ np.array([0, 0, 1.])
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
