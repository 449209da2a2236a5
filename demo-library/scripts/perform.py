"""The capture simulator: a person who walks by footsteps and does things by key poses, with hands put where they belong.

A `Score` says what is done; `perform` plays it on a body. Feet stand exactly where they are put; hips ride as high as the
legs that stand allow; trunk, head and arms follow eased keys; a hand with a `Hold` is brought to its place by the arm.
What stands and holds is written down as it is made: the labels are true by construction. Metres, degrees, seconds.
"""
import math

import numpy as np

from bodies import rot
from walk import Foot, Sole, Step, body_at, ease, foot_at, leg, plan, smooth

SIDES = (('left', 1), ('right', -1))


def keyed(keys):
    """t -> value, at rest at each (time, value) key."""
    times, values = np.array([k[0] for k in keys], float), np.array([k[1] for k in keys], float)

    def at(t):
        i = int(np.clip(np.searchsorted(times, t, side='right') - 1, 0, len(times) - 1))
        if i == len(times) - 1 or t <= times[0]:
            return values[i]
        return values[i] + ease((t - times[i]) / (times[i + 1] - times[i])) * (values[i + 1] - values[i])

    return at


class Hold:
    """A hand at a place. `place(t, s)` gives the wrist in the world from the Situation s; `hand(t, s)` its world rotation or
    None (left to the arm); `elbow(s)` where the elbow points. From `start` to `end` the hand is there, eased in and out
    before and after. `what` is held: a label, a function of time, or None when
    the hand only passes."""

    def __init__(self, start, end, place, hand=None, elbow=None, ease_s=.6, what=None, leave_s=None):
        self.start, self.end, self.place, self.hand, self.elbow = start, end, place, hand, elbow
        self.ease_s, self.leave_s, self.what = ease_s, leave_s or ease_s, what

    def seat(self, skin, situation_at):
        """A place that is given needs no looking for."""

    def weight(self, t):
        return float(ease((t - self.start + self.ease_s) / self.ease_s) * (1 - ease((t - self.end) / self.leave_s)))


class Score:
    """What is done. `keys`: name -> [(s, value)]; names: crouch, ahead, aside (m, of the hips), pelvis.x/y/z, spine.x/y/z,
    head.x/y/z, and per side arm.flex/drop/elbow/turn, hand.x/y/z, clavicle.z as 'arm.flex.left' (degrees)."""

    def __init__(self, seconds, feet, stride_s=1.12, swings=False, splay_deg=0., sway=1.):
        self.seconds, self.feet, self.stride_s, self.swings, self.splay = seconds, feet, stride_s, swings, math.radians(splay_deg)
        self.sway = sway
        self.leap = None
        self.keys, self.holds, self.props, self.carried = {}, {'left': [], 'right': []}, [], []

    def key(self, name, *keys):
        self.keys[name] = keyed(keys)
        return self

    def both(self, name, *keys):
        for side in ('left', 'right'):
            self.key(f'{name}.{side}', *keys)
        return self

    def value(self, name, t, otherwise=0.):
        return float(self.keys[name](t)) if name in self.keys else otherwise


