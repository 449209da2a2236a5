#!/usr/bin/env python3
"""Makes the demo library: the performer, the crew of the harbour, what they do on the quay, and what stands there.

Usage: make_demo.py [LIBRARY]   (the folder above this one when left out)
"""
import json
import math
import os
import sys

import numpy as np

import dog as dogs
import perform
import pieces
import scores
import skins
import sound
import together
import touching
import walk
from bodies import Body, bvh_hierarchy, fixed_uuid, rot, write_skinned_glb

SIDES = {'left': 'L', 'right': 'R'}


def named(body, table, left, right):
    """Names by a table of role parts; {n} is the number, {s} the side mark, {k} the spine's count."""
    names = []
    for role in body.roles:
        part, _, rest = role.partition('.')
        side = left if role.endswith('left') else right if role.endswith('right') else ''
        first = rest.split('.')[0]
        names.append(table[part].format(n=first if first[:1].isdigit() else '', s=side, p=first))
    return names


def performer():
    return Body(1.75, 3, neck_count=1)


# Colours as painted. Amber and teal are left to the program, where they mean source and target.
STYLES = dict(
    performer=dict(stature=1.75, marks=True, boot=.10, colours=dict(skin=0xc69a7d, hair=0x3b2a24, eyes=0x20242c, lips=0xa8695c, coat=0x4a5268, sleeve=0x4a5268, trousers=0x3f465a, boots=0x2c303c, soles=0xd9d4c8, marks=0xf1ead9, gloves=0x3a4052)),
    dockhand=dict(stature=1.66, girth=1.22, belly=.012, hat='cap', beard=True, belt=True, fingers=3, boot=.42,
                  colours=dict(skin=0xb98264, hair=0x5a3420, eyes=0x20242c, lips=0x96594c, coat=0x8c3f3a, sleeve=0xb98264, cuff=0x74322f, trousers=0x4b4a55, boots=0x3a2c25, soles=0x221a17, hat=0x39404f, belt=0x2a211d, buckle=0xc9c2b0)),
    ferrier=dict(stature=2.06, girth=.88, hat='brim', scarf=True, fingers=5, skirt=.72, boot=.55,
                 colours=dict(skin=0x8e6450, hair=0xb9b4ac, eyes=0x1c2028, lips=0x7a4b43, coat=0x2f3d5c, cuff=0xd8d0be, trousers=0x55504c, boots=0x27231f, soles=0x171412, hat=0x23293a, scarf=0xb4483f)),
    child=dict(stature=1.12, girth=1.12, head=1.62, hat='bonnet', scarf=True, satchel=True, boot=.30,
               colours=dict(skin=0xe0b295, hair=0x8a4a2c, eyes=0x243040, lips=0xc27a6c, coat=0x6a4a78, cuff=0xe6dcc6, trousers=0x8a7f6e, boots=0x5a3d2c, soles=0x2c1f18, hat=0xa8505c, scarf=0xe6dcc6, belt=0x6b4a33)))


STYLES['mender'] = dict(stature=1.58, girth=1.12, hat='bonnet', skirt=.92, fingers=5, boot=.22,
                        colours=dict(skin=0xd2a68a, hair=0xd8d2c8, eyes=0x2a2c30, lips=0xa8736a, coat=0x50604e, sleeve=0xc9bfa6, trousers=0x4a4640, boots=0x3a302a, soles=0x1f1a16, hat=0xcfc6b2, scarf=0x8a5a44))


def bare(body):
    """Names that tell nothing: b_012."""
    return [f'b_{(7 * j + 3) % len(body.roles):03d}' for j in range(len(body.roles))] if math.gcd(7, len(body.roles)) == 1 else [f'b_{j:03d}' for j in range(len(body.roles))]


def clothed(body, style, **options):
    return skins.skin(skins.person(body, STYLES[style]), len(body.roles), **options)


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


number = lambda v: f'{v:.4f}'.rstrip('0').rstrip('.').replace('-0', '0') if abs(v) < 5e-5 else f'{v:.4f}'


