#!/usr/bin/env python3
"""Makes the demo library: the performer, the crew of the harbour, and the quay walk.

Usage: make_demo.py [LIBRARY]   (the folder above this one when left out)
"""
import json
import math
import os
import sys

import numpy as np

import walk
from bodies import Body, bvh_hierarchy, fixed_uuid, rot, write_rig_bvh, write_rig_glb

SIDES = {'left': 'L', 'right': 'R'}


def named(body, table, left, right):
    """Names by a table of role parts; {n} is the number, {s} the side mark, {k} the spine's count."""
    names = []
    for role in body.roles:
        part, _, rest = role.partition('.')
        side = left if role.endswith('left') else right if role.endswith('right') else ''
        names.append(table[part].format(n=rest.split('.')[0] if rest[:1].isdigit() else '', s=side))
    return names


def performer():
    return Body(1.75, 3, neck_count=1)


PERFORMER_NAMES = dict(hips='pelvis', spine='spine_{n}', chest='chest', neck='neck', head='head', clavicle='clav_{s}', upperarm='upperarm_{s}',
                       forearm='forearm_{s}', hand='hand_{s}', thigh='thigh_{s}', shin='shin_{s}', foot='foot_{s}', toe='toe_{s}')


def euler_zxy(m):
    """Degrees of R = Rz Rx Ry."""
    x = math.asin(np.clip(m[2, 1], -1, 1))
    return [math.degrees(math.atan2(-m[0, 1], m[1, 1])), math.degrees(x), math.degrees(math.atan2(-m[2, 0], m[2, 2]))]


class QuayPath:
    """Straight along the quay, then a bend to the left; s in metres -> x, z, heading."""
    length = 7.2

    def __init__(self):
        self.xz, heading = [np.array([0., 0.])], 0.
        self.headings = [0.]
        for i in range(1, 721):
            s = i * .01
            heading = math.radians(75) * float(walk.ease((s - 2.6) / 3.4))
            self.headings.append(heading)
            self.xz.append(self.xz[-1] + .01 * np.array([math.sin(heading), math.cos(heading)]))

    def __call__(self, s):
        i = min(int(round(s * 100)), 720)
        return (*self.xz[i], self.headings[i])


def write_json(path, document):
    with open(path, 'w') as f:
        f.write(json.dumps(document, indent=2, ensure_ascii=False) + '\n')