class Leap:
    """Both feet leave the floor at `lift` and stand at `land` (s; as their steps say). In between the hips fly as a thrown
    body does: up and down by g T^2 / 8, ahead at one speed; before and after they gather and give."""

    def __init__(self, lift, land, ahead_m, behind_m, gather_s=.34, give_s=.32, tuck_m=.05):
        self.lift, self.land, self.ahead, self.behind = lift, land, ahead_m, behind_m
        self.gather, self.give, self.tuck = gather_s, give_s, tuck_m
        self.flight = land - lift
        self.height = 9.81 * self.flight**2 / 8
        self.speed_up = 9.81 * self.flight / 2

    def is_flying(self, t):
        return self.lift < t < self.land

    def share(self, t):
        return float(np.clip((t - self.lift) / self.flight, 0, 1))

    def up(self, t):
        """Of the hips over the line from where they leave to where they land; below it, where they push off and give."""
        u = self.share(t)
        if self.is_flying(t):
            return 4 * self.height * u * (1 - u)
        since, whole = (self.lift - t, self.gather) if t <= self.lift else (t - self.land, self.give)
        # Down by a cubic that leaves with the speed of the flight and comes to rest lower.
        v, low = self.speed_up * whole, -.5 * self.speed_up * whole
        w = min(since / whole, 1.)
        fall = (w**3 - 2 * w**2 + w) * -v + (3 * w**2 - 2 * w**3) * low
        rest = .85
        return fall * (1 - float(ease((since - whole) / rest)))

    def along(self, t, start, end):
        """Place of the hips between where they stood and where they will stand, on plan."""
        whole = np.linalg.norm(end - start)
        speed = (whole - self.ahead - self.behind) / self.flight
        if self.is_flying(t):
            s = self.ahead + speed * (t - self.lift)
        elif t <= self.lift:
            w = float(np.clip((t - self.lift + self.gather) / self.gather, 0, 1))
            s = (3 * w**2 - 2 * w**3) * self.ahead + (w**3 - w**2) * speed * self.gather
        else:
            w = float(np.clip((t - self.land) / self.give, 0, 1))
            s = whole - self.behind + (3 * w**2 - 2 * w**3) * self.behind + (w**3 - 2 * w**2 + w) * speed * self.give
        return start + s * (end - start) / whole


class Situation:
    """The body at one frame while its arms are still to be placed."""

    def __init__(self, body, turns, hips, heading):
        self.body, self.turns, self.hips, self.heading = body, turns, hips, heading
        self.R, self.p = body_at(body, turns, hips)

    def joint(self, role):
        return self.p[self.body.roles.index(role)]

    def frame(self, role):
        return self.R[self.body.roles.index(role)]

    def from_joint(self, role, offset):
        return self.joint(role) + self.frame(role) @ np.array(offset, float)

    def ahead(self):
        """The body's heading frame: x left, y up, z ahead."""
        return rot(1, math.degrees(self.heading))


def stand(half, heading=0., ahead=(0., 0.), toes_out=0.):
    """Two feet that never move; `ahead`: how far left and right are put forward."""
    return {s: Foot(s, [Step(-9, -8, (x * half, z), heading + x * math.radians(toes_out))]) for (s, x), z in zip(SIDES, ahead)}


def hand_frame(x, fingers, palm):
    """World rotation of a hand whose fingers point along `fingers` and palm faces `palm`."""
    f = np.array(fingers, float) / np.linalg.norm(fingers)
    n = np.array(palm, float) - (np.array(palm, float) @ f) * f
    n /= np.linalg.norm(n)
    return np.column_stack([x * f, -n, np.cross(x * f, -n)])


def slerp(A, B, w):
    """Between two rotation matrices on the shortest way."""
    D = A.T @ B
    angle = math.acos(np.clip((np.trace(D) - 1) / 2, -1, 1))
    if angle < 1e-9 or w <= 0:
        return A
    if angle > math.pi - 1e-4:
        return B if w > .5 else A
    k = np.array([D[2, 1] - D[1, 2], D[0, 2] - D[2, 0], D[1, 0] - D[0, 1]]) / (2 * math.sin(angle))
    K = np.array([[0, -k[2], k[1]], [k[2], 0, -k[0]], [-k[1], k[0], 0]])
    a = angle * w
    return A @ (np.eye(3) + math.sin(a) * K + (1 - math.cos(a)) * K @ K)


