"""What the crew was seen doing on the quay: the scores of the demo takes, for the body of the performer."""
import math

import numpy as np

import pieces
from bodies import rot
from perform import Leap, Score, SIDES, stand
from touching import Touch, part
from walk import Foot, Step, ease


def mole_steps():
    """Four steps up onto the mole: rise 16 cm, tread 30 cm, the first edge 1.05 m ahead."""
    half, stride = .085, 1.25
    places = [('left', .48, 0), ('right', .80, 0), ('left', 1.14, .16), ('right', 1.44, .32), ('left', 1.74, .48), ('right', 2.06, .64), ('left', 2.55, .64), ('right', 3.05, .64), ('left', 3.05, .64)]
    feet = {s: Foot(s, [Step(-9, -8, (x * half, 0))]) for s, x in SIDES}
    t = .8
    for side, z, y in places:
        feet[side].steps.append(Step(t, t + .4 * stride, (feet[side].x * half, z), 0., y))
        t += stride / 2
    score = Score(t + .9, feet, stride, swings=True)
    score.key('pelvis.x', (2.2, 0), (2.9, 7), (4.4, 7), (5.2, 0)).key('head.x', (1.2, 0), (1.9, 16), (3.8, 12), (4.8, -4))
    return score, [('steps', (0, 0, 1.05))]


def haul_rope():
    """Hand over hand on a rope that comes in over the quay's edge; the rope runs at one speed."""
    T, hold, first, cycles = 1.5, .56, 1.3, 4
    near, far = .13, .43
    speed = (far - near) / (hold * T)
    end = first + cycles * T
    rope = lambda z: 1.20 - .11 * z

    def along(t, shift):
        """Place of the wrist along the rope, how far it is lifted off, whether it grips."""
        phase = ((t - first) / T + shift) % 1.
        if phase < hold:
            return far - speed * phase * T, 0., True
        u, slope = (phase - hold) / (1 - hold), -speed * (1 - hold) * T
        z = ((2 * u**3 - 3 * u**2 + 1) * near + (u**3 - 2 * u**2 + u) * slope + (3 * u**2 - 2 * u**3) * far + (u**3 - u**2) * slope)
        return z, math.sin(math.pi * u)**2, False

    score = Score(end + 1.6, stand(.13, ahead=(.24, -.20), toes_out=12), splay_deg=8)
    busy = lambda t: float(ease((t - first + .8) / .8) * (1 - ease((t - end) / .8)))
    turn = lambda t: math.sin(2 * math.pi * ((t - first) / T - .05)) * busy(t)
    score.keys |= {'spine.y': lambda t: -13 * turn(t), 'pelvis.y': lambda t: -6 * turn(t), 'spine.x': lambda t: (4 + 4 * math.cos(4 * math.pi * (t - first) / T)) * busy(t),
                   'pelvis.x': lambda t: -4 * busy(t), 'ahead': lambda t: (-.065 - .025 * math.cos(4 * math.pi * (t - first) / T)) * busy(t),
                   'crouch': lambda t: .06 * busy(t), 'head.y': lambda t: 8 * turn(t), 'head.x': lambda t: 6 * busy(t)}
    run = pieces.made()['rope'].triangles()
    for (side, x), shift in zip(SIDES, (0., .5)):
        def at(t, shift=shift):
            z = along(t, shift)[0] + .02
            return np.array([0, rope(z) + .015, z])

        score.holds[side].append(Touch(side, first, end, 'palm', 'rope', lambda t, s: (np.eye(3), np.zeros(3)), at, lambda t, x=x: (-x * .4, -.2, .88),
                                       lambda s, x=x: s.ahead() @ np.array([x * .75, -.65, -.2]), .9, kind='grip', solid=lambda t, s: run, palm=lambda t, x=x: (-x * .8, -.6, 0),
                                       lift=lambda t, x=x, shift=shift: along(t, shift)[1] * np.array([x * .10, .08, 0]), grips=lambda t, shift=shift: along(t, shift)[2], alone=first + (shift + .25) * T))
    return score, [('rope', (0, 0, 0))]