def hierarchy_of(body, names):
    return bvh_hierarchy(body, names, [o / .01 for o in body.offsets], [(j, o / .01) for j, o in body.ends])


def root_of_prop(prop):
    return f'ROOT {prop}\n{{\n  OFFSET 0 0 0\n  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n  End Site\n  {{\n    OFFSET 0 10 0\n  }}\n}}\n'


def spans_of(labels, **more):
    """Spans of frames in which the same stands or holds."""
    spans = []
    for point in sorted({label[0] for label in labels}):
        for frame, what in sorted(((i, what) for p, i, what in labels if p == point), key=lambda label: label[0]):
            told = {**more, 'limb': point, **(what if isinstance(what, dict) else {'point': what})}
            if spans and spans[-1]['last'] == frame and told == {k: v for k, v in spans[-1].items() if k not in ('first', 'last')}:
                spans[-1]['last'] = frame + 1
            else:
                spans.append({**told, 'first': frame, 'last': frame + 1})
    return spans


def write_labels(path, spans):
    with open(path, 'w') as f:
        f.write('[\n' + ',\n'.join('  ' + json.dumps(span) for span in spans) + '\n]\n')


def scene(library, name, on, casts, fps, pieces_there, cast_as, notes):
    """Bodies captured together: one .bvh with a tree for each, its document, labels, and the scene that casts them."""
    folder = os.path.join(library, 'scenes')
    os.makedirs(folder, exist_ok=True)
    character, body, names = on
    props = sorted(casts[0][1][0][2])
    text, trees = '', []
    for cast, _, _ in casts:
        tree, sequence = hierarchy_of(body, [f'{cast}:{bone}' for bone in names])
        text += tree if not text else tree.replace('HIERARCHY\n', '')
        trees.append(sequence)
    text += ''.join(map(root_of_prop, props))
    rows = []
    for i in range(len(casts[0][1])):
        row = []
        for (_, frames, _), sequence in zip(casts, trees):
            turns, hips, held = frames[i]
            row += [number(v * 100) for v in hips]
            for j in sequence:
                row += [number(v) for v in euler_zxy(turns.get(body.roles[j], np.eye(3)))]
        for prop in props:
            R, p = held[prop]
            row += [number(v * 100) for v in p] + [number(v) for v in euler_zxy(R)]
        rows.append(' '.join(row))
    time = {60: '0.0166667', 120: '0.00833333'}[fps]
    with open(os.path.join(folder, name + '.bvh'), 'w') as f:
        f.write(text + f'MOTION\nFrames: {len(rows)}\nFrame Time: {time}\n' + '\n'.join(rows) + '\n')
    write_json(os.path.join(folder, name + '.take.json'),
               {'format': 'nimble-bone/take', 'version': 1, 'id': fixed_uuid(name), 'file': name + '.bvh',
                'character': {'id': fixed_uuid(character), 'path': f'../characters/{character}/character.json'},
                'conventions': {'unit_m': .01, 'up': '+Y', 'facing': '+Z'},
                'frame_time_s': time, 'frames': len(rows), 'first_motion_frame': 0, 'trim': {'first': 0, 'last': len(rows)},
                'contacts': [], 'props': [{'joint': p, 'file': f'../set/{p}.glb'} for p in props],
                'set': [{'file': f'../set/{p}.glb', 'at_m': list(at), 'is_ground': p == 'quay'} for p, at in pieces_there], 'notes': 'Simulated: ' + notes})
    write_labels(os.path.join(folder, name + '.labels.json'), [span for cast, _, labels in casts for span in spans_of(labels, body=cast)])
    write_json(os.path.join(folder, name + '.scene.json'),
               {'format': 'nimble-bone/scene', 'version': 1, 'id': fixed_uuid('scene ' + name), 'name': name, 'distances': 'mean',
                'casts': [{'name': cast, 'take': name + '.take.json', 'body': f'{cast}:{names[0]}', 'target': target, 'start_s': 0., 'at_m': [0., 0.], 'turn_deg': 0.}
                          for (cast, _, _), target in zip(casts, cast_as)]})


