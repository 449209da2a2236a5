"""Two performers captured together, on one clock and one floor: a coil of rope is handed over, one helps the other up onto
the landing, a hand is laid on a shoulder. The giver stands on the landing and looks along +Z, the taker before it."""
import math

import numpy as np

import perform
import pieces
from perform import Hold, Score, SIDES, hand_frame
from touching import SIGN, Touch
from walk import Foot, Step, ease

HIGH, EDGE = .18, .35
GIVER_Z, TAKER_Z, UP_Z = -.30, .78, .25


class Recorded:
    """A body that was played, at any time."""

    def __init__(self, body, frames, fps, skin):
        self.body, self.frames, self.fps, self.skin = body, frames, fps, skin
        self.known = {}

    def at(self, t):
        i = int(np.clip(round(t * self.fps), 0, len(self.frames) - 1))
        turns, hips, _ = self.frames[i]
        return i, perform.Situation(self.body, turns, hips, math.pi)

    def triangles(self, t):
        """All of it but the arms from the elbows on."""
        i, s = self.at(t)
        if i not in self.known:
            away = self.skin.share(*(f'{r}.{side}' for r in ('forearm', 'hand') for side in ('left', 'right'))) < .5
            self.known[i] = self.skin.posed(s.R, s.p)[self.skin.faces[away[self.skin.faces].all(1)]]
        return self.known[i]


class Clasp(Hold):
    """A palm on another's: at `place(t, s)`, facing `palm`, fingers along `fingers`."""

    def __init__(self, side, start, end, place, fingers, palm, elbow, what, ease_s):
        super().__init__(start, end, self.wrist, self.turn, elbow, ease_s, what)
        self.at, self.frame = place, hand_frame(SIGN[side], fingers, palm)
        self.side = side

    def seat(self, skin, situation_at):
        along, below = Touch.POINTS['palm']
        hand = skin.hand(self.side)
        self.c = np.array([SIGN[self.side] * along * skin.body.stature, below, 0])
        near = np.linalg.norm((hand - self.c)[:, [0, 2]], axis=1) < .04
        self.c[1] = hand[near][:, 1].min() - .0008

    def wrist(self, t, s):
        # On its way it comes from where its back is.
        away = .16 * (1 - self.weight(t)) * self.frame[:, 1]
        return self.at(t, s) - self.frame @ self.c + away

    def turn(self, t, s):
        return self.frame


def between(a, b, start, end):
    return lambda t: a + float(ease((t - start) / (end - start))) * (b - a)


