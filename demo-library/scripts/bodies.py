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

    def __init__(self, stature, spine_count, toes=True, legs=1.0, arms=1.0, shoulders=1.0, hips=1.0, head=1.0, neck_count=1, fingers=0, twists=0, face=False, prop=None):
        H = self.stature = stature
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
            if fingers:
                self.hand(side, x, H, fingers)
            else:
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

        for side, x in (('left', 1), ('right', -1)):
            # Roll bones part the way from elbow to wrist, and from shoulder to elbow.
            for k in range(twists):
                share = (k + 1) / (twists + 1)
                self.add(f'twist.forearm{k + 1}.{side}', f'forearm.{side}', [x * share * SHARE['forearm'] * H * arms, 0, 0])
                self.add(f'twist.upperarm{k + 1}.{side}', f'upperarm.{side}', [x * share * SHARE['upperarm'] * H * arms, 0, 0])
            if face:
                self.add(f'eye.{side}', 'head', [x * .0165 * H * head, .066 * H * head, .055 * H * head])
        if face:
            self.add('jaw', 'head', [0, .03 * H * head, .012 * H * head])
        if prop:
            self.add('prop', prop, [-.02 * H, -.01 * H, 0])

    def hand(self, side, x, H, count):
        """Fingers of three bones: thumb and two (3) or four (5)."""
        palm = .026 * H
        rows = {5: dict(index=(.0165, .056), middle=(.0055, .060), ring=(-.0055, .057), little=(-.0160, .047)), 3: dict(index=(.012, .056), middle=(-.008, .056))}[count]
        for name, (z, length) in rows.items():
            parent = f'hand.{side}'
            steps = [(palm + .018 * H, 0, z * H), ((length - .018) * .42 * H, 0, 0), ((length - .018) * .33 * H, 0, 0)]
            for i, offset in enumerate(steps):
                role = f'{name}.{i + 1}.{side}'
                self.add(role, parent, [x * offset[0], offset[1], offset[2]])
                parent = role
            self.end(parent, [x * (length - .018) * .25 * H, 0, 0])
        parent = f'hand.{side}'
        c, s = math.cos(math.radians(40)), math.sin(math.radians(40))
        for i, (along, first) in enumerate([(.014, True), (.020, False), (.014, False)]):
            role = f'thumb.{i + 1}.{side}'
            offset = [x * .010 * H, -.002 * H, .012 * H] if first else [x * along * c * H, 0, along * s * H]
            self.add(role, parent, offset)
            parent = role
        self.end(parent, [x * .013 * c * H, 0, .013 * s * H])

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