class Recorder:
    """Writes takes: a .bvh (props as further roots), its document, and the labels of what stood and held."""

    def __init__(self, library, skin):
        self.folder, self.skin = os.path.join(library, 'takes'), skin

    def person(self, name, score_and_set, notes, fps, on, noise_deg=0., t_pose=False):
        score, pieces_there = score_and_set
        frames, labels, missed = perform.perform(on[1], score, fps, skin=self.skin)
        if missed > .004:
            print(f'{name}: a hand misses its place by {100 * missed:.1f} cm')
        if t_pose:
            level = {f'upperarm.{s}': rot(2, 0) for s in SIDES}
            there = perform.Situation(on[1], level, np.array([0, on[1].offsets[0][1], 0]), 0.)
            props = {prop: place(0., there) for prop, place in score.props}
            frames = [(level, np.array([0, on[1].offsets[0][1], 0]), props)] + frames
            labels = [(p, i + 1, what) for p, i, what in labels]
        self.write(name, on, frames, labels, fps, notes, pieces_there, noise_deg, 1 if t_pose else 0)

    def write(self, name, on, frames, labels, fps, notes, pieces_there=(), noise_deg=0., first=0):
        character, body, names = on
        text, sequence = hierarchy_of(body, names)
        props = sorted(frames[0][2]) if len(frames[0]) > 2 else []
        text += ''.join(map(root_of_prop, props))
        # What a capture adds of its own: slow wander of the solved angles, apart from the motion.
        rng = np.random.default_rng(len(name))
        wander = walk.smooth(rng.normal(size=(len(frames), 3 * len(sequence))), 1.5) * noise_deg * 2 if noise_deg else None
        rows = []
        for i, (turns, hips, *rest) in enumerate(frames):
            row = [number(v * 100) for v in hips]
            for k, j in enumerate(sequence):
                angles = euler_zxy(turns.get(body.roles[j], np.eye(3)))
                if noise_deg and i >= first:
                    angles = angles + wander[i, 3 * k:3 * k + 3]
                row += [number(v) for v in angles]
            for prop in props:
                R, p = rest[0][prop]
                row += [number(v * 100) for v in p] + [number(v) for v in euler_zxy(R)]
            rows.append(' '.join(row))
        time = {60: '0.0166667', 120: '0.00833333'}[fps]
        with open(os.path.join(self.folder, name + '.bvh'), 'w') as f:
            f.write(text + f'MOTION\nFrames: {len(rows)}\nFrame Time: {time}\n' + '\n'.join(rows) + '\n')
        things = [{'joint': p, 'file': f'../set/{p}.glb'} for p in props]
        stage = [{'file': f'../set/{p}.glb', 'at_m': list(at), 'is_ground': p == 'quay'} for p, at in pieces_there]
        write_json(os.path.join(self.folder, name + '.take.json'),
                   {'format': 'nimble-bone/take', 'version': 1, 'id': fixed_uuid(name), 'file': name + '.bvh',
                    'character': {'id': fixed_uuid(character), 'path': f'../characters/{character}/character.json'},
                    'conventions': {'unit_m': .01, 'up': '+Y', 'facing': '+Z'},
                    'frame_time_s': time, 'frames': len(rows), 'first_motion_frame': first, 'trim': {'first': 0, 'last': len(rows)},
                    'contacts': [], 'props': things, 'set': stage, 'notes': 'Simulated: ' + notes[0].lower() + notes[1:]})
        write_labels(os.path.join(self.folder, name + '.labels.json'), spans_of(labels))


def span(first, last, ease):
    return {'from_s': first, 'to_s': last, 'arrive_s': ease, 'release_s': ease}