def help_up(body, skin, fps=60):
    """((name, frames, labels), ...) of giver and taker; the coil goes along with the second's frames, too."""
    seconds, half = 13.2, .10
    over = np.array([-.14, 1.18, .5 * (GIVER_Z + TAKER_Z)])
    take, let_go = 2.6, 3.3

    def coil_by(taker_at):
        at_giver = np.array([-.20, HIGH + 1.02, GIVER_Z + .36])

        def coil(t, s):
            hips = taker_at(t, s)
            at_taker = hips + np.array([-.33, .07, -.24])
            w, u = float(ease((t - .9) / 1.5)), float(ease((t - let_go - .05) / 1.3))
            place = (1 - w) * at_giver + w * over
            return np.eye(3), (1 - u) * place + u * at_taker

        return coil

    ring = pieces.made()['coil'].triangles()

    def carrying(side, start, end, coil, z, of):
        """A palm under the coil's rim."""
        x = SIGN[side]
        along = -1. if of == 'taker' else 1.
        return Touch(side, start, end, 'palm', 'coil', coil, lambda t: (0, -.03, z), lambda t: (0, .05, along), lambda s: s.ahead() @ np.array([x * .55, -.75, -.3]), .9,
                     kind='grip', solid=lambda t, s: ring + coil(t, s)[1], palm=lambda t: (0, 1, 0), alone=.5 * (take + let_go))

    meets = lambda hips_z: np.array([.15, 1.16, .5 * (GIVER_Z + hips_z)])
    lifted = between(0., .10, 5.2, 7.2)
    clasp_at = lambda t, z: meets(z) + np.array([0, lifted(t), 0])

    # The taker: waits below, takes the coil with its left hand, is helped up by its right.
    feet = {s: Foot(s, [Step(-9, -8, (-x * half, TAKER_Z + x * .03), math.pi)]) for s, x in SIDES}
    feet['right'].steps.append(Step(5.5, 6.2, (half, UP_Z), math.pi, HIGH))
    feet['left'].steps.append(Step(6.5, 7.2, (-half, UP_Z + .02), math.pi, HIGH))
    taker = Score(seconds, feet, 1.4)
    taker.key('head.x', (.5, -6), (2.4, 8), (3.6, 6), (4.8, 14), (6.6, 6), (7.6, -2)).key('spine.x', (1.6, 0), (2.5, 7), (3.4, 6), (4.2, 0), (5.0, 5), (5.9, 13), (6.8, 6), (7.6, 0))
    taker.key('pelvis.x', (5.0, 0), (5.9, 8), (7.4, 0)).key('head.y', (8.4, 0), (9.4, 12), (11.2, 8), (12.2, 0))
    coil = coil_by(lambda t, s: s.hips)
    taker.holds['left'].append(carrying('left', take, 99., coil, .15, 'taker'))
    taker.holds['right'].append(Clasp('right', 4.9, 7.7, lambda t, s: clasp_at(t, s.hips[2]), (.1, 0, -1), (0, 1, 0), lambda s: s.ahead() @ np.array([-.75, -.6, -.2]),
                                      {'point': 'palm', 'on': 'hand.left', 'of': 'giver', 'kind': 'rest'}, .9))
    taker.props = [('coil', coil)]
    taken, taker_labels, missed = perform.perform(body, taker, fps, skin=skin)
    print(f'  taker misses by {100 * missed:.1f} cm')
    record = Recorded(body, taken, fps, skin)

    # The giver: hands the coil down with its right hand, gives its left, lays it on the taker's shoulder.
    feet = {s: Foot(s, [Step(-9, -8, (x * (half + .01), GIVER_Z + x * .03), 0., HIGH)]) for s, x in SIDES}
    giver = Score(seconds, feet, 1.3, splay_deg=6)
    giver.key('spine.x', (.8, 0), (2.4, 12), (3.3, 12), (4.2, 4), (5.0, 12), (6.2, 4), (7.6, -2), (9.0, 3), (11.6, 3), (12.6, 0)).key('pelvis.x', (.8, 0), (2.4, 8), (3.4, 6), (4.3, 2), (5.0, 8), (6.6, 0))
    giver.key('head.x', (.5, 0), (2.0, 18), (3.4, 16), (4.8, 20), (7.0, 4), (8.6, 0)).key('crouch', (4.2, 0), (5.0, .05), (6.4, .05), (7.4, 0)).key('ahead', (5.2, 0), (6.6, -.04), (8.0, 0))
    coil_then = coil_by(lambda t, s: record.at(t)[1].hips)
    giver.holds['right'].append(carrying('right', -9., let_go, coil_then, -.15, 'giver'))
    giver.holds['left'].append(Clasp('left', 4.9, 7.7, lambda t, s: clasp_at(t, record.at(t)[1].hips[2]), (.1, 0, 1), (0, -1, 0), lambda s: s.ahead() @ np.array([.75, -.6, -.2]),
                                     {'point': 'palm', 'on': 'hand.right', 'of': 'taker', 'kind': 'rest'}, .9))

    def shoulder(t, s):
        there = record.at(t)[1]
        return np.eye(3), there.joint('upperarm.right')

    giver.holds['left'].append(Touch('left', 9.4, 11.4, 'palm', 'upperarm.right', shoulder, lambda t: (.0, .06, .0), lambda t: (-.15, -.1, 1), lambda s: s.ahead() @ np.array([.8, -.6, -.1]), .9, 1.1,
                                     solid=lambda t, s: record.triangles(t), palm=lambda t: (0, -1, .12), samples=5, over_m=.24))
    giver.holds['left'][-1].label = lambda t: {'point': 'palm', 'on': 'upperarm.right', 'of': 'taker', 'kind': 'rest'}
    giver.holds['left'][-1].what = giver.holds['left'][-1].label
    giver.props = [('coil', coil_then)]
    given, giver_labels, missed = perform.perform(body, giver, fps, seed=11, skin=skin)
    print(f'  giver misses by {100 * missed:.1f} cm')
    apart = max(np.abs(a[2]['coil'][1] - b[2]['coil'][1]).max() for a, b in zip(given, taken))
    assert apart < 1e-9, apart
    return ('giver', given, giver_labels), ('taker', taken, taker_labels)