def arm_to(situation, side, x, wrist, elbow, hand, share=1., own=None):
    """Two-bone closed form for an arm. Turns of upper arm, forearm and hand, and by how much (m) the wrist is missed."""
    body = situation.body
    a, b = body.length(f'forearm.{side}'), body.length(f'hand.{side}')
    shoulder = situation.joint(f'upperarm.{side}')
    d = wrist - shoulder
    distance = min(np.linalg.norm(d), .998 * (a + b))
    missed = np.linalg.norm(d) - distance
    direction = d / np.linalg.norm(d)
    back = elbow - (elbow @ direction) * direction
    back /= np.linalg.norm(back)
    angle = math.acos(np.clip((a * a + distance**2 - b * b) / (2 * a * distance), -1, 1))
    upper = math.cos(angle) * direction + math.sin(angle) * back
    lower = (direction * distance - a * upper) / b
    z = lower - (lower @ upper) * upper
    z = z / np.linalg.norm(z) if np.linalg.norm(z) > 1e-6 else -back
    X = x * upper
    R_upper = np.column_stack([X, np.cross(z, X), z])
    bend = math.degrees(math.acos(np.clip(upper @ lower, -1, 1)))
    R_fore = R_upper @ rot(1, -x * bend)
    if own is not None:
        # On its way the hand turns from its own turn on the forearm to the wanted one, given as (roll of the forearm,
        # turn on it): in the world it may lie half a turn away.
        roll, held = hand
        R_fore = R_fore @ rot(0, share * roll)
        hand = R_fore @ slerp(own, held, share)
    elif hand is not None:
        # The forearm takes part of the hand's turn about its own line, as radius and ulna do.
        D = R_fore.T @ hand
        roll = math.degrees(math.atan2(D[2, 1] - D[1, 2], D[1, 1] + D[2, 2]))
        R_fore = R_fore @ rot(0, .65 * roll)
    R_chest = situation.frame(f'clavicle.{side}')
    turns = {f'upperarm.{side}': R_chest.T @ R_upper, f'forearm.{side}': R_upper.T @ R_fore}
    turns[f'hand.{side}'] = np.eye(3) if hand is None else R_fore.T @ hand
    return turns, missed


