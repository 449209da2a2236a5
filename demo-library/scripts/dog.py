"""The working dog: a quadruped's body, its skin, and its gaits. Lengths are shares of the withers' height (0.56 m), read
off pictures of herding breeds, so from memory. Footfalls: the walk is a lateral sequence (hind, fore of one side, then of
the other) with a duty of 0.64; the trot moves diagonal pairs with a duty of 0.44 (Hildebrand's diagrams; from memory).
"""
import math

import numpy as np

from bodies import Body, rot
from skins import Ball, Cone, linear
from walk import ease, smooth

H = .56
SIDES = (('left', 1), ('right', -1))


class Dog(Body):
    def __init__(self):
        self.roles, self.parents, self.offsets, self.ends = [], [], [], []
        add = lambda role, parent, *offset: self.add(role, parent, np.array(offset) * H)
        add('hips', None, 0, .88, -.40)
        at = 'hips'
        for role, z in (('spine.1', .20), ('spine.2', .24), ('chest', .24)):
            add(role, at, 0, .012, z)
            at = role
        add('neck.1', 'chest', 0, .10, .20)
        add('neck.2', 'neck.1', 0, .105, .11)
        add('head', 'neck.2', 0, .095, .10)
        self.end('head', np.array([0, -.04, .33]) * H)
        add('jaw', 'head', 0, -.045, .06)
        for side, x in SIDES:
            add(f'ear.{side}', 'head', x * .06, .07, -.03)
            self.end(f'ear.{side}', np.array([x * .03, .10, -.02]) * H)
        at = 'hips'
        for k in range(4):
            add(f'tail.{k + 1}', at, 0, *((.03, -.12) if k == 0 else (-.075, -.10)))
            at = f'tail.{k + 1}'
        self.end(at, np.array([0, -.07, -.09]) * H)
        for side, x in SIDES:
            add(f'clavicle.{side}', 'chest', x * .07, .06, .06)
            add(f'upperarm.{side}', f'clavicle.{side}', x * .03, -.32, .10)
            add(f'forearm.{side}', f'upperarm.{side}', 0, -.20, -.16)
            add(f'hand.{side}', f'forearm.{side}', 0, -.32, .02)
            add(f'fingers.{side}', f'hand.{side}', 0, -.14, .03)
            self.end(f'fingers.{side}', np.array([0, -.02, .08]) * H)
        for side, x in SIDES:
            add(f'thigh.{side}', 'hips', x * .085, -.06, -.02)
            add(f'shin.{side}', f'thigh.{side}', 0, -.30, .14)
            add(f'foot.{side}', f'shin.{side}', 0, -.22, -.26)
            add(f'toe.{side}', f'foot.{side}', 0, -.24, .05)
            self.end(f'toe.{side}', np.array([0, -.02, .08]) * H)
        self.ankle = .02 * H

    def vector(self, role):
        return self.offsets[self.roles.index(role)]


