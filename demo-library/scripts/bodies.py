"""The made-up bodies of the harbour: skeletons in a common stance, posed and written in their own manner.

Segment lengths of the performer: shares of stature after Drillis & Contini (in Winter, Biomechanics and Motor
Control of Human Movement; from memory). World: metres, +Y up, facing +Z, left is +X.
"""
import json
import math
import struct
import uuid

import numpy as np

SHARE = dict(thigh=.245, shin=.246, upperarm=.186, forearm=.146, hand=.108, foot=.152, ankle=.039, shoulder=.818)


def rot(axis, degrees):
    """Rotation matrix about axis 0, 1 or 2."""
    a = math.radians(degrees)
    c, s = math.cos(a), math.sin(a)
    m = np.eye(3)
    i, j = [(1, 2), (2, 0), (0, 1)][axis]
    m[i, i] = m[j, j] = c
    m[i, j], m[j, i] = -s, s
    return m


class Body:
    """Joints (role, parent index, offset in the stance), and end sites."""

    def __init__(self, stature, spine_count, toes=True, legs=1.0, arms=1.0, shoulders=1.0, hips=1.0, head=1.0, neck_count=1):
        H = stature
        self.roles, self.parents, self.offsets, self.ends = [], [], [], []
        leg = SHARE['thigh'] + SHARE['shin']
        self.ankle = SHARE['ankle'] * H
        self.hip_height = self.ankle + leg * H * legs
        shoulder_height = max(SHARE['shoulder'] * H, self.hip_height + .2 * H)
        hip_half, shoulder_half = .052 * H * hips, .115 * H * shoulders
        trunk = shoulder_height - self.hip_height
        self.add('hips', None, [0, self.hip_height + .02 * H, 0])
        parent = 'hips'
        steps = spine_count
        for i in range(steps):
            role = 'chest' if i == steps - 1 else f'spine.{i + 1}'
            self.add(role, parent, [0, (trunk - .02 * H) * .72 / steps, (.006 if i < steps / 2 else -.008) * H])
            parent = role
        chest_to_neck = trunk * .36
        at = 'chest'
        for i in range(neck_count):
            self.add(f'neck.{i + 1}', at, [0, chest_to_neck if i == 0 else .04 * H * head, 0])
            at = f'neck.{i + 1}'
        self.add('head', at, [0, .055 * H / neck_count + .005 * H, .012 * H])
        self.end('head', [0, .115 * H * head, .01 * H])
        for side, x in (('left', 1), ('right', -1)):
            self.add(f'clavicle.{side}', 'chest', [x * .018 * H, trunk * .30, .012 * H])
            self.add(f'upperarm.{side}', f'clavicle.{side}', [x * (shoulder_half - .018 * H), -.012 * H, -.02 * H])
            self.add(f'forearm.{side}', f'upperarm.{side}', [x * SHARE['upperarm'] * H * arms, 0, 0])
            self.add(f'hand.{side}', f'forearm.{side}', [x * SHARE['forearm'] * H * arms, 0, 0])
            self.end(f'hand.{side}', [x * SHARE['hand'] * H, 0, 0])
        for side, x in (('left', 1), ('right', -1)):
            self.add(f'thigh.{side}', 'hips', [x * hip_half, -.02 * H, 0])
            self.add(f'shin.{side}', f'thigh.{side}', [0, -SHARE['thigh'] * H * legs, 0])
            self.add(f'foot.{side}', f'shin.{side}', [0, -SHARE['shin'] * H * legs, 0])
            ball = [0, -self.ankle + .012 * H, .72 * SHARE['foot'] * H - .25 * SHARE['foot'] * H]
            if toes:
                self.add(f'toe.{side}', f'foot.{side}', ball)
                self.end(f'toe.{side}', [0, -.006 * H, .28 * SHARE['foot'] * H])
            else:
                self.end(f'foot.{side}', [0, -self.ankle + .008 * H, .75 * SHARE['foot'] * H])

    def add(self, role, parent, offset):
        self.parents.append(-1 if parent is None else self.roles.index(parent))
        self.roles.append(role)
        self.offsets.append(np.array(offset, float))

    def end(self, role, offset):
        self.ends.append((self.roles.index(role), np.array(offset, float)))

    def length(self, role):
        return float(np.linalg.norm(self.offsets[self.roles.index(role)]))

    def pose(self, turns):
        """World rotations and positions for local turns {role: matrix} about the stance."""
        R, p = [], []
        for j, role in enumerate(self.roles):
            local = turns.get(role, np.eye(3))
            if self.parents[j] < 0:
                R.append(local)
                p.append(self.offsets[j].copy())
            else:
                a = self.parents[j]
                R.append(R[a] @ local)
                p.append(p[a] + R[a] @ self.offsets[j])
        return R, p


