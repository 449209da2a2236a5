"""Sharp edges between colours: triangles that two colours share are made finer and then cut along the line where one
colour ends, so that eyes, mouth, scarf and cuffs are drawn and not blended. The surface stays as it was."""
import numpy as np


def nearest_of(shapes, points):
    return np.stack([s.distance(points) for s in shapes], 1).argmin(1)


def colour_of(shapes, points):
    """Which of the colours of the shapes is nearest: (index, table of colours)."""
    table, group = np.unique(np.array([s.colour for s in shapes]), axis=0, return_inverse=True)
    return np.ravel(group)[nearest_of(shapes, points)], table


def detail_of(shapes):
    """How long an edge may be across a shape's border: half of how thin the shape is; large ones need no more edges."""
    thin = np.array([np.min(np.subtract(s.box()[1], s.box()[0])) for s in shapes])
    return np.where(thin < .03, np.maximum(.5 * thin, .004), 1.)


class Surface:
    """Points with all that is kept with them (rows of `values`), and faces."""

    def __init__(self, points, values, faces):
        self.points, self.values, self.faces = points, values, faces

    def add(self, starts, ends, shares):
        """Points on the lines between points; their indices."""
        first = len(self.points)
        s = np.asarray(shares, float)[:, None]
        for name in ('points', 'values'):
            old = getattr(self, name)
            setattr(self, name, np.concatenate([old, (1 - s) * old[starts] + s * old[ends]]))
        return first + np.arange(len(s))

    def refine(self, shapes):
        """Halves the edges of triangles that hold more than one colour, while they are too long for what is there."""
        f, p = self.faces, self.points
        table, group = np.unique(np.array([s.colour for s in shapes]), axis=0, return_inverse=True)
        group, detail = np.ravel(group), detail_of(shapes)
        corners = nearest_of(shapes, p)
        edges = np.sort(np.concatenate([f[:, [0, 1]], f[:, [1, 2]], f[:, [2, 0]]]), 1)
        edges, place = np.unique(edges, axis=0, return_inverse=True)
        place = np.ravel(place).reshape(3, -1).T
        middle = nearest_of(shapes, .5 * (p[edges[:, 0]] + p[edges[:, 1]]))
        centre = nearest_of(shapes, p[f].mean(1))
        seen = np.concatenate([corners[f], middle[place], centre[:, None]], 1)
        is_mixed = (group[seen] != group[seen[:, :1]]).any(1)
        finest = np.full(len(edges), np.inf)
        for side in range(3):
            np.minimum.at(finest, place[is_mixed, side], detail[seen[is_mixed]].min(1))
        is_marked = np.linalg.norm(p[edges[:, 0]] - p[edges[:, 1]], axis=1) > finest
        if not is_marked.any():
            return False
        new = np.full(len(edges), -1)
        chosen = np.flatnonzero(is_marked)
        new[chosen] = self.add(edges[chosen, 0], edges[chosen, 1], np.full(len(chosen), .5))
        faces = []
        for face, (ab, bc, ca) in zip(f, new[place]):
            a, b, c = face
            count = (ab >= 0) + (bc >= 0) + (ca >= 0)
            if count == 3:
                faces += [(a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)]
                continue
            if count:
                # Turned so that the first edge is halved, and of two the first two.
                while ab < 0 or (count == 2 and bc < 0):
                    a, b, c, ab, bc, ca = b, c, a, bc, ca, ab
            if count == 0:
                faces.append((a, b, c))
            elif count == 1:
                faces += [(a, ab, c), (ab, b, c)]
            else:
                faces += [(a, ab, c), (ab, b, bc), (ab, bc, c)]
        self.faces = np.array(faces)
        return True

    def cut(self, shapes):
        """Along the lines between colours; returns the colour of each point."""
        corner, table = colour_of(shapes, self.points)
        colours = list(corner)
        f = self.faces
        mixed = f[(corner[f] != corner[f][:, :1]).any(1)]
        edges = np.unique(np.sort(np.concatenate([mixed[:, [0, 1]], mixed[:, [1, 2]], mixed[:, [2, 0]]]), 1), axis=0)
        edges = edges[corner[edges[:, 0]] != corner[edges[:, 1]]]
        a, b = self.points[edges[:, 0]], self.points[edges[:, 1]]
        low, high = np.zeros(len(edges)), np.ones(len(edges))
        for _ in range(10):
            middle = .5 * (low + high)
            here, _ = colour_of(shapes, a + middle[:, None] * (b - a))
            is_first = here == corner[edges[:, 0]]
            low, high = np.where(is_first, middle, low), np.where(is_first, high, middle)
        # Points nearer to a corner than this make slivers.
        share = dict(zip(map(tuple, edges), np.clip(.5 * (low + high), .06, .94)))
        made = {}
        more = []  # shares of three points each

        def blend(corners, shares, colour):
            more.append((corners, shares))
            colours.append(colour)
            return len(colours) - 1

        def point(i, j, colour):
            edge = (min(i, j), max(i, j))
            if (edge, colour) not in made:
                s = share[edge]
                made[edge, colour] = blend((*edge, edge[0]), (1 - s, s, 0.), colour)
            return made[edge, colour]

        faces = []
        for face in f:
            own = [corner[v] for v in face]
            if own[0] == own[1] == own[2]:
                faces.append(tuple(face))
                continue
            if len(set(own)) == 3:
                middle = {c: blend(tuple(face), (1 / 3,) * 3, c) for c in own}
                for k in range(3):
                    v, after, before = face[k], face[(k + 1) % 3], face[(k + 2) % 3]
                    p, q = point(v, after, own[k]), point(before, v, own[k])
                    faces += [(v, p, middle[own[k]]), (v, middle[own[k]], q)]
                continue
            # One corner has a colour of its own.
            k = next(k for k in range(3) if own[(k + 1) % 3] == own[(k + 2) % 3])
            v, after, before = face[k], face[(k + 1) % 3], face[(k + 2) % 3]
            faces.append((v, point(v, after, own[k]), point(before, v, own[k])))
            rest = own[(k + 1) % 3]
            p, q = point(v, after, rest), point(before, v, rest)
            faces += [(p, after, before), (p, before, q)]
        self.faces = np.array(faces)
        if more:
            corners, shares = np.array([m[0] for m in more]), np.array([m[1] for m in more])[:, :, None]
            for name in ('points', 'values'):
                old = getattr(self, name)
                setattr(self, name, np.concatenate([old, (old[corners] * shares).sum(1)]))
        return table[np.array(colours)]


def paint(shapes, points, normals, weights, faces):
    """Points, normals, weights, faces and colours (linear) of the painted surface."""
    n = normals.shape[1]
    surface = Surface(points, np.concatenate([normals, weights], 1), faces)
    for _ in range(5):
        if not surface.refine(shapes):
            break
    colours = surface.cut(shapes)
    normals = surface.values[:, :n]
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-9)
    return surface.points, normals, surface.values[:, n:], surface.faces, colours