def shapes(body, colours):
    R, P = body.pose({})
    index = {r: i for i, r in enumerate(body.roles)}
    at = {r: P[i] for r, i in index.items()}
    end = {body.roles[j]: P[j] + o for j, o in body.ends}
    c = {k: linear(v) for k, v in colours.items()}
    out = []

    def cone(role, a, b, ra, rb, colour='coat', blend=.03, flat=None):
        out.append(Cone(index[role], a, b, ra * H, rb * H, c[colour], blend, flat))

    def ball(role, p, r, colour='coat', blend=.03):
        out.append(Ball(index[role], p, np.array(r) * H, c[colour], blend))

    up = lambda v: np.array([0, v, 0]) * H
    ball('hips', at['hips'] + np.array([0, -.06, -.03]) * H, [.115, .13, .16])
    cone('spine.1', at['hips'] + up(-.06), at['spine.2'] + up(-.10), .115, .125)
    cone('spine.2', at['spine.2'] + up(-.10), at['chest'] + up(-.14), .125, .150)
    ball('chest', at['chest'] + np.array([0, -.15, .04]) * H, [.135, .19, .22])
    ball('chest', at['chest'] + np.array([0, -.20, .20]) * H, [.09, .13, .11], 'bib')
    cone('neck.1', at['neck.1'] + up(-.07), at['neck.2'], .110, .088)
    cone('neck.1', at['neck.1'] + np.array([0, -.10, .05]) * H, at['neck.2'] + np.array([0, -.06, .04]) * H, .075, .060, 'bib', .02)
    cone('neck.2', at['neck.2'], at['head'] + up(.01), .086, .080)
    ball('neck.2', at['neck.2'] + np.array([0, .015, .02]) * H, [.098, .030, .098], 'collar', .01)
    h = at['head']
    ball('head', h + np.array([0, .015, .03]) * H, [.082, .078, .095])
    cone('head', h + np.array([0, -.005, .09]) * H, h + np.array([0, -.035, .275]) * H, .055, .034, 'bib', .02)
    cone('head', h + np.array([0, .035, .07]) * H, h + np.array([0, -.005, .25]) * H, .040, .024, 'coat', .02)
    ball('head', h + np.array([0, -.012, .300]) * H, [.020, .017, .017], 'nose', .006)
    cone('jaw', at['jaw'] + np.array([0, -.01, .04]) * H, at['jaw'] + np.array([0, -.025, .19]) * H, .030, .020, 'bib', .008)
    for side, x in SIDES:
        ball('head', h + np.array([x * .052, .035, .105]) * H, [.011, .012, .010], 'eyes', .003)
        e = at[f'ear.{side}']
        cone(f'ear.{side}', e, e + np.array([x * .035, .075, -.01]) * H, .034, .026, 'dark', .012, ([0, 0, 1], .5))
        cone(f'ear.{side}', e + np.array([x * .035, .075, -.01]) * H, e + np.array([x * .055, .055, .05]) * H, .026, .012, 'dark', .01, ([0, 1, 0], .5))
        s, u, f, w, p = (at[f'{r}.{side}'] for r in ('clavicle', 'upperarm', 'forearm', 'hand', 'fingers'))
        cone(f'clavicle.{side}', s, u, .062, .078, blend=.04, flat=([1, 0, 0], .75))
        cone(f'upperarm.{side}', u, f, .078, .060)
        cone(f'forearm.{side}', f, .5 * (f + w), .058, .042)
        cone(f'forearm.{side}', .5 * (f + w), w, .042, .034, 'sock', .02)
        cone(f'hand.{side}', w, p, .034, .036, 'sock', .02)
        ball(f'fingers.{side}', p + np.array([0, .004, .035]) * H, [.040, .026, .060], 'sock', .012)
        t, k, a, b = (at[f'{r}.{side}'] for r in ('thigh', 'shin', 'foot', 'toe'))
        cone(f'thigh.{side}', t + up(.01), .5 * (t + k), .112, .105, blend=.05, flat=([1, 0, 0], .7))
        cone(f'thigh.{side}', .5 * (t + k), k, .105, .070, blend=.05, flat=([1, 0, 0], .7))
        cone(f'shin.{side}', k, .5 * (k + a), .068, .045, blend=.03)
        cone(f'shin.{side}', .5 * (k + a), a, .045, .032)
        cone(f'foot.{side}', a, b, .033, .034, 'sock', .02)
        ball(f'toe.{side}', b + np.array([0, .004, .035]) * H, [.040, .026, .060], 'sock', .012)
    run = [at[f'tail.{k}'] for k in (1, 2, 3, 4)] + [end['tail.4']]
    for k, (p, q) in enumerate(zip(run, run[1:])):
        cone(f'tail.{k + 1}', p, q, [.045, .050, .052, .044][k], [.050, .052, .044, .014][k], 'bib' if k == 3 else 'coat', .02)
    return out


def turn_x(frm, to):
    """Turn about X (side on) that brings one direction onto another."""
    return rot(0, math.degrees(math.atan2(-to[1], to[2]) - math.atan2(-frm[1], frm[2])))


def leg_turns(body, roles, root_R, root_p, goal, tip_angle, bend):
    """Two bones and a tip in the plane of the leg: turns about X, and the lean that brings the plane over the paw.
    `roles`: upper, lower, tip; `goal` where the tip's own end stands; `tip_angle` of the tip bone from its rest."""
    upper, lower, tip, paw = roles
    v1, v2, v3 = body.vector(lower), body.vector(tip), body.vector(paw)
    lean = math.degrees(math.atan2(goal[0] - root_p[0], root_p[1] - goal[1]))
    L = rot(2, lean)
    local = L.T @ (goal - root_p)
    a, b = np.linalg.norm(v1), np.linalg.norm(v2)
    # A leg that runs short comes up over its toes.
    for more in range(0, 80, 2):
        R_tip = rot(0, tip_angle + more * (1 if local[2] < 0 else -.8))
        d = local - R_tip @ v3
        d[0] = 0
        if np.linalg.norm(d) < .985 * (a + b):
            break
    distance = np.clip(np.linalg.norm(d), abs(a - b) + 1e-4, .999 * (a + b))
    direction = d / np.linalg.norm(d)
    angle = math.degrees(math.acos(np.clip((a * a + distance**2 - b * b) / (2 * a * distance), -1, 1)))
    first = rot(0, bend * angle) @ direction
    second = direction * distance - a * first
    R1, R2 = L @ turn_x(v1, first), L @ turn_x(v2, second)
    R3 = L @ R_tip
    return {upper: root_R.T @ R1, lower: R1.T @ R2, tip: R2.T @ R3, paw: R3.T}


