"""Hands that touch: put onto the performer's own skin or onto a thing until they rest there and sink in nowhere.

Skin is the mesh as the joints carry it. A distance to it is that to its triangles, inside by the winding number
(Jacobson, Kavan, Sorkine-Hornung, Robust inside-outside segmentation, 2013; from memory). Metres.
"""
import math

import numpy as np

from perform import Hold, SIDES, arm_to, body_at, hand_frame, slerp

SIGN = dict(SIDES)
TOUCHED_M = .0005  # how deep the nearest vertex of a hand is pressed in


class Skin:
    """The performer's mesh and what of it is hand."""

    def __init__(self, body, skin):
        self.body = body
        self.points, self.faces, _, _, joints, weights = skin
        self.by_joint = np.zeros((len(self.points), len(body.roles)))
        for k in range(4):
            np.add.at(self.by_joint, (np.arange(len(self.points)), joints[:, k]), weights[:, k])
        self.R0, self.p0 = body.pose({})

    def posed(self, R, p):
        out = np.zeros_like(self.points)
        for j in range(len(self.body.roles)):
            w = self.by_joint[:, [j]]
            out += w * ((self.points - self.p0[j]) @ R[j].T + p[j])
        return out

    def share(self, *roles):
        return sum(self.by_joint[:, self.body.roles.index(r)] for r in roles)

    def hand(self, side):
        """Vertices of a hand in its own frame: the rest stance has all frames level."""
        j = self.body.roles.index(f'hand.{side}')
        return self.points[self.by_joint[:, j] > .6] - self.p0[j]

    def rest(self, side, posed):
        """Triangles of all that is not that arm."""
        away = self.share(f'hand.{side}', f'forearm.{side}', f'upperarm.{side}') < .5
        return posed[self.faces[away[self.faces].all(1)]]


def nearest(points, triangles):
    """(distance, place, normal of the triangle) of the nearest place on triangles, a point."""
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    ab, ac = b - a, c - a
    normal = np.cross(ab, ac)
    out = []
    for q in points:
        ap = q - a
        d1, d2 = (ab * ap).sum(1), (ac * ap).sum(1)
        bp, cp = q - b, q - c
        d3, d4, d5, d6 = (ab * bp).sum(1), (ac * bp).sum(1), (ab * cp).sum(1), (ac * cp).sum(1)
        va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
        total = np.maximum(va + vb + vc, 1e-18)
        v, w = vb / total, vc / total
        inside = (va >= 0) & (vb >= 0) & (vc >= 0)
        best = a + v[:, None] * ab + w[:, None] * ac
        distance = np.where(inside, np.linalg.norm(q - best, axis=1), np.inf)
        for start, line in ((a, ab), (a, ac), (b, c - b)):
            t = np.clip(((q - start) * line).sum(1) / np.maximum((line * line).sum(1), 1e-18), 0, 1)
            place = start + t[:, None] * line
            d = np.linalg.norm(q - place, axis=1)
            nearer = d < distance
            distance, best = np.where(nearer, d, distance), np.where(nearer[:, None], place, best)
        i = int(distance.argmin())
        out.append((distance[i], best[i], normal[i] / max(1e-12, np.linalg.norm(normal[i]))))
    return np.array([o[0] for o in out]), np.array([o[1] for o in out]), np.array([o[2] for o in out])


def winding(points, triangles):
    a, b, c = (triangles[None, :, k] - points[:, None] for k in range(3))
    la, lb, lc = (np.linalg.norm(v, axis=2) for v in (a, b, c))
    top = (a * np.cross(b, c)).sum(2)
    low = la * lb * lc + (a * b).sum(2) * lc + (b * c).sum(2) * la + (c * a).sum(2) * lb
    return (2 * np.arctan2(top, low)).sum(1) / (4 * math.pi)


def heights(points, triangles):
    """Over the surface, m; below 0 inside. What is clearly far is told as far as the middle of the next triangle."""
    if not len(triangles):
        return np.full(len(points), 1.)
    rough = np.sqrt(((points[:, None] - triangles.mean(1)[None])**2).sum(2)).min(1)
    close = rough < rough.min() + .03
    out = rough.copy()
    out[close] = nearest(points[close], triangles)[0] * np.where(winding(points[close], triangles) > .5, -1, 1)
    return out


def near(triangles, place, reach):
    return triangles[(np.linalg.norm(triangles.mean(1) - place, axis=1) < reach)]


