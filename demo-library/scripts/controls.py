"""Control rigs of the crew for their animators: plain nodes with shapes, made from where the body stands in its T.

Usage: controls.py LIBRARY NBONE CHARACTER...   writes characters/<name>/controls.glb and controls.json. The body's joints
are read from a table that nbone writes (--stance-first), so that controls stand where the aligned rest has them.
"""
import csv
import json
import os
import struct
import subprocess
import sys
import tempfile

from bodies import fixed_uuid

SIDES = ('left', 'right')


def stance(library, nbone, character):
    """Places of the roles in the aligned rest, metres."""
    folder = os.path.join(library, 'characters', character)
    with tempfile.TemporaryDirectory() as there:
        table = os.path.join(there, 'stance.csv')
        subprocess.run([nbone, 'transfer', '--take', os.path.join(library, 'takes', 'quay-walk.take.json'), '--target', os.path.join(folder, 'rig.glb'),
                        '--target-character', os.path.join(folder, 'character.json'), '--frames', '0:2', '--stance-first', '--at-origin', '--out', table],
                       check=True, stdout=subprocess.DEVNULL)
        with open(table, newline='') as f:
            places = {row['joint']: [float(row[k]) for k in ('x_m', 'y_m', 'z_m')] for row in csv.DictReader(f) if row['frame'] == '0'}
    with open(os.path.join(folder, 'character.json')) as f:
        roles = json.load(f)['roles']
    bone = lambda entry: entry if isinstance(entry, str) else entry['bone']
    return {role: places[bone(entry)] for role, entry in roles.items() if bone(entry) in places}


def add(a, b):
    return [x + y for x, y in zip(a, b)]


def controls_of(at):
    """Name, the control above, place, goal, whether it takes place and turn, size of its shape."""
    tall = at['head'][1]
    ctl = [('harbour', None, [0, 0, 0], '', False, False, .25), ('pelvis_ctl', 'harbour', at['hips'], 'hips', True, True, .14),
           ('torso_ctl', 'pelvis_ctl', at['chest'], 'chest', False, True, .12), ('head_ctl', 'torso_ctl', at['head'], 'head', False, True, .1),
           ('look_ctl', 'harbour', add(at['head'], [0, 0, .45 * tall]), 'look', True, False, .05)]
    for side in SIDES:
        p = lambda part: at[f'{part}.{side}']
        s = side[0].upper()
        ctl += [(f'hand_{s}_ctl', 'harbour', p('hand'), f'wrist.{side}', True, True, .06), (f'foot_{s}_ctl', 'harbour', p('foot'), f'ankle.{side}', True, True, .08),
                (f'elbow_{s}_ctl', 'harbour', add(p('forearm'), [0, 0, -.3]), f'elbow.{side}', True, False, .03),
                (f'knee_{s}_ctl', 'harbour', add(p('shin'), [0, 0, .4]), f'knee.{side}', True, False, .03),
                (f'collar_{s}_ctl', 'torso_ctl', p('clavicle'), f'clavicle.{side}', False, True, .04)]
        if f'toe.{side}' in at:
            ctl.append((f'toe_{s}_ctl', f'foot_{s}_ctl', p('toe'), f'toe.{side}', False, True, .04))
        for part, above in (('upperarm', f'collar_{s}_ctl'), ('forearm', f'upperarm_{s}_turn'), ('thigh', 'pelvis_ctl'), ('shin', f'thigh_{s}_turn')):
            ctl.append((f'{part}_{s}_turn', above, p(part), f'{part}.{side}', False, True, .045))
        # Up by 10 cm: the limb goes by goal and pole; down: by its angles.
        ctl += [(f'arm_{s}_share', f'collar_{s}_ctl', add(p('clavicle'), [0, .12, 0]), '', False, False, .02),
                (f'leg_{s}_share', 'pelvis_ctl', add(p('thigh'), [.12 if s == 'L' else -.12, 0, 0]), '', False, False, .02)]
    return ctl


def write_glb(path, ctl):
    """One diamond for all shapes; each below its node, scaled."""
    corners = [(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1)]
    faces = [(0, 2, 4), (4, 2, 1), (1, 2, 5), (5, 2, 0), (4, 3, 0), (1, 3, 4), (5, 3, 1), (0, 3, 5)]
    data = b''.join(struct.pack('<3f', *c) for c in corners) + b''.join(struct.pack('<3H', *f) for f in faces)
    number = {name: 2 * i for i, (name, *_) in enumerate(ctl)}
    place = {name: at for name, _, at, *_ in ctl}
    nodes = []
    for name, above, at, _, _, _, size in ctl:
        local = at if above is None else [x - y for x, y in zip(at, place[above])]
        children = [number[name] + 1] + [number[other] for other, its, *_ in ctl if its == name]
        nodes.append({'name': name, 'translation': [round(x, 6) for x in local], 'children': children})
        nodes.append({'name': f'{name}.shape', 'mesh': 0, 'scale': [size, .2 * size if above is None else size, size]})
    document = {'asset': {'version': '2.0', 'generator': 'controls.py'}, 'scene': 0, 'scenes': [{'nodes': [0]}], 'nodes': nodes,
                'meshes': [{'name': 'diamond', 'primitives': [{'attributes': {'POSITION': 0}, 'indices': 1, 'material': 0}]}],
                'materials': [{'name': 'bone', 'pbrMetallicRoughness': {'baseColorFactor': [.9, .87, .78, 1], 'metallicFactor': 0}}],
                'accessors': [{'bufferView': 0, 'componentType': 5126, 'count': 6, 'type': 'VEC3', 'min': [-1, -1, -1], 'max': [1, 1, 1]},
                              {'bufferView': 1, 'componentType': 5123, 'count': 24, 'type': 'SCALAR'}],
                'bufferViews': [{'buffer': 0, 'byteOffset': 0, 'byteLength': 72}, {'buffer': 0, 'byteOffset': 72, 'byteLength': 48}],
                'buffers': [{'byteLength': len(data)}]}
    text = json.dumps(document).encode()
    text += b' ' * (-len(text) % 4)
    with open(path, 'wb') as f:
        f.write(struct.pack('<4sII', b'glTF', 2, 28 + len(text) + len(data)) + struct.pack('<I4s', len(text), b'JSON') + text
                + struct.pack('<I4s', len(data), b'BIN\0') + data)


def main(library, nbone, characters):
    for character in characters:
        ctl = controls_of(stance(library, nbone, character))
        folder = os.path.join(library, 'characters', character)
        write_glb(os.path.join(folder, 'controls.glb'), ctl)
        limbs = {f'{limb}.{side}': {'keyed': 'both', 'share': 1.0, 'share_node': f'{limb}_{side[0].upper()}_share', 'way_cm': 10.0}
                 for limb in ('arm', 'leg') for side in SIDES}
        with open(os.path.join(folder, 'controls.json'), 'w') as f:
            f.write(json.dumps({'format': 'nimble-bone/controls', 'version': 1, 'id': fixed_uuid('controls ' + character), 'rig': 'controls.glb',
                                'controls': [{'node': name, 'goal': goal, 'place': place, 'turn': turn} for name, _, _, goal, place, turn, _ in ctl if goal],
                                'limbs': dict(sorted(limbs.items()))}, indent=2) + '\n')


if __name__ == '__main__':
    main(sys.argv[1], sys.argv[2], sys.argv[3:])
