#!/usr/bin/env python3
"""Gives the demo's character documents their lasting ids and shown names."""
import json
import os

from bodies import fixed_uuid

NAMES = {'performer': 'the performer', 'dockhand': 'the dockhand', 'ferrier': 'the ferrier', 'lamp-child': "the lamp-lighter's child",
         'net-mender': 'the net-mender', 'quay-dog': 'the quay dog'}
FOLDER = os.path.join(os.path.dirname(os.path.abspath(__file__)), '..', 'characters')

for folder, name in NAMES.items():
    path = os.path.join(FOLDER, folder, 'character.json')
    with open(path) as f:
        document = json.load(f)
    document['id'] = fixed_uuid(folder)
    document['name'] = name
    with open(path, 'w') as f:
        f.write(json.dumps(document, indent=2, ensure_ascii=False) + '\n')