def touched(library, character, take, layer, touches):
    """The pairing of the performer and a body, with touch-ups of one take."""
    write_json(os.path.join(library, 'pairings', f'performer-{character}.json'),
               {'format': 'nimble-bone/pairing', 'version': 1, 'id': fixed_uuid('performer onto ' + character),
                'source': {'id': fixed_uuid('performer'), 'path': 'rig.glb'}, 'target': {'id': fixed_uuid(character), 'path': 'rig.glb'},
                'scale': 'legs', 'about': 'first place', 'passes': dict.fromkeys(('gather', 'root', 'angles', 'reach', 'contacts', 'touch', 'hold', 'clear', 'twist'), True),
                'take_touches': {fixed_uuid(take): [{'name': layer, 'touches': touches}]}})


def order(library):
    """What goes to the game's people each week: five takes on two bodies, the fewest keys, travel on a root bone."""
    pairs = [{'take': take, 'character': character} for take in ('quay-walk', 'carry-crate', 'haul-rope', 'mole-steps', 'lantern-signal')
             for character in ('ferrier', 'dockhand')]
    os.makedirs(os.path.join(library, 'orders'), exist_ok=True)
    write_json(os.path.join(library, 'orders', 'quay-week.json'),
               {'format': 'nimble-bone/order', 'version': 1, 'id': fixed_uuid('order quay-week'), 'name': 'quay week', 'pairs': pairs,
                'span': {'first': 0, 'last': 0}, 'stance_first': False, 'motion_alone': False,
                'travel': {'kind': 'on root', 'heading': True, 'height': False, 'cut_off_hz': 0., 'track_file': False},
                'reduce': {'place_mm': 0.5, 'turn_deg': 0.2}, 'controls': False, 'formats': ['.glb'], 'folder': 'handed-over',
                'pattern': '{take}_{character}_{fps}', 'version_word': '1', 'clash': 'skip'})