def carry_crate():
    """A crate is lifted from the quay, carried 2.2 m and set down."""
    half, stride = .14, 1.3
    feet = {s: Foot(s, [Step(-9, -8, (x * half, 0), x * .12)]) for s, x in SIDES}
    t = 4.1
    for side, z in (('left', .42), ('right', .92), ('left', 1.42), ('right', 1.92), ('left', 2.2), ('right', 2.2)):
        feet[side].steps.append(Step(t, t + .4 * stride, (feet[side].x * half, z), feet[side].x * .12))
        t += stride / 2
    down = t + .35
    score = Score(down + 3.4, feet, stride, splay_deg=16)
    stoop = lambda top: ((.7, 0), (2.1, top), (2.5, top), (3.75, 0), (down, 0), (down + 1.25, top), (down + 1.65, top), (down + 2.95, 0))
    score.key('crouch', *stoop(.43)).key('ahead', *stoop(-.13)).key('pelvis.x', *stoop(47)).key('spine.x', (.7, 0), (2.1, 30), (2.5, 28), (3.75, -9), (down, -9), (down + 1.25, 30), (down + 1.65, 30), (down + 2.95, 0)).key('head.x', *stoop(-34))
    raised = lambda t: float(ease((t - 2.25) / 1.15) * (1 - ease((t - down - .22) / 1.2)))

    def crate(t, s):
        floor = np.array([0, 0, .54 if t < 5 else 2.2 + .54])
        carried = s.hips + s.ahead() @ np.array([0, -.15, .37])
        w = raised(t)
        return s.ahead(), (1 - w) * floor + w * carried

    box = pieces.made()['crate'].triangles()
    solid = lambda t, s: box @ crate(t, s)[0].T + crate(t, s)[1]
    for side, x in SIDES:
        score.holds[side].append(Touch(side, 2.15, down + 1.55, 'palm', 'crate', crate, lambda t, x=x: (x * .257, .25, 0.), lambda t, x=x: (-x * .08, -.42, .9),
                                       lambda s, x=x: s.ahead() @ np.array([x * .75, -.3, -.6]), 1.1, .9, kind='grip', solid=solid, palm=lambda t, x=x: (-x, -.1, 0), alone=4.))
    score.props = [('crate', crate)]
    return score, []


def lantern_signal():
    """Three slow swings of a lantern over the head, to a boat off the bar."""
    score = Score(9.2, stand(.10, ahead=(.05, -.04), toes_out=10))
    swings = [(2.4 + .7 * k, 98 if k % 2 else 42) for k in range(7)]
    score.key('arm.flex.right', (.9, 0), (2.2, 158), (7.0, 158), (8.3, 0)).key('arm.drop.right', (.9, 78), (1.9, 70), *swings, (7.2, 74), (8.3, 78))
    score.key('arm.elbow.right', (.9, 28), (2.2, 20), (7.0, 20), (8.3, 28)).key('hand.z.right', (.9, 0), (2.0, 62), (7.0, 62), (8.3, 0))
    score.key('spine.z', (1.8, 0), *[(t, 6 if v > 60 else -7) for t, v in swings], (7.4, 0)).key('aside', (1.8, 0), *[(t, .022 if v > 60 else -.03) for t, v in swings], (7.4, 0))
    score.key('head.x', (1.2, 0), (2.2, -12), (7, -12), (8, 0)).key('clavicle.z.right', (1.0, 0), (2.2, 18), (7, 18), (8.2, 0)).key('arm.elbow.left', (0, 18), (2, 30), (7, 24), (8.4, 16))
    drop, flex = score.keys['arm.drop.right'], score.keys['arm.flex.right']

    def lantern(t, s):
        lag = .45 * (drop(t - .16) - drop(t)) * math.cos(math.radians(180 - flex(t)))
        pitch = .3 * (flex(t) - flex(t - .16))
        R = rot(2, lag) @ rot(0, pitch)
        return R, s.from_joint('hand.right', (-.138, -.024, .0)) + R @ np.array([0, -.30, 0])

    score.props = [('lantern', lantern)]
    score.carried = [('hand.right', {'point': 'tips', 'on': 'lantern', 'kind': 'grip'})]
    return score, []


def bollard_sit():
    """Two steps back, down onto the bollard, hands on the knees, a look about, and up again."""
    half = .12
    feet = {s: Foot(s, [Step(-9, -8, (x * half, .30), x * .18)]) for s, x in SIDES}
    feet['right'].steps.append(Step(.6, 1.15, (-half, 0), -.18))
    feet['left'].steps.append(Step(1.35, 1.9, (half, 0), .18))
    score = Score(9.4, feet, 1.3, splay_deg=12)
    score.key('ahead', (2.1, 0), (3.6, -.40), (6.6, -.40), (7.9, 0)).key('crouch', (2.1, 0), (3.6, .235), (6.7, .235), (8.0, 0))
    score.key('pelvis.x', (2.1, 0), (3.0, 30), (3.9, -6), (6.0, -6), (6.8, 34), (8.1, 0)).key('spine.x', (2.1, 0), (3.0, 22), (4.0, 12), (6.0, 12), (6.8, 24), (8.1, 0))
    score.key('head.x', (2.2, 0), (3.0, -22), (4.0, 0), (6.2, 0), (6.9, -24), (8.2, 0)).key('head.y', (4.2, 0), (4.8, 42), (5.3, 38), (6.0, -30), (6.5, 0))
    for side, x in SIDES:
        score.holds[side].append(Touch(side, 3.7, 6.4, 'palm', f'thigh.{side}', part(f'thigh.{side}'), lambda t: (0, -.31, .09), lambda t, x=x: (-x * .25, -1, .0),
                                       lambda s, x=x: s.ahead() @ np.array([x * .8, -.1, -.6]), 1.1, .9, over_m=.18))
    return score, [('bollard', (0, 0, -.42))]