def gait(body, kind, seconds=6., fps=60):
    """Frames ({role: turn}, hips' place), and labels of what stands."""
    walks = kind == 'walk'
    stride_s, stride_m, duty = (.92, .64, .64) if walks else (.50, .86, .44)
    phases = {'hind.left': 0., 'fore.left': .25, 'hind.right': .5, 'fore.right': .75} if walks else {'hind.left': 0., 'fore.right': .0, 'hind.right': .5, 'fore.left': .5}
    speed = stride_m / stride_s
    R0, P0 = body.pose({})
    home = {}
    for side, x in SIDES:
        home[f'hind.{side}'] = P0[body.roles.index(f'toe.{side}')] * np.array([.85, 1, 1])
        home[f'fore.{side}'] = P0[body.roles.index(f'fingers.{side}')] * np.array([.85, 1, 1]) + [0, 0, .12 * H]
    out, labels = [], []
    for i in range(int(seconds * fps)):
        t = i / fps
        cycle = t / stride_s
        bob = (.010 * math.cos(4 * math.pi * cycle) if walks else .022 * math.cos(4 * math.pi * (cycle - .22))) - (.045 if walks else .022)
        roll = (2.2 if walks else 1.0) * math.sin(2 * math.pi * (cycle - .1))
        yaw = (2.5 if walks else 1.2) * math.sin(2 * math.pi * cycle)
        hips = body.vector('hips') + np.array([.006 * math.sin(2 * math.pi * cycle), bob, speed * t])
        turns = {'hips': rot(1, yaw) @ rot(2, roll)}
        for k, role in enumerate(('spine.1', 'spine.2', 'chest')):
            turns[role] = rot(1, -.75 * yaw * (1 + .3 * math.sin(k))) @ rot(2, -.4 * roll) @ rot(0, 1.0 * math.sin(4 * math.pi * cycle + .6 * k))
        nod = (3.5 if walks else 1.6) * math.sin(4 * math.pi * (cycle + .08))
        turns['neck.1'] = rot(0, 10 + nod) @ rot(1, .5 * yaw)
        turns['neck.2'] = rot(0, 6 - .4 * nod)
        turns['head'] = rot(0, -10 - .7 * nod) @ rot(1, .4 * yaw + 8 * math.sin(.9 * t))
        turns['jaw'] = rot(0, 6 + 4 * math.sin(7 * t) if not walks else 3)
        for k in range(4):
            turns[f'tail.{k + 1}'] = rot(1, 9 * math.sin(2 * math.pi * cycle * (1 if walks else .5) - .7 * k)) @ rot(0, (14 if walks else 22) * (1 if k == 0 else .25))
        for side, x in SIDES:
            turns[f'ear.{side}'] = rot(0, 4 * math.sin(4 * math.pi * cycle + x))
            p_cycle = cycle + phases[f'fore.{side}']
            turns[f'clavicle.{side}'] = rot(0, -(7 if walks else 10) * math.sin(2 * math.pi * (p_cycle - duty / 2 + .25)))
        kept, body.offsets[0] = body.offsets[0], hips
        R, P = body.pose(turns)
        body.offsets[0] = kept
        for leg, phase in phases.items():
            which, side = leg.split('.')
            c = cycle + phase
            stride, u = math.floor(c), c % 1.
            # Stance from u = 0: the paw waits half a stance ahead of its place under the body.
            place = lambda n: home[leg] + np.array([0, 0, speed * ((n - phase) + duty / 2) * stride_s])
            if u < duty:
                goal, tip, curl = place(stride), 0., 0.
                s = u / duty
                tip = (14 - 30 * s if which == 'fore' else 12 - 28 * s)
                labels.append((leg, i, 'paw'))
                if s > .8:
                    curl = 20 * ((s - .8) / .2)
            else:
                s = (u - duty) / (1 - duty)
                goal = place(stride) + ease(s) * (place(stride + 1) - place(stride))
                lift = (.075 if walks else .10) * math.sin(math.pi * min(1., s * 1.08))**1.2 * (1 - .25 * s) if s < .926 else 0.
                goal = goal + np.array([0, lift, 0])
                end = 14 if which == 'fore' else 12
                tip = (end - 30) * (1 - ease(s)) + end * ease(s) - (75 if which == 'fore' else 35) * math.sin(math.pi * s)**1.5 * -1
                curl = 20 * (1 - ease(s * 2.5)) + 30 * math.sin(math.pi * s)
            names = ((f'upperarm.{side}', f'forearm.{side}', f'hand.{side}', f'fingers.{side}') if which == 'fore'
                     else (f'thigh.{side}', f'shin.{side}', f'foot.{side}', f'toe.{side}'))
            j = body.roles.index(names[0])
            parent = body.parents[j]
            new = leg_turns(body, names, R[parent], P[j], goal, tip, 1 if which == 'fore' else -1)
            new[names[3]] = new[names[3]] @ rot(0, curl) if u >= duty else new[names[3]]
            turns.update(new)
        out.append((turns, hips))
    return out, labels