def main(library):
    characters = {}
    for name in ('performer', 'dockhand', 'ferrier', 'lamp-child'):
        os.makedirs(os.path.join(library, 'characters', name), exist_ok=True)
    os.makedirs(os.path.join(library, 'takes'), exist_ok=True)
    os.makedirs(os.path.join(library, 'pairings'), exist_ok=True)
    rig = lambda name, ending='bvh': os.path.join(library, 'characters', name, 'rig.' + ending)

    centimetre = [[1, 0, 0], [0, 1, 0], [0, 0, 1]]
    body = performer()
    names = named(body, PERFORMER_NAMES, 'L', 'R')
    write_rig_bvh(rig('performer'), body, names, {}, .01, centimetre)

    # Stocky, long arms, an A-pose with feet apart; centimetres, Z up, facing -Y.
    dockhand = Body(1.66, 2, legs=.93, arms=1.16, shoulders=1.3, hips=1.25)
    pose = {f'upperarm.{s}': rot(2, -x * 45) for s, x in (('left', 1), ('right', -1))}
    pose |= {f'forearm.{s}': rot(1, -x * 14) for s, x in (('left', 1), ('right', -1))}
    pose |= {f'thigh.{s}': rot(2, x * 9) for s, x in (('left', 1), ('right', -1))}
    pose |= {f'foot.{s}': rot(2, -x * 9) @ rot(1, x * 12) for s, x in (('left', 1), ('right', -1))}
    table = dict(hips='Pelvis_jnt', spine='Spine{n}_jnt', chest='Chest_jnt', neck='Neck_jnt', head='Head_jnt', clavicle='{s}_Collar_jnt',
                 upperarm='{s}_UpArm_jnt', forearm='{s}_LowArm_jnt', hand='{s}_Wrist_jnt', thigh='{s}_UpLeg_jnt', shin='{s}_LowLeg_jnt',
                 foot='{s}_Ankle_jnt', toe='{s}_Ball_jnt')
    write_rig_bvh(rig('dockhand'), dockhand, named(dockhand, table, 'L', 'R'), pose, .01, [[1, 0, 0], [0, 0, 1], [0, -1, 0]], 'XYZ')

    # Very tall, long legs, T-pose; metres, joints turned along their bones, five spine bones.
    ferrier = Body(2.06, 5, legs=1.08, shoulders=.95, neck_count=2, head=.9)
    table = dict(hips='hips', spine='back.{n}', chest='thorax', neck='neck.{n}', head='skull', clavicle='collarbone.{s}', upperarm='humerus.{s}',
                 forearm='radius.{s}', hand='hand.{s}', thigh='femur.{s}', shin='tibia.{s}', foot='foot.{s}', toe='toes.{s}')
    write_rig_glb(rig('ferrier', 'glb'), ferrier, named(ferrier, table, 'l', 'r'), {})

    # The lamp-lighter's child: short legs, big head, arms hanging, no toes, one spine bone; inches, facing +X.
    child = Body(1.12, 1, toes=False, legs=.86, arms=.92, hips=1.05, head=1.75)
    pose = {f'upperarm.{s}': rot(2, -x * 68) for s, x in (('left', 1), ('right', -1))}
    pose |= {f'forearm.{s}': rot(1, -x * 22) for s, x in (('left', 1), ('right', -1))}
    table = dict(hips='lamp:Hips', spine='lamp:Spine{n}', chest='lamp:Torso', neck='lamp:Neck', head='lamp:Head', clavicle='lamp:{s}Shoulder',
                 upperarm='lamp:{s}Arm', forearm='lamp:{s}Elbow', hand='lamp:{s}Hand', thigh='lamp:{s}Hip', shin='lamp:{s}Knee', foot='lamp:{s}Ankle')
    write_rig_bvh(rig('lamp-child'), child, named(child, table, 'Left', 'Right'), pose, .0254, [[0, 0, -1], [0, 1, 0], [1, 0, 0]], 'YXZ')

    frames, labels = walk.simulate(body, QuayPath())
    text, sequence = bvh_hierarchy(body, names, [o / .01 for o in body.offsets], [(j, o / .01) for j, o in body.ends])
    rows = []
    for turns, hips in frames:
        row = [f'{v * 100:.4f}' for v in hips]
        for j in sequence:
            row += [f'{v:.4f}' for v in euler_zxy(turns.get(body.roles[j], np.eye(3)))]
        rows.append(' '.join(row))
    with open(os.path.join(library, 'takes', 'quay-walk.bvh'), 'w') as f:
        f.write(text + f'MOTION\nFrames: {len(rows)}\nFrame Time: 0.0166667\n' + '\n'.join(rows) + '\n')
    write_json(os.path.join(library, 'takes', 'quay-walk.take.json'),
               {'format': 'nimble-bone/take', 'version': 1, 'id': fixed_uuid('quay-walk'), 'file': 'quay-walk.bvh',
                'character': {'id': fixed_uuid('performer'), 'path': '../characters/performer/character.json'},
                'frame_time_s': '0.0166667', 'frames': len(rows), 'first_motion_frame': 0, 'trim': {'first': 0, 'last': len(rows)},
                'contacts': [], 'props': [], 'notes': 'Simulated: seven metres along the quay with a bend to the left.'})
    spans = []
    for side, rows in labels.items():
        for frame, kind in rows:
            if spans and spans[-1]['foot'] == side and spans[-1]['point'] == kind and spans[-1]['last'] == frame:
                spans[-1]['last'] = frame + 1
            else:
                spans.append({'foot': side, 'point': kind, 'first': frame, 'last': frame + 1})
    write_json(os.path.join(library, 'takes', 'quay-walk.labels.json'), spans)
    write_json(os.path.join(library, 'library.json'),
               {'format': 'nimble-bone/library', 'version': 1, 'id': fixed_uuid('library'), 'name': 'Tidal harbour'})


if __name__ == '__main__':
    main(sys.argv[1] if len(sys.argv) > 1 else os.path.join(os.path.dirname(os.path.abspath(__file__)), '..'))