def weary_watch():
    """A hand on the hip; the other wipes the brow, then shades the eyes."""
    score = Score(8.6, stand(.11, ahead=(.03, -.05), toes_out=12))
    score.key('aside', (.8, 0), (2.0, -.04), (6.6, -.04), (7.8, 0)).key('pelvis.z', (.8, 0), (2.0, 4), (6.6, 4), (7.8, 0)).key('spine.z', (.8, 0), (2.0, -5), (6.6, -5), (7.8, 0))
    score.key('head.x', (1.2, 0), (2.2, 10), (3.6, 8), (4.4, -4), (6.0, -4), (7.0, 0)).key('head.y', (4.3, 0), (5.0, 26), (5.8, -18), (6.6, 0)).key('clavicle.z.right', (1.2, 0), (2.1, 10), (6.1, 10), (7, 0))
    score.holds['left'].append(Touch('left', 1.7, 6.7, 'palm', 'hips', part('hips'), lambda t: (.17, .05, .02), lambda t: (-.25, -.55, .75),
                                     lambda s: s.frame('hips') @ np.array([1, .1, -.45]), 1.0))
    wiped = lambda t: .05 - .10 * float(ease((t - 2.4) / .9))
    score.holds['right'].append(Touch('right', 2.3, 3.35, 'tips', 'head', part('head'), lambda t: (wiped(t), .142, .11), lambda t: (1, .12, .05),
                                      lambda s: s.frame('head') @ np.array([-.8, -.35, .35]), .9, .7, kind='glide', samples=12, tilt=18, over_m=.12))
    score.holds['right'].append(Touch('right', 4.6, 6.0, 'tips', 'head', part('head'), lambda t: (-.03, .142, .11), lambda t: (.75, .05, -.5),
                                      lambda s: s.frame('head') @ np.array([-.85, -.25, .3]), .7, .8, palm=lambda t: (0, -1, -.15), over_m=.12))
    return score, []


def boat_leap():
    """A leap from the quay over the gap onto a boat's deck: 1.1 m, both feet at once."""
    lift, land, half = 1.75, 2.19, .11
    feet = {s: Foot(s, [Step(-9, -8, (x * half, 0)), Step(lift, land, (x * half, 1.1))]) for s, x in SIDES}
    score = Score(4.6, feet, .9, splay_deg=6)
    score.leap = Leap(lift, land, .16, .17)
    score.key('pelvis.x', (.5, 0), (1.36, 38), (1.72, 8), (2.0, 2), (2.5, 30), (3.5, 0)).key('spine.x', (.5, 0), (1.36, 26), (1.72, -8), (2.0, 4), (2.5, 22), (3.5, 0)).key('head.x', (.5, 0), (1.36, -30), (1.8, 4), (2.2, 10), (2.5, -18), (3.5, 0))
    for x, side in ((1, 'left'), (-1, 'right')):
        score.key(f'arm.flex.{side}', (.4, 0), (1.26 + .02 * x, -52), (1.80, 118), (2.05, 112), (2.62, 24), (3.6, 0)).key(f'arm.elbow.{side}', (.4, 16), (1.3, 12), (1.6, 40), (2.0, 18), (2.6, 34), (3.6, 16))
        score.key(f'arm.drop.{side}', (.4, 78), (1.4, 66), (1.9, 62), (2.7, 66), (3.6, 78))
    return score, [('quay', (0, 0, 0))]


def limbering(body):
    """One joint at a time through its range, each side, fingers too; from level arms."""
    moves = [('spine.x', 28, -14), ('spine.y', 30, -30), ('spine.z', 18, -18), ('head.x', 32, -28), ('head.y', 55, -55), ('head.z', 20, -20)]
    for side, x in SIDES:
        moves += [(f'clavicle.z.{side}', 20, -6), (f'arm.drop.{side}', -55, 75), (f'arm.turn.{side}', 55, -55), (f'arm.elbow.{side}', 130, 0), (f'hand.x.{side}', 70, -70),
                  (f'hand.z.{side}', 45, -55), (f'hand.y.{side}', 20, -25)]
        for finger in ('thumb', 'index', 'middle', 'ring', 'little'):
            axis, turn = ('y', -x * 28) if finger == 'thumb' else ('z', -x * 65)
            moves.append(([f'{finger}.{k}.{side}.{axis}' for k in (1, 2, 3)], turn, 0))
        moves += [(f'thigh.{side}.x', -75, 15), (f'thigh.{side}.z', x * 32, 0), (f'shin.{side}.x', 95, 0), (f'foot.{side}.x', 30, -18), (f'toe.{side}.x', -30, 0)]
    T, at = .80, .8
    score = Score(at + T * len(moves) + .8, stand(.105), sway=0.)
    score.both('arm.drop', (0, 0)).both('arm.elbow', (0, 0)).both('hand.z', (0, 4)).both('hand.y', (0, -6)).both('clavicle.z', (0, 3)).both('arm.flex', (0, -3))
    base = {'clavicle.z': 3, 'hand.z': 4, 'hand.y': -6}
    for names, there, back in moves:
        for name in [names] if isinstance(names, str) else names:
            zero = base.get(name.rsplit('.', 1)[0], 0)
            keys = [(at, 0), (at + .45 * T, there)] + ([(at + .75 * T, back)] if back else []) + [(at + T, 0)]
            score.key(name, *[(t, zero + v) for t, v in keys])
        at += T
    return score, []
