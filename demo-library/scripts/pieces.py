"""Plain set pieces of the harbour as .glb: a node with a mesh each, metres, the ground at y = 0."""
import json
import math
import struct

import numpy as np

from skins import linear


class Build:
    def __init__(self):
        self.points, self.normals, self.colours, self.faces = [], [], [], []

    def quad(self, corners, colour):
        corners = np.array(corners, float)
        n = np.cross(corners[1] - corners[0], corners[2] - corners[0])
        n /= np.linalg.norm(n)
        k = len(self.points)
        self.points += list(corners)
        self.normals += [n] * 4
        self.colours += [linear(colour)] * 4
        self.faces += [(k, k + 1, k + 2), (k, k + 2, k + 3)]

    def box(self, low, high, colour, R=np.eye(3), at=(0, 0, 0)):
        (x0, y0, z0), (x1, y1, z1) = low, high
        for corners in ([(x0, y0, z1), (x1, y0, z1), (x1, y1, z1), (x0, y1, z1)], [(x1, y0, z0), (x0, y0, z0), (x0, y1, z0), (x1, y1, z0)],
                        [(x0, y1, z1), (x1, y1, z1), (x1, y1, z0), (x0, y1, z0)], [(x0, y0, z0), (x1, y0, z0), (x1, y0, z1), (x0, y0, z1)],
                        [(x1, y0, z1), (x1, y0, z0), (x1, y1, z0), (x1, y1, z1)], [(x0, y0, z0), (x0, y0, z1), (x0, y1, z1), (x0, y1, z0)]):
            self.quad([R @ np.array(c, float) + at for c in corners], colour)

    def turned(self, profile, colour, steps=20, a=np.array([0, 0, 0.]), axis=np.array([0, 1., 0])):
        """Turned about an axis from `a`: (along, radius) pairs."""
        axis = axis / np.linalg.norm(axis)
        side = np.cross(axis, [1., 0, 0] if abs(axis[0]) < .9 else [0, 0, 1.])
        side /= np.linalg.norm(side)
        other = np.cross(axis, side)
        for (h0, r0), (h1, r1) in zip(profile, profile[1:]):
            slope = np.array([h1 - h0, r0 - r1])
            slope = slope / max(1e-9, np.linalg.norm(slope))
            for k in range(steps):
                base = len(self.points)
                for angle in (2 * np.pi * k / steps, 2 * np.pi * (k + 1) / steps):
                    out = np.cos(angle) * side + np.sin(angle) * other
                    for h, r in ((h0, r0), (h1, r1)):
                        self.points.append(a + h * axis + r * out)
                        self.normals.append(slope[0] * out + slope[1] * axis)
                        self.colours.append(linear(colour))
                self.faces += [(base, base + 2, base + 3), (base, base + 3, base + 1)]

    def triangles(self):
        return np.array(self.points, float)[np.array(self.faces)]

    def write(self, path, name):
        points, normals = np.array(self.points, '<f4'), np.array(self.normals, '<f4')
        rgba = np.round(np.concatenate([np.array(self.colours), np.ones((len(points), 1))], 1) * 65535).astype('<u2')
        index = np.array(self.faces, '<u2').ravel()
        binary, views = b'', []
        for array in (points, normals, rgba, index):
            binary += b'\0' * (-len(binary) % 4)
            views.append(dict(buffer=0, byteOffset=len(binary), byteLength=array.nbytes, target=34963 if array is index else 34962))
            binary += array.tobytes()
        binary += b'\0' * (-len(binary) % 4)
        bounds = dict(min=[float(v) for v in points.min(0)], max=[float(v) for v in points.max(0)])
        document = dict(asset=dict(version='2.0', generator='demo-library/scripts'), scene=0, scenes=[dict(nodes=[0])], nodes=[dict(name=name, mesh=0)],
                        meshes=[dict(name=name, primitives=[dict(attributes=dict(POSITION=0, NORMAL=1, COLOR_0=2), indices=3, material=0)])],
                        materials=[dict(name='painted', pbrMetallicRoughness=dict(metallicFactor=0, roughnessFactor=.9))],
                        accessors=[dict(bufferView=0, componentType=5126, count=len(points), type='VEC3', **bounds), dict(bufferView=1, componentType=5126, count=len(points), type='VEC3'),
                                   dict(bufferView=2, componentType=5123, count=len(points), type='VEC4', normalized=True), dict(bufferView=3, componentType=5123, count=len(index), type='SCALAR')],
                        bufferViews=views, buffers=[dict(byteLength=len(binary))])
        text = json.dumps(document, separators=(',', ':')).encode()
        text += b' ' * (-len(text) % 4)
        with open(path, 'wb') as f:
            f.write(struct.pack('<4sII', b'glTF', 2, 28 + len(text) + len(binary)) + struct.pack('<I4s', len(text), b'JSON') + text
                    + struct.pack('<I4s', len(binary), b'BIN\0') + binary)