def bvh_hierarchy(body, names, offsets, ends, order='ZXY'):
    """Text of the HIERARCHY part and the depth-first order of joints."""
    children = [[k for k, a in enumerate(body.parents) if a == j] for j in range(len(names))]
    lines, sequence = ['HIERARCHY'], []

    def number(v):
        return f'{v:.6f}'.rstrip('0').rstrip('.') if abs(v) > 5e-7 else '0'

    def visit(j, depth):
        tab = '  ' * depth
        sequence.append(j)
        lines.append(f'{tab}{"ROOT" if depth == 0 else "JOINT"} {names[j]}')
        lines.append(tab + '{')
        lines.append(f'{tab}  OFFSET ' + ' '.join(map(number, offsets[j])))
        rotations = ' '.join(f'{a}rotation' for a in order)
        lines.append(f'{tab}  CHANNELS ' + (f'6 Xposition Yposition Zposition {rotations}' if depth == 0 else f'3 {rotations}'))
        for k in children[j]:
            visit(k, depth + 1)
        for k, offset in ends:
            if k == j:
                lines.extend([f'{tab}  End Site', tab + '  {', f'{tab}    OFFSET ' + ' '.join(map(number, offset)), tab + '  }'])
        lines.append(tab + '}')

    visit(0, 0)
    return '\n'.join(lines) + '\n', sequence


def write_rig_bvh(path, body, names, turns, unit_m, axes, order='ZXY'):
    """A rig in a rest pose of its own: the offsets hold the pose. `axes`: file axes of the world's X, Y, Z."""
    R, p = body.pose(turns)
    to_file = np.array(axes, float).T / unit_m
    offsets = [to_file @ (p[j] if a < 0 else p[j] - p[a]) for j, a in enumerate(body.parents)]
    ends = [(j, to_file @ (R[j] @ offset)) for j, offset in body.ends]
    text, sequence = bvh_hierarchy(body, names, offsets, ends, order)
    zeros = ' '.join(['0'] * (3 + 3 * len(sequence)))
    root = ' '.join(f'{v:.6f}' for v in offsets[0])
    frame = root + zeros[5:]
    with open(path, 'w') as f:
        f.write(text + f'MOTION\nFrames: 1\nFrame Time: 0.0333333\n{frame}\n')


def quaternion(m):
    """x y z w of a rotation matrix."""
    w = math.sqrt(max(0, 1 + m[0, 0] + m[1, 1] + m[2, 2])) / 2
    x = math.copysign(math.sqrt(max(0, 1 + m[0, 0] - m[1, 1] - m[2, 2])) / 2, m[2, 1] - m[1, 2])
    y = math.copysign(math.sqrt(max(0, 1 - m[0, 0] + m[1, 1] - m[2, 2])) / 2, m[0, 2] - m[2, 0])
    z = math.copysign(math.sqrt(max(0, 1 - m[0, 0] - m[1, 1] + m[2, 2])) / 2, m[1, 0] - m[0, 1])
    return [round(v, 9) for v in (x, y, z, w)]


def write_rig_glb(path, body, names, turns):
    """A rig whose joints point along their bones: local axes unlike the world's at rest."""
    R, p = body.pose(turns)
    frames = []
    for j in range(len(names)):
        child = next((k for k, a in enumerate(body.parents) if a == j and body.roles[k].split('.')[0] not in ('clavicle',)), None)
        end = p[child] - p[j] if child is not None else next((R[j] @ o for k, o in body.ends if k == j), np.array([0, 1., 0]))
        y = end / np.linalg.norm(end)
        helper = np.array([0, 0, 1.]) if abs(y[2]) < .9 else np.array([1., 0, 0])
        x = np.cross(y, helper)
        x /= np.linalg.norm(x)
        frames.append(np.column_stack([x, y, np.cross(x, y)]))
    nodes = []
    for j, a in enumerate(body.parents):
        local = frames[j] if a < 0 else frames[a].T @ frames[j]
        move = p[j] if a < 0 else frames[a].T @ (p[j] - p[a])
        node = dict(name=names[j], rotation=quaternion(local), translation=[round(v, 6) for v in move])
        children = [k for k, b in enumerate(body.parents) if b == j]
        for k, offset in body.ends:
            if k == j:
                children.append(len(names) + len([1 for n in nodes for _ in n.get('extra', [])]))
                node['extra'] = [offset]
        node['children'] = children
        nodes.append(node)
    # End joints as leaf nodes, behind all joints.
    joint_count = len(nodes)
    index = joint_count
    for j in range(joint_count):
        extra = nodes[j].pop('extra', None)
        nodes[j]['children'] = [c for c in nodes[j]['children'] if c < joint_count]
        if extra is not None:
            nodes[j]['children'].append(index)
            nodes.append(dict(name=names[j] + '.end', translation=[round(v, 6) for v in frames[j].T @ (R[j] @ extra[0])]))
            index += 1
        if not nodes[j]['children']:
            del nodes[j]['children']
    document = dict(asset=dict(version='2.0', generator='demo-library/scripts'), scene=0, scenes=[dict(nodes=[0])], nodes=nodes,
                    skins=[dict(name='skeleton', joints=list(range(len(nodes))))])
    text = json.dumps(document, separators=(',', ':')).encode()
    text += b' ' * (-len(text) % 4)
    with open(path, 'wb') as f:
        f.write(struct.pack('<4sII', b'glTF', 2, 20 + len(text)) + struct.pack('<I4s', len(text), b'JSON') + text)


def fixed_uuid(name):
    return str(uuid.uuid5(uuid.NAMESPACE_URL, 'nimble-bone-demo/' + name))