def perform(body, score, fps=60, seed=7, skin=None):
    """Per frame ({role: local turn}, hips' place, {prop: (R, p)}); labels of what stands and holds; the largest miss of a
    hand (m)."""
    frames = int(round(score.seconds * fps))
    sole = Sole(body)
    thigh, shin = body.length('shin.left'), body.length('foot.left')
    thigh_offset = body.offsets[body.roles.index('thigh.left')]
    states = {s: [foot_at(sole, foot, i / fps, score.stride_s) for i in range(frames)] for s, foot in score.feet.items()}
    moved = lambda s, i: any(score.value(f'{r}.{s}.{a}', i / fps) for r in ('thigh', 'shin', 'foot', 'toe') for a in 'xyz')
    labels = [(s, i, st.stands) for s in states for i, st in enumerate(states[s]) if st.stands and not moved(s, i)]
    soles = {s: np.array([st.sole for st in states[s]]) for s in states}
    first = min([step.lift for f in score.feet.values() for step in f.steps[1:]], default=1e9)
    last = max([step.land for f in score.feet.values() for step in f.steps[1:]], default=-1e9)
    walking = smooth(np.array([1. if first - .6 < i / fps < last + .1 else 0. for i in range(frames)]), .2 * fps)
    swing = {s: np.array([st.percent >= 60 for st in states[s]]) for s in states}
    weight = np.array([.5 + (.16 if swing['left'][i] else -.16 if swing['right'][i] else 0) for i in range(frames)])
    weight = smooth(weight, .09 * fps)[:, None]
    middle = smooth((1 - weight) * soles['left'] + weight * soles['right'], .17 * fps)
    heading = smooth(np.array([.5 * (states['left'][i].heading + states['right'][i].heading) for i in range(frames)]), .2 * fps)
    forward = np.stack([np.sin(heading), np.cos(heading)], 1)
    aside = np.stack([np.cos(heading), -np.sin(heading)], 1)
    lead = {s: ((soles[s] - middle) * forward).sum(1) for s in soles}
    split = smooth((lead['left'] - lead['right']) / .66, .04 * fps)
    speed = np.clip(np.linalg.norm(np.gradient(middle, axis=0), axis=1) * fps / 1.1, 0, 1.2)
    time = np.arange(frames) / fps
    shift = lambda name: np.array([score.value(name, t) for t in time])[:, None]
    leap = score.leap
    if leap:
        stood, stands = ((.5 * (soles['left'][i] + soles['right'][i])) for i in (int(leap.lift * fps) - 1, int(leap.land * fps) + 2))
        middle = np.array([leap.along(t, stood, stands) for t in time])
    middle = middle + shift('ahead') * forward + shift('aside') * aside

    # The hips ride as high as the legs that stand allow, and a little lower.
    hip_y = np.full(frames, 1e9)
    for s, foot in score.feet.items():
        for i, st in enumerate(states[s]):
            if 60 <= st.percent < 97:
                continue
            d = np.linalg.norm(st.ankle[[0, 2]] - middle[i] - aside[i] * foot.x * abs(thigh_offset[0]))
            hip_y[i] = min(hip_y[i], st.ankle[1] + math.sqrt(max(.01, (.992 * (thigh + shin))**2 - d * d)))
    reach = int(.10 * fps)
    padded = np.concatenate([np.repeat(hip_y[:1], reach), hip_y, np.repeat(hip_y[-1:], reach)])
    lowest = np.min([padded[k:k + frames] for k in range(2 * reach + 1)], 0)  # smoothing must not lift them past a leg's length
    if leap:
        lowest = np.full(frames, thigh + shin + sole.ankle - .02)  # both legs stand alike: only the leap moves the hips
    hip_y = smooth(lowest, .07 * fps) - .012 - thigh_offset[1] - shift('crouch')[:, 0]
    if leap:
        hip_y += np.array([leap.up(t) for t in time])

    rng = np.random.default_rng(seed)
    sway = smooth(rng.normal(size=(frames, 6)), .5 * fps)
    sway *= score.sway / np.abs(sway).max(0)
    out, missed = [], 0.

    def without_hands(i):
        t = time[i]
        v = lambda name, otherwise=0.: score.value(name, t, otherwise)
        pelvis_yaw, tilt = -5.5 * split[i] * walking[i], 3.5 * (float(weight[i, 0]) - .5) / .16 * walking[i]
        turns = {}
        turns['hips'] = (rot(1, math.degrees(heading[i])) @ rot(1, pelvis_yaw + v('pelvis.y')) @ rot(2, tilt + v('pelvis.z'))
                         @ rot(0, 2.5 * speed[i] + .6 * sway[i, 0] + v('pelvis.x')))
        hips = np.array([middle[i][0], hip_y[i], middle[i][1]])
        spine = [r for r in body.roles if r.startswith('spine') or r == 'chest']
        for role in spine:
            n = len(spine)
            turns[role] = (rot(1, (-2.0 * pelvis_yaw + v('spine.y')) / n) @ rot(2, (-1.1 * tilt + .8 * sway[i, 1] + v('spine.z')) / n)
                           @ rot(0, (1.5 + .8 * sway[i, 2] + v('spine.x')) / n))
        necks = [r for r in body.roles if r.startswith('neck')]
        for role in necks:
            turns[role] = rot(1, (.5 * pelvis_yaw + 4 * sway[i, 3] + .4 * v('head.y')) / len(necks)) @ rot(0, (-1.5 + .4 * v('head.x')) / len(necks))
        turns['head'] = rot(1, .5 * pelvis_yaw + 5 * sway[i, 4] + .6 * v('head.y')) @ rot(2, v('head.z')) @ rot(0, -2 * speed[i] + 1.5 * sway[i, 5] + .6 * v('head.x'))
        for s, x in SIDES:
            pace = x * split[i] * 23 * walking[i] * min(1, speed[i] + .2) * score.swings  # an arm goes back when its leg is ahead
            turns[f'clavicle.{s}'] = rot(1, x * .12 * pace) @ rot(2, x * (-3 + v(f'clavicle.z.{s}')))
            # From level to hanging, then flexion about the body's X; the elbow bends forward.
            turns[f'upperarm.{s}'] = (rot(0, pace - 3 - v(f'arm.flex.{s}')) @ rot(2, -x * v(f'arm.drop.{s}', 78)) @ rot(0, v(f'arm.turn.{s}')))
            elbow = v(f'arm.elbow.{s}', 16) + max(0, -pace) * .8 + 4 * speed[i] * score.swings
            turns[f'forearm.{s}'] = rot(1, -x * elbow)
            turns[f'hand.{s}'] = rot(0, v(f'hand.x.{s}')) @ rot(2, x * (-4 + v(f'hand.z.{s}'))) @ rot(1, -x * (6 + v(f'hand.y.{s}')))
        for name in ('thumb', 'index', 'middle', 'ring', 'little', 'eye', 'jaw', 'foot', 'toe'):
            for role in body.roles:
                if role.startswith(name + '.') or role == name:
                    angles = [v(f'{role}.{axis}') for axis in 'xyz']
                    if any(angles):
                        turns[role] = rot(0, angles[0]) @ rot(1, angles[1]) @ rot(2, angles[2])
        R, p = body_at(body, turns, hips)
        for s, foot in score.feet.items():
            st = states[s][i]
            if leap and leap.is_flying(t):
                u = leap.share(t)
                st.ankle = st.ankle + np.array([0, 4 * leap.height * u * (1 - u) + leap.tuck * math.sin(math.pi * u)**2, 0])
            j = body.roles.index(f'thigh.{s}')
            extra = turns.get(f'foot.{s}', np.eye(3))
            turns.update(leg(R[0], p[j], st.ankle, st.pitch, st.heading, thigh, shin, s, score.splay))
            # A limb that is moved by itself: the thigh lifted, the knee bent, from where the foot would stand.
            for role, name in ((f'thigh.{s}', 'thigh'), (f'shin.{s}', 'shin')):
                turns[role] = turns[role] @ rot(0, v(f'{role}.x')) @ rot(2, v(f'{role}.z')) @ rot(1, v(f'{role}.y'))
            turns[f'foot.{s}'] = turns[f'foot.{s}'] @ extra
            up = max(0., -st.pitch) if st.percent <= 62 else 0.
            toe = turns.get(f'toe.{s}', np.eye(3))
            turns[f'toe.{s}'] = toe @ rot(0, -up * (1 if st.percent < 60 else max(0., 1 - (st.percent - 60) / 2)))
        return Situation(body, turns, hips, float(heading[i]))

    for hold in score.holds['left'] + score.holds['right']:
        hold.seat(skin, lambda t: without_hands(min(frames - 1, int(round(t * fps)))))
    for i, t in enumerate(time):
        situation = without_hands(i)
        turns, hips = situation.turns, situation.hips
        for s, x in SIDES:
            for hold in score.holds[s]:
                w = hold.weight(t)
                if w <= 0:
                    continue
                wrist = (1 - w) * situation.joint(f'hand.{s}') + w * hold.place(t, situation)
                away = hold.elbow(situation) if hold.elbow else situation.ahead() @ np.array([x * .5, -.6, -.5])
                # Where the elbow points now, and where it shall point.
                a, e, h = (situation.joint(f'{r}.{s}') for r in ('upperarm', 'forearm', 'hand'))
                line = (h - a) / np.linalg.norm(h - a)
                now = (e - a) - ((e - a) @ line) * line
                away = (1 - w) * now / max(1e-6, np.linalg.norm(now)) + w * away / np.linalg.norm(away)
                hand, own = hold.hand(t, situation) if hold.hand else None, None
                if hand is not None and w < 1:
                    there, _ = arm_to(situation, s, x, hold.place(t, situation), hold.elbow(situation), hand)
                    plain, _ = arm_to(situation, s, x, hold.place(t, situation), hold.elbow(situation), None)
                    D = plain[f'forearm.{s}'].T @ there[f'forearm.{s}']
                    roll = math.degrees(math.atan2(D[2, 1] - D[1, 2], D[1, 1] + D[2, 2]))
                    hand, own = (roll, there[f'hand.{s}']), situation.turns.get(f'hand.{s}', np.eye(3))
                new, miss = arm_to(situation, s, x, wrist, away, hand, w, own)
                turns.update(new)
                if w > .999:
                    missed = max(missed, miss)
                    what = hold.what(t) if callable(hold.what) else hold.what
                    if what:
                        labels.append((f'hand.{s}', i, what))
                situation = Situation(body, turns, hips, float(heading[i]))
        labels += [(limb, i, what) for limb, what in score.carried]
        out.append((turns, hips, {name: place(t, situation) for name, place in score.props}))
    return out, labels, missed


def walking_score(body, path, stride_s=1.12):
    """A walk along a path with swinging arms and one glance aside."""
    feet, seconds = plan(body, path, stride_s)
    score = Score(seconds, feet, stride_s, swings=True)
    score.keys['head.y'] = lambda t: 24 * math.exp(-.5 * ((t / seconds - .5) / .07)**2)
    return score