def curve(points, steps):
    """A smooth curve through points (Catmull-Rom)."""
    p = np.array([points[0]] + list(points) + [points[-1]], float)
    out = []
    for k in range(1, len(p) - 2):
        for t in np.arange(steps) / steps:
            out.append(.5 * (2 * p[k] + (p[k + 1] - p[k - 1]) * t + (2 * p[k - 1] - 5 * p[k] + 4 * p[k + 1] - p[k + 2]) * t**2
                             + (3 * p[k] - p[k - 1] - 3 * p[k + 1] + p[k + 2]) * t**3))
    return out + [p[-1]]


def write_all(folder):
    for name, build in made().items():
        build.write(f'{folder}/{name}.glb', name)


def made():
    """All pieces by name."""
    builds = {}
    plank, dark, stone, stone2, iron, hemp = 0x8a7458, 0x6b573f, 0x8d8a84, 0x7b7872, 0x3b3d42, 0xb49f78
    b = Build()  # a crate of slats, with rope handles
    for y in (.02, .13, .24):
        b.box((-.22, y, -.16), (.22, y + .09, .16), plank if y != .13 else 0x94805f)
    for x in (-1, 1):
        for z in (-1, 1):
            b.box((x * .225 - .02, 0, z * .16 - .02), (x * .225 + .02, .35, z * .16 + .02), dark)
        b.turned([(0, .012), (.16, .012)], hemp, 8, np.array([x * .245, .25, -.08]), np.array([0, 0, 1.]))
    builds['crate'] = b
    b = Build()  # four steps and a platform; the first edge at z = 0
    for k in range(4):
        z1 = 2.5 if k == 3 else .95
        b.box((-.75, 0 if k == 3 else .16 * k, .3 * k), (.75, .16 * (k + 1), z1), stone if k % 2 else stone2)
    for k in range(4):
        b.box((-.75, .16 * (k + 1) - .012, .3 * k - .015), (.75, .16 * (k + 1) + .0005, .3 * k + .035), 0xa9a59c)
    builds['steps'] = b
    b = Build()  # a rope from the hands down over the edge
    run = [np.array([0, 1.21 - .11 * z, z]) for z in np.linspace(-.05, 2.6, 12)]
    b.turned([(0, .014), (float(np.linalg.norm(run[-1] - run[0])), .014)], hemp, 8, run[0], run[-1] - run[0])
    slack = [(0, 1.215, -.05), (.03, .95, -.16), (.05, .55, -.22), (.08, .12, -.25), (.22, .02, -.22), (.34, .018, -.05), (.22, .018, .10), (.06, .018, .02), (.10, .03, -.14)]
    slack = curve(slack, 6)
    for p, q in zip(slack, slack[1:]):
        p, q = np.array(p, float), np.array(q, float)
        b.turned([(-.004, .014), (float(np.linalg.norm(q - p)) + .004, .014)], hemp, 8, p, q - p)
    b.box((-.10, 0, 2.5), (.10, .86, 2.66), dark)
    b.turned([(0, .05), (.10, .05)], iron, 14, np.array([-.05, .93, 2.58]), np.array([1., 0, 0]))
    builds['rope'] = b
    b = Build()  # a bollard
    b.turned([(0, .19), (.05, .185), (.34, .155), (.37, .205), (.44, .205), (.47, .16), (.47, 0)], iron, 26)
    builds['bollard'] = b
    b = Build()  # a lantern: ring, hood, glass, foot
    b.turned([(0, .06), (.02, .065), (.025, .05)], iron, 14)
    b.turned([(.025, .045), (.15, .045)], 0xf0e2a8, 14)
    b.turned([(.15, .068), (.20, .03), (.225, .012), (.30, .006)], iron, 14)
    builds['lantern'] = b
    b = Build()  # a coil of rope, lying flat about its middle
    for radius, y in ((.15, -.012), (.15, .012), (.137, .0), (.163, .0)):
        ring = [np.array([radius * math.cos(a), y, radius * math.sin(a)]) for a in np.linspace(0, 2 * math.pi, 25)]
        for p, q in zip(ring, ring[1:]):
            b.turned([(-.002, .014), (float(np.linalg.norm(q - p)) + .002, .014)], hemp, 6, p, q - p)
    builds['coil'] = b
    b = Build()  # a landing, one step over the quay
    b.box((-1.1, 0, -1.3), (1.1, .18, .35), stone)
    b.box((-1.1, .168, .335), (1.1, .1805, .375), 0xa9a59c)
    builds['landing'] = b
    b = Build()  # the quay: planks level with the ground, a kerb, the water's edge
    for k in range(26):
        z = -3.2 + .5 * k
        b.quad([(-2.4, .0005, z), (-2.4, .0005, z + .487), (5.2, .0005, z + .487), (5.2, .0005, z)], 0x7d7264 if k % 3 else 0x84796a)
    b.box((-2.62, -.6, -3.2), (-2.4, .14, 9.8), stone)
    b.box((-2.62, -.6, 9.8), (5.2, .14, 10.02), stone)
    builds['quay'] = b
    return builds
