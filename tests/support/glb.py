"""A .glb as numpy sees it: its JSON, its accessors of floats, and the keys of the animation that was added last
(glTF 2.0, ISO/IEC 12113: section 3.6)."""
import json
import struct

import numpy as np


def rotation(q):
    """Matrix of a quaternion x y z w."""
    x, y, z, w = np.array(q) / np.linalg.norm(q)
    return np.array([[1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)], [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
                     [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)]])


class Glb:
    def __init__(self, path):
        with open(path, 'rb') as f:
            data = f.read()
        length = struct.unpack_from('<I', data, 12)[0]
        self.json = json.loads(data[20:20 + length])
        self.binary = data[20 + length + 8:]
        self.nodes = self.json['nodes']
        self.parent = {c: n for n, node in enumerate(self.nodes) for c in node.get('children', [])}

    def accessor(self, index):
        a = self.json['accessors'][index]
        view = self.json['bufferViews'][a['bufferView']]
        width = {'SCALAR': 1, 'VEC3': 3, 'VEC4': 4}[a['type']]
        start = view.get('byteOffset', 0) + a.get('byteOffset', 0)
        return np.frombuffer(self.binary, '<f4', a['count'] * width, start).reshape(-1, width).astype(float)

    def channels(self):
        """(node, path): times, values; of curved keys [key][slope in, value, slope out]."""
        animation = self.json['animations'][-1]
        found = {}
        for c in animation['channels']:
            s = animation['samplers'][c['sampler']]
            values = self.accessor(s['output'])
            if s.get('interpolation', 'LINEAR') == 'CUBICSPLINE':
                values = values.reshape(-1, 3, values.shape[1])
            elif c['target']['path'] == 'rotation':  # of unit length in single precision only
                values = values / np.linalg.norm(values, axis=1, keepdims=True)
            found[c['target']['node'], c['target']['path']] = self.accessor(s['input'])[:, 0], values
        return found