def near_points(triangles, place, reach, step=.008):
    """Points over triangles that are near a place."""
    out = []
    for a, b, c in triangles:
        n = int(np.ceil(max(np.linalg.norm(b - a), np.linalg.norm(c - a), np.linalg.norm(c - b)) / step)) + 1
        u, v = np.meshgrid(np.linspace(0, 1, n), np.linspace(0, 1, n))
        u, v = u[u + v <= 1], v[u + v <= 1]
        points = a + u[:, None] * (b - a) + v[:, None] * (c - a)
        out.append(points[np.linalg.norm(points - place, axis=1) < reach])
    out = np.concatenate(out)
    return out[::max(1, len(out) // 1500)]


def normal_at(place, triangles, reach=.035):
    """Mean over the skin around a place."""
    a, b, c = (triangles[:, k] for k in range(3))
    n = np.cross(b - a, c - a)
    w = np.exp(-.5 * (np.linalg.norm(triangles.mean(1) - place, axis=1) / reach)**2)
    n = (n * w[:, None]).sum(0)
    return n / np.linalg.norm(n)


class Touch(Hold):
    """A hand laid on something. `point`: 'palm', 'fingers' (their pads) or 'tips'; `on`: a role of the own body, or a thing; `frame(t, s)`: of
    what is touched (R, p); `at(t)`, `fingers(t)` in it: about where, and along what the fingers lie. `lift(t)` (m): by what the
    hand is off meanwhile, `grips(t)`: whether it touches; `kind`: 'rest', 'glide', 'grip'.
    `solid(t, s)`: triangles of a thing; `palm(t)`: where the palm faces, else onto the skin; `alone`: the one moment (s) it is found at;
    `tilt`: degrees by which the fingers point onto it."""

    POINTS = dict(palm=(.026, -.012), fingers=(.066, -.009), tips=(.083, -.005))  # along the hand and below, of the stature

    def __init__(self, side, start, end, point, on, frame, at, fingers, elbow, ease_s=.6, leave_s=None, kind='rest', solid=None, lift=None, grips=None, samples=7, over_m=.05, palm=None, alone=None, tilt=0.):
        super().__init__(start, end, self.wrist, self.turn, elbow, ease_s, self.label, leave_s)
        self.side, self.point, self.on, self.frame, self.at, self.fingers = side, point, on, frame, at, fingers
        self.kind, self.solid, self.lift, self.grips, self.samples, self.over, self.palm = kind, solid, lift or (lambda t: np.zeros(3)), grips or (lambda t: True), samples, over_m, palm
        self.alone, self.tilt = alone, tilt

    def seat(self, skin, situation_at):
        """Finds where the hand lies, at some moments of the hold; kept in the frame of what is touched."""
        self.when = np.linspace(self.start, self.end, self.samples) if self.alone is None else np.array([self.alone])
        self.wrists, self.turns, self.normals = [], [], []
        along, below = self.POINTS[self.point]
        H, x = skin.body.stature, SIGN[self.side]
        c_hand = np.array([x * along * H, below * H, 0])
        hand = skin.hand(self.side)
        is_hand = skin.by_joint[:, skin.body.roles.index(f'hand.{self.side}')] > .6
        c_hand[1] = hand[np.linalg.norm((hand - c_hand)[:, [0, 2]], axis=1) < .02][:, 1].min()
        for t in self.when:
            s = situation_at(t)
            R, p = self.frame(t, s)
            if self.solid is None:
                triangles = skin.rest(self.side, skin.posed(s.R, s.p))
                place = p + R @ np.array(self.at(t), float)
                _, spot, _ = nearest(place[None], near(triangles, place, .25))
                local = near(triangles, spot[0], .3)
                m = normal_at(spot[0], local)
                q = spot[0]
                faces = m if self.palm is None else -(R @ np.array(self.palm(t), float))
            else:
                local = self.solid(t, s)
                q = p + R @ np.array(self.at(t), float)
                m = -(R @ np.array(self.palm(t), float))
                faces = m = m / np.linalg.norm(m)
            line = R @ np.array(self.fingers(t), float)
            line = line - (line @ faces) * faces
            tilt = math.radians(self.tilt)
            line = math.cos(tilt) * line / np.linalg.norm(line) - math.sin(tilt) * faces
            turn = hand_frame(x, line, -faces)
            wrist = q - turn @ c_hand
            for _ in range(16):
                # With the arm that brings it there: skin near the wrist goes with the forearm, too.
                turns, _ = arm_to(s, self.side, x, wrist, self.elbow(s), turn)
                posed = skin.posed(*body_at(skin.body, {**s.turns, **turns}, s.hips))
                deepest = heights(posed[is_hand], local).min()
                if self.solid is not None:
                    # Of a thin thing no vertex may be where the hand is: its own skin in the hand, too.
                    deepest = min(deepest, heights(near_points(local, wrist, .2), posed[skin.faces[is_hand[skin.faces].all(1)]]).min())
                wrist = wrist - (deepest + TOUCHED_M) * m
                if abs(deepest + TOUCHED_M) < 2e-4:
                    break
            self.wrists.append(R.T @ (wrist - p))
            self.turns.append(R.T @ turn)
            self.normals.append(R.T @ m)

    def between(self, t):
        if len(self.when) == 1:
            return 0, 0, 0.
        i = int(np.clip(np.searchsorted(self.when, t, side='right') - 1, 0, len(self.when) - 2))
        return i, i + 1, float(np.clip((t - self.when[i]) / (self.when[i + 1] - self.when[i]), 0, 1))

    def wrist(self, t, s):
        i, k, u = self.between(t)
        R, p = self.frame(t, s)
        slope = lambda j: (self.wrists[min(j + 1, len(self.wrists) - 1)] - self.wrists[max(j - 1, 0)]) * .5 if 0 < j < len(self.wrists) - 1 else np.zeros(3)
        if i == k:
            place = self.wrists[0] + np.array(self.at(t), float) - np.array(self.at(self.when[0]), float)
        else:
            a, b = self.wrists[i], self.wrists[k]
            place = (2 * u**3 - 3 * u**2 + 1) * a + (u**3 - 2 * u**2 + u) * slope(i) + (3 * u**2 - 2 * u**3) * b + (u**3 - u**2) * slope(k)
        m = self.normals[i] + u * (self.normals[k] - self.normals[i])
        # On its way it comes from outside.
        off = self.over * (1 - self.weight(t)) * 2
        return p + R @ (place + self.lift(t) + off * m / np.linalg.norm(m))

    def turn(self, t, s):
        i, k, u = self.between(t)
        return self.frame(t, s)[0] @ slerp(self.turns[i], self.turns[k], u * u * (3 - 2 * u))

    def label(self, t):
        return {'point': self.point, 'on': self.on, 'kind': self.kind} if self.grips(t) else None


def part(role):
    return lambda t, s: (s.frame(role), s.joint(role))