def main(library):
    for name in ('performer', 'dockhand', 'ferrier', 'lamp-child', 'net-mender', 'quay-dog'):
        os.makedirs(os.path.join(library, 'characters', name), exist_ok=True)
    os.makedirs(os.path.join(library, 'takes'), exist_ok=True)
    os.makedirs(os.path.join(library, 'pairings'), exist_ok=True)
    rig = lambda name: os.path.join(library, 'characters', name, 'rig.glb')

    body = performer()
    names = named(body, PERFORMER_NAMES, 'L', 'R')
    worn = clothed(body, 'performer')
    write_skinned_glb(rig('performer'), body, names, {}, worn)

    # Stocky, long arms, an A-pose with feet apart, two fingers and a thumb, a roll bone in each arm; centimetres, Z up,
    # facing -Y, under a node that brings unit and axes back.
    dockhand = Body(1.66, 2, legs=.93, arms=1.16, shoulders=1.3, hips=1.25, fingers=3, twists=1)
    pose = {f'upperarm.{s}': rot(2, -x * 45) for s, x in (('left', 1), ('right', -1))}
    pose |= {f'forearm.{s}': rot(1, -x * 14) for s, x in (('left', 1), ('right', -1))}
    pose |= {f'thigh.{s}': rot(2, x * 9) for s, x in (('left', 1), ('right', -1))}
    pose |= {f'foot.{s}': rot(2, -x * 9) @ rot(1, x * 12) for s, x in (('left', 1), ('right', -1))}
    table = dict(hips='Pelvis_jnt', spine='Spine{n}_jnt', chest='Chest_jnt', neck='Neck_jnt', head='Head_jnt', clavicle='{s}_Collar_jnt',
                 upperarm='{s}_UpArm_jnt', forearm='{s}_LowArm_jnt', hand='{s}_Wrist_jnt', thigh='{s}_UpLeg_jnt', shin='{s}_LowLeg_jnt',
                 foot='{s}_Ankle_jnt', toe='{s}_Ball_jnt', thumb='{s}_Thumb{n}_jnt', index='{s}_Index{n}_jnt', middle='{s}_Middle{n}_jnt', twist='{s}_{p}_roll_jnt')
    write_skinned_glb(rig('dockhand'), dockhand, named(dockhand, table, 'L', 'R'), pose, clothed(dockhand, 'dockhand'), .01,
                      [[1, 0, 0], [0, 0, 1], [0, -1, 0]], wrapper='Dockhand_grp')

    # Very tall, long legs, T-pose; metres, joints turned along their bones, five spine bones, all fingers, two roll bones
    # a segment, eyes and jaw, and the bone of a boat hook in the right hand.
    ferrier = Body(2.06, 5, legs=1.08, shoulders=.95, neck_count=2, head=.9, fingers=5, twists=2, face=True, prop='hand.right')
    table = dict(hips='hips', spine='back.{n}', chest='thorax', neck='neck.{n}', head='skull', clavicle='collarbone.{s}', upperarm='humerus.{s}',
                 forearm='radius.{s}', hand='hand.{s}', thigh='femur.{s}', shin='tibia.{s}', foot='foot.{s}', toe='toes.{s}',
                 thumb='thumb.{n}.{s}', index='index.{n}.{s}', middle='middle.{n}.{s}', ring='ring.{n}.{s}', little='little.{n}.{s}',
                 twist='{p}.twist.{s}', eye='eye.{s}', jaw='jaw', prop='boathook.prop')
    ferrier_names = named(ferrier, table, 'l', 'r')
    write_skinned_glb(rig('ferrier'), ferrier, ferrier_names, {}, clothed(ferrier, 'ferrier', cell=.0115, triangles=11000), along_bones=True)

    # The lamp-lighter's child: short legs, big head, arms hanging, no toes, one spine bone; inches, facing +X.
    child = Body(1.12, 1, toes=False, legs=.86, arms=.92, hips=1.05, head=1.75)
    pose = {f'upperarm.{s}': rot(2, -x * 68) for s, x in (('left', 1), ('right', -1))}
    pose |= {f'forearm.{s}': rot(1, -x * 22) for s, x in (('left', 1), ('right', -1))}
    table = dict(hips='lamp:Hips', spine='lamp:Spine{n}', chest='lamp:Torso', neck='lamp:Neck', head='lamp:Head', clavicle='lamp:{s}Shoulder',
                 upperarm='lamp:{s}Arm', forearm='lamp:{s}Elbow', hand='lamp:{s}Hand', thigh='lamp:{s}Hip', shin='lamp:{s}Knee', foot='lamp:{s}Ankle')
    write_skinned_glb(rig('lamp-child'), child, named(child, table, 'Left', 'Right'), pose, clothed(child, 'child', cell=.0085), .0254,
                      [[0, 0, -1], [0, 1, 0], [1, 0, 0]], wrapper='lamp:Root')

    # The net-mender: an old woman, bent a little, arms half raised ahead; bones that tell nothing but a number.
    mender = Body(1.58, 4, legs=.97, hips=1.12, neck_count=1, fingers=5)
    pose = {f'upperarm.{s}': rot(0, -24) @ rot(2, -x * 58) for s, x in (('left', 1), ('right', -1))}
    pose |= {f'forearm.{s}': rot(1, -x * 38) for s, x in (('left', 1), ('right', -1))}
    pose |= {'spine.1': rot(0, 5), 'spine.2': rot(0, 6), 'spine.3': rot(0, 5), 'chest': rot(0, 4), 'head': rot(0, -12)}
    pose |= {f'thigh.{s}': rot(0, -7) for s in SIDES} | {f'shin.{s}': rot(0, 14) for s in SIDES} | {f'foot.{s}': rot(0, -7) for s in SIDES}
    write_skinned_glb(rig('net-mender'), mender, bare(mender), pose, clothed(mender, 'mender', cell=.0095, triangles=10000), along_bones=True)

    # The quay dog: bones that tell nothing but a number, too.
    dog = dogs.Dog()
    dog_names = bare(dog)
    coat = dict(coat=0x3a3634, dark=0x2a2725, bib=0xe9e2d4, sock=0xd9cfbd, nose=0x1a1818, eyes=0x2a1a10, collar=0xa8433c)
    write_skinned_glb(rig('quay-dog'), dog, dog_names, {}, skins.skin(dogs.shapes(dog, coat), len(dog.roles), cell=.0085, triangles=9000), along_bones=True)

    for name, whose, plan in (('net-mender', mender, 'biped'), ('quay-dog', dog, 'quadruped')):
        roles = {role.replace('fingers', 'paw'): bone for role, bone in zip(whose.roles, bare(whose))}
        write_json(os.path.join(library, 'characters', name, 'given-roles.json'), {'plan': plan, 'roles': roles})

    record = Recorder(library, touching.Skin(body, worn))
    person = lambda name, score, notes, fps=60, on=('performer', body, names), **more: record.person(name, score, notes, fps, on, **more)
    person('quay-walk', (perform.walking_score(body, QuayPath()), [('quay', (0, 0, 0))]), 'Seven metres along the quay with a bend to the left.')
    person('mole-steps', scores.mole_steps(), 'Up four steps onto the mole.')
    person('haul-rope', scores.haul_rope(), 'A line is hauled in hand over hand.', 120, noise_deg=.08)
    person('carry-crate', scores.carry_crate(), 'A crate is lifted, carried 2.2 m and set down.', 120)
    person('lantern-signal', scores.lantern_signal(), 'A lantern is swung to a boat off the bar. Frame 0 is the T-pose.', t_pose=True)
    person('bollard-sit', scores.bollard_sit(), 'Sits down on a bollard, hands on the knees, and gets up.')
    person('weary-watch', scores.weary_watch(), 'A hand on the hip; the other wipes the brow and shades the eyes.', noise_deg=.08)
    person('boat-leap', scores.boat_leap(), 'A leap from the quay over the gap onto a deck, both feet at once.', 120)
    person('limbering', scores.limbering(ferrier), 'One joint at a time, each side, fingers too.', on=('ferrier', ferrier, ferrier_names))
    for kind in ('walk', 'trot'):
        frames, labels = dogs.gait(dog, kind)
        record.write(f'dog-{kind}', ('quay-dog', dog, dog_names), frames, labels, 60, f'The quay dog at a {kind}.', [('quay', (0, 0, 0))])
    # The child is small: what the performer looks at from above it looks up to; its hand goes along.
    touched(library, 'lamp-child', 'weary-watch', 'looks up', [{'kind': 'turn', 'stage': 'angles', 'what': 'head', 'when': span(4.6, 6., .6), 'axes': 'body', 'turn_deg': [-14., 0., 0.]}])
    touched(library, 'ferrier', 'boat-leap', 'higher', [{'kind': 'body', 'stage': 'source', 'when': span(1.97, 1.97, .22), 'axes': 'world', 'turn_deg': [0., 0., 0.], 'place_cm': [0., 22., 0.]}])
    scene(library, 'help-up', ('performer', body, names), together.help_up(body, record.skin), 60, [('landing', (0, 0, 0)), ('quay', (0, 0, 0))], ('dockhand', 'ferrier'),
          'a coil of rope is handed down, the one who takes it is helped up onto the landing, a hand is laid on a shoulder.')
    os.makedirs(os.path.join(library, 'set'), exist_ok=True)
    pieces.write_all(os.path.join(library, 'set'))
    sound.main(library, ['quay-walk'])
    order(library)
    write_json(os.path.join(library, 'library.json'),
               {'format': 'nimble-bone/library', 'version': 1, 'id': fixed_uuid('library'), 'name': 'Tidal harbour',
                'opens_with': {'take': 'quay-walk', 'character': 'ferrier'}})


if __name__ == '__main__':
    main(sys.argv[1] if len(sys.argv) > 1 else os.path.join(os.path.dirname(os.path.abspath(__file__)), '..'))