def write_skinned_glb(path, body, names, turns, skin, unit_m=1., axes=None, along_bones=False, wrapper=None):
    """A skinned rig. `skin`: points, faces, normals, colours, joints, weights in the common stance; it is posed with the
    body and bound there. `axes`: columns are the file's axes of the world's X, Y, Z; `wrapper` names a node above the
    skeleton that brings unit and axes back to glTF's."""
    points, faces, normals, colours, joints, weights = skin
    R, p = body.pose(turns)
    R0, p0 = body.pose({})
    # Linear blend into the rest that the file stands in.
    move = [R[j] @ R0[j].T for j in range(len(names))]
    shift = [p[j] - move[j] @ p0[j] for j in range(len(names))]
    M, T = np.array(move), np.array(shift)
    posed = sum(weights[:, [k]] * (np.einsum('vij,vj->vi', M[joints[:, k]], points) + T[joints[:, k]]) for k in range(4))
    turned = sum(weights[:, [k]] * np.einsum('vij,vj->vi', M[joints[:, k]], normals) for k in range(4))
    turned /= np.linalg.norm(turned, axis=1, keepdims=True)
    to_file = (np.eye(3) if axes is None else np.array(axes, float).T) / unit_m
    turn = to_file * unit_m
    frames, places = [], []
    for j in range(len(names)):
        frame = np.eye(3)
        if along_bones:
            child = next((k for k, a in enumerate(body.parents) if a == j and body.roles[k].split('.')[0] not in ('clavicle', 'twist', 'thumb', 'eye')), None)
            end = p[child] - p[j] if child is not None else next((R[j] @ o for k, o in body.ends if k == j), np.array([0, 1., 0]))
            y = end / max(1e-9, np.linalg.norm(end))
            helper = np.array([0, 0, 1.]) if abs(y[2]) < .9 else np.array([1., 0, 0])
            x = np.cross(y, helper)
            x /= np.linalg.norm(x)
            frame = np.column_stack([x, y, np.cross(x, y)])
        frames.append(turn @ frame if along_bones else frame)
        places.append(to_file @ p[j])
    nodes = []
    for j, a in enumerate(body.parents):
        local = frames[j] if a < 0 else frames[a].T @ frames[j]
        step = places[j] if a < 0 else frames[a].T @ (places[j] - places[a])
        node = dict(name=names[j], translation=[round(float(v), 6) for v in step])
        if not np.allclose(local, np.eye(3)):
            node['rotation'] = quaternion(local)
        children = [k for k, b in enumerate(body.parents) if b == j]
        if children:
            node['children'] = children
        nodes.append(node)
    joint_count = len(nodes)
    for j, offset in body.ends:
        nodes[j].setdefault('children', []).append(len(nodes))
        nodes.append(dict(name=names[j] + '_end', translation=[round(float(v), 6) for v in frames[j].T @ (to_file @ (R[j] @ offset))]))
    roots = [0]
    if wrapper:
        node = dict(name=wrapper, children=[0], scale=[unit_m] * 3)
        if not np.allclose(turn, np.eye(3)):
            node['rotation'] = quaternion(turn.T)
        nodes.append(node)
        roots = [len(nodes) - 1]
    skeleton_root = roots[0]
    nodes.append(dict(name=names[0] + '_skin', mesh=0, skin=0))
    binary, views, accessors = b'', [], []

    def put(array, kind, component, target=None, normalized=False, bounds=False):
        nonlocal binary
        binary += b'\0' * (-len(binary) % 4)
        view = dict(buffer=0, byteOffset=len(binary), byteLength=array.nbytes)
        if target:
            view['target'] = target
        views.append(view)
        binary += array.tobytes()
        accessor = dict(bufferView=len(views) - 1, componentType=component, count=len(array), type=kind)
        if normalized:
            accessor['normalized'] = True
        if bounds:
            accessor['min'], accessor['max'] = [float(v) for v in array.min(0)], [float(v) for v in array.max(0)]
        accessors.append(accessor)
        return len(accessors) - 1

    binds = []
    for j in range(joint_count):
        m = np.eye(4)
        m[:3, :3] = frames[j].T
        m[:3, 3] = -frames[j].T @ places[j]
        binds.append(m.T.ravel())
    flat = lambda array, kind: np.ascontiguousarray(array, dtype=kind)
    rgba = np.concatenate([colours, np.ones((len(colours), 1))], 1)
    w = flat(weights, '<f4')
    w /= w.sum(1, keepdims=True)
    j4 = np.where(weights > 0, joints, 0)
    attributes = dict(POSITION=put(flat(posed @ to_file.T, '<f4'), 'VEC3', 5126, 34962, bounds=True),
                      NORMAL=put(flat(turned @ turn.T, '<f4'), 'VEC3', 5126, 34962),
                      COLOR_0=put(flat(np.round(rgba * 65535), '<u2'), 'VEC4', 5123, 34962, True),
                      JOINTS_0=put(flat(j4, 'u1'), 'VEC4', 5121, 34962), WEIGHTS_0=put(w, 'VEC4', 5126, 34962))
    indices = put(flat(faces.ravel(), '<u2'), 'SCALAR', 5123, 34963)
    document = dict(asset=dict(version='2.0', generator='demo-library/scripts'), scene=0, scenes=[dict(nodes=roots + [len(nodes) - 1])], nodes=nodes,
                    meshes=[dict(name='body', primitives=[dict(attributes=attributes, indices=indices, material=0)])],
                    materials=[dict(name='painted', pbrMetallicRoughness=dict(metallicFactor=0, roughnessFactor=.9))],
                    skins=[dict(name='skeleton', joints=list(range(joint_count)), inverseBindMatrices=put(flat(binds, '<f4'), 'MAT4', 5126), skeleton=skeleton_root)],
                    accessors=accessors, bufferViews=views, buffers=[dict(byteLength=len(binary))])
    document['buffers'][0]['byteLength'] = len(binary)
    text = json.dumps(document, separators=(',', ':')).encode()
    text += b' ' * (-len(text) % 4)
    binary += b'\0' * (-len(binary) % 4)
    with open(path, 'wb') as f:
        f.write(struct.pack('<4sII', b'glTF', 2, 28 + len(text) + len(binary)) + struct.pack('<I4s', len(text), b'JSON') + text
                + struct.pack('<I4s', len(binary), b'BIN\0') + binary)
