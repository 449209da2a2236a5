"""Skins for the made-up bodies: smooth unions of rounded cones and ellipsoids, polygonised and thinned out by VTK,
coloured by what is nearest (paint.py), carried by the joints whose shapes are nearest, weights smoothed over the surface.

Lengths in metres in the common stance (+Y up, facing +Z). Needs python3-vtk9 and python3-numpy.
"""
import numpy as np
import vtk
from vtk.util.numpy_support import numpy_to_vtk, vtk_to_numpy

from paint import paint


class Shape:
    """A signed distance: negative inside. `joint` carries what lies nearest to it."""

    def __init__(self, joint, colour, blend=.02):
        self.joint, self.colour, self.blend = joint, np.array(colour, float), blend


class Cone(Shape):
    """Rounded cone from a (radius ra) to b (radius rb); `flat` squeezes it along an axis."""

    def __init__(self, joint, a, b, ra, rb, colour, blend=.02, flat=None):
        super().__init__(joint, colour, blend)
        self.a, self.b, self.ra, self.rb = np.array(a, float), np.array(b, float), ra, rb
        self.flat = flat

    def box(self):
        r = max(self.ra, self.rb) * 1.2
        return np.minimum(self.a, self.b) - r, np.maximum(self.a, self.b) + r

    def distance(self, p):
        a, b = self.a, self.b
        q, ab = p - a, b - a
        squeeze = 1.
        if self.flat is not None:
            axis, squeeze = self.flat
            axis = np.array(axis, float)
            axis /= np.linalg.norm(axis)
            q = q + (q @ axis)[..., None] * axis * (1 / squeeze - 1)
            ab = ab + (ab @ axis) * axis * (1 / squeeze - 1)
        length = max(1e-9, ab @ ab)
        t = np.clip((q @ ab) / length, 0, 1)
        d = np.linalg.norm(q - t[..., None] * ab, axis=-1) - (self.ra + t * (self.rb - self.ra))
        return d * min(1., squeeze) if self.flat is not None else d


class Ball(Shape):
    """Ellipsoid with half axes r, turned by R."""

    def __init__(self, joint, centre, r, colour, blend=.02, R=None):
        super().__init__(joint, colour, blend)
        self.c, self.r, self.R = np.array(centre, float), np.array(r, float), R

    def box(self):
        m = self.r.max() * 1.15
        return self.c - m, self.c + m

    def distance(self, p):
        q = p - self.c
        if self.R is not None:
            q = q @ self.R
        k0 = np.linalg.norm(q / self.r, axis=-1)
        k1 = np.linalg.norm(q / self.r**2, axis=-1)
        return np.where(k1 > 1e-9, k0 * (k0 - 1) / np.maximum(k1, 1e-9), -self.r.min())


def smooth_min(a, b, k):
    h = np.maximum(k - np.abs(a - b), 0) / k
    return np.minimum(a, b) - h * h * k * .25


def polygonise(shapes, cell, triangles):
    """Vertices, faces and normals of the union."""
    low = np.min([s.box()[0] for s in shapes], 0) - 3 * cell
    high = np.max([s.box()[1] for s in shapes], 0) + 3 * cell
    size = np.ceil((high - low) / cell).astype(int) + 1
    axes = [low[i] + cell * np.arange(size[i]) for i in range(3)]
    field = np.full(size, 1.)
    for s in shapes:
        # Each shape only where it can matter.
        margin = s.blend + 4 * cell
        a = np.maximum(((s.box()[0] - margin - low) / cell).astype(int), 0)
        b = np.minimum(((s.box()[1] + margin - low) / cell).astype(int) + 2, size)
        grid = np.stack(np.meshgrid(*[axes[i][a[i]:b[i]] for i in range(3)], indexing='ij'), -1)
        part = field[a[0]:b[0], a[1]:b[1], a[2]:b[2]]
        field[a[0]:b[0], a[1]:b[1], a[2]:b[2]] = smooth_min(part, s.distance(grid), s.blend)
    image = vtk.vtkImageData()
    image.SetDimensions(*[int(n) for n in size])
    image.SetOrigin(*low)
    image.SetSpacing(cell, cell, cell)
    image.GetPointData().SetScalars(numpy_to_vtk(field.ravel(order='F'), deep=True))
    surface = vtk.vtkFlyingEdges3D()
    surface.SetInputData(image)
    surface.SetValue(0, 0.)
    surface.Update()
    # The largest piece: what floats beside it is no body.
    whole = vtk.vtkPolyDataConnectivityFilter()
    whole.SetInputConnection(surface.GetOutputPort())
    whole.SetExtractionModeToLargestRegion()
    smoother = vtk.vtkWindowedSincPolyDataFilter()
    smoother.SetInputConnection(whole.GetOutputPort())
    smoother.SetNumberOfIterations(12)
    smoother.SetPassBand(.12)
    smoother.Update()
    count = smoother.GetOutput().GetNumberOfPolys()
    thinner = vtk.vtkQuadricDecimation()
    thinner.SetInputConnection(smoother.GetOutputPort())
    thinner.SetTargetReduction(max(0., 1 - triangles / count))
    thinner.VolumePreservationOn()
    clean = vtk.vtkCleanPolyData()
    clean.SetInputConnection(thinner.GetOutputPort())
    normals = vtk.vtkPolyDataNormals()
    normals.SetInputConnection(clean.GetOutputPort())
    normals.SplittingOff()
    normals.ConsistencyOn()
    normals.AutoOrientNormalsOn()
    normals.Update()
    out = normals.GetOutput()
    points = vtk_to_numpy(out.GetPoints().GetData()).astype(float)
    faces = vtk_to_numpy(out.GetPolys().GetConnectivityArray()).reshape(-1, 3).astype(int)
    return points, faces, vtk_to_numpy(out.GetPointData().GetNormals()).astype(float)


def neighbours(count, faces):
    pairs = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    pairs = np.unique(np.sort(np.concatenate([pairs, pairs[:, ::-1]]), 1), axis=0)
    return pairs


def spread(values, pairs, rounds, share=.5):
    """Averages values over neighbours a number of times."""
    degree = np.zeros(len(values))
    np.add.at(degree, pairs[:, 0], 1)
    np.add.at(degree, pairs[:, 1], 1)
    for _ in range(rounds):
        total = np.zeros_like(values)
        np.add.at(total, pairs[:, 0], values[pairs[:, 1]])
        np.add.at(total, pairs[:, 1], values[pairs[:, 0]])
        values = (1 - share) * values + share * total / np.maximum(degree, 1)[:, None]
    return values


def skin(shapes, joint_count, cell=.011, triangles=9000, softness=.016):
    """Everything a skinned mesh needs: points, faces, normals, colours (linear), joints and weights (four a vertex)."""
    points, faces, normals = polygonise(shapes, cell, triangles)
    distance = np.stack([s.distance(points) for s in shapes], 1)
    pairs = neighbours(len(points), faces)
    weight = np.exp(-(distance - distance.min(1, keepdims=True)) / softness)
    by_joint = np.zeros((len(points), joint_count))
    for i, s in enumerate(shapes):
        by_joint[:, s.joint] = np.maximum(by_joint[:, s.joint], weight[:, i])
    by_joint /= by_joint.sum(1, keepdims=True)
    by_joint = spread(by_joint, pairs, 5)
    points, normals, by_joint, faces, colours = paint(shapes, points, normals, by_joint, faces)
    order = np.argsort(-by_joint, 1)[:, :4]
    weights = np.take_along_axis(by_joint, order, 1)
    weights[weights < .01] = 0
    weights /= weights.sum(1, keepdims=True)
    return points, faces, normals, np.clip(colours, 0, 1), order, weights


def linear(hexadecimal):
    """Colour as painted, 0xRRGGBB, to linear light."""
    c = np.array([(hexadecimal >> s & 255) / 255 for s in (16, 8, 0)])
    return np.where(c <= .04045, c / 12.92, ((c + .055) / 1.055)**2.4)


def person(body, style):
    """Shapes of a dressed person. `style`: girth, and colours by part; see make_demo.py."""
    R, P = body.pose({})
    H = style['stature']
    g = style.get('girth', 1.)
    at = {role: P[i] for i, role in enumerate(body.roles)}
    index = {role: i for i, role in enumerate(body.roles)}
    ends = {}
    for j, offset in body.ends:
        ends.setdefault(body.roles[j], P[j] + R[j] @ offset)
    colour = {k: linear(v) for k, v in style['colours'].items()}
    part = lambda name: colour.get(name, colour['coat'])
    shapes = []
    add = shapes.append
    spine = [r for r in body.roles if r.startswith('spine') or r == 'chest']
    hips = .5 * (at['thigh.left'] + at['thigh.right'])
    half = abs(at['thigh.left'][0])
    shoulder = abs(at['upperarm.left'][0])

    # Trunk: a stack of ellipsoids from the basin to the chest.
    add(Ball(index['hips'], hips + [0, .022 * H, -.004 * H], [half + .044 * H * g, .062 * H, .058 * H * g], part('coat') if style.get('skirt') else part('trousers'), .05))
    top = at['neck.1']
    # The waist: without it a body of one spine bone falls in two.
    middle = .5 * (hips + at[spine[0]])
    add(Ball(index['hips'], middle + [0, .02 * H, 0], [half + .036 * H * g, .6 * (at[spine[0]][1] - hips[1]) + .03 * H, .052 * H * g], part('coat'), .05))
    for i, role in enumerate(spine):
        start = at[role]
        end = at[spine[i + 1]] if i + 1 < len(spine) else top - [0, .03 * H, 0]
        share = (i + .5) / len(spine)
        width = half + .040 * H * g if len(spine) == 1 else (half + .034 * H * g) * (1 - share) + (shoulder * .82) * share
        add(Ball(index[role], .5 * (start + end) + [0, 0, .004 * H], [width, .62 * abs(end[1] - start[1]) + .03 * H, (.050 + .012 * share) * H * g], part('coat'), .06))
    belly = style.get('belly', 0.)
    if belly:
        add(Ball(index[spine[0]], hips + [0, .085 * H, .02 * H], [half + .038 * H * g, .075 * H, .06 * H + belly], part('coat'), .05))
    # Shoulders and neck.
    for side, x in (('left', 1), ('right', -1)):
        add(Cone(index[f'clavicle.{side}'], at[f'clavicle.{side}'] + [0, -.01 * H, -.012 * H], at[f'upperarm.{side}'] + [-x * .01 * H, -.002 * H, 0], .040 * H * g, .036 * H * g, part('coat'), .04))
    necks = [r for r in body.roles if r.startswith('neck')]
    add(Cone(index[necks[0]], at[necks[0]] + [0, -.02 * H, 0], at['head'] + [0, .01 * H, 0], .031 * H * g, .029 * H, part('skin'), .025))
    if style.get('scarf'):
        for k, y in enumerate((.002, .018)):
            add(Ball(index[necks[0]], at[necks[0]] + [0, y * H, .006 * H], [.052 * H * g, .017 * H, .050 * H * g], part('scarf'), .012))
        add(Cone(index[spine[-1]], at[necks[0]] + [.02 * H, -.01 * H, .05 * H], at[necks[0]] + [.03 * H, -.13 * H, .066 * H * g], .016 * H, .020 * H, part('scarf'), .012, ([0, 0, 1], .5)))

    # Head.
    s = style.get('head', 1.) * H
    j, c = index['head'], at['head'] + [0, .062 * style.get('head', 1.) * H, .010 * H]
    add(Ball(j, c, [.043 * s, .056 * s, .052 * s], part('skin'), .02))
    add(Ball(j, c + [0, -.034 * s, .012 * s], [.031 * s, .030 * s, .034 * s], part('skin'), .02))
    add(Cone(j, c + [0, .002 * s, .050 * s], c + [0, -.017 * s, .060 * s], .005 * s, .0085 * s, part('skin'), .008))
    for x in (1, -1):
        add(Ball(j, c + [x * .043 * s, -.006 * s, -.002 * s], [.006 * s, .013 * s, .009 * s], part('skin'), .006))
        add(Ball(j, c + [x * .0165 * s, .004 * s, .0465 * s], [.0062 * s, .0052 * s, .004 * s], part('eyes'), .002))
        add(Cone(j, c + [x * .008 * s, .0165 * s, .0505 * s], c + [x * .026 * s, .0165 * s, .0445 * s], .003 * s, .0026 * s, part('hair'), .004))
    add(Cone(j, c + [-.010 * s, -.031 * s, .0455 * s], c + [.010 * s, -.031 * s, .0455 * s], .0032 * s, .0032 * s, part('lips'), .004))
    hat = style.get('hat')
    if hat == 'brim':
        add(Ball(j, c + [0, .030 * s, -.004 * s], [.088 * s, .007 * s, .086 * s], part('hat'), .008))
        add(Cone(j, c + [0, .034 * s, -.004 * s], c + [0, .064 * s, -.006 * s], .045 * s, .036 * s, part('hat'), .012))
    elif hat == 'cap':
        add(Ball(j, c + [0, .026 * s, -.004 * s], [.0475 * s, .037 * s, .056 * s], part('hat'), .01))
        add(Ball(j, c + [0, .022 * s, .052 * s], [.034 * s, .005 * s, .026 * s], part('hat'), .008))
    elif hat == 'bonnet':
        add(Ball(j, c + [0, .018 * s, -.010 * s], [.0500 * s, .050 * s, .056 * s], part('hat'), .012))
        add(Ball(j, c + [0, .068 * s, -.012 * s], [.016 * s, .016 * s, .016 * s], part('scarf'), .008))
    else:
        add(Ball(j, c + [0, .017 * s, -.010 * s], [.0465 * s, .047 * s, .054 * s], part('hair'), .012))
    if style.get('beard'):
        add(Ball(j, c + [0, -.046 * s, .026 * s], [.030 * s, .030 * s, .026 * s], part('hair'), .014))

    for side, x in (('left', 1), ('right', -1)):
        # Arms: sleeves, forearms, hands.
        a, b, w = at[f'upperarm.{side}'], at[f'forearm.{side}'], at[f'hand.{side}']
        add(Cone(index[f'upperarm.{side}'], a, .5 * (a + b), .036 * H * g, .031 * H * g, part('coat'), .03))
        add(Cone(index[f'upperarm.{side}'], .5 * (a + b), b, .031 * H * g, .026 * H * g, part('coat'), .03))
        sleeve = part('sleeve') if 'sleeve' in colour else part('coat')
        add(Cone(index[f'forearm.{side}'], b, b + .35 * (w - b), .026 * H * g, .027 * H * g, sleeve, .03))
        add(Cone(index[f'forearm.{side}'], b + .35 * (w - b), w, .026 * H * g, .018 * H * g, sleeve, .03))
        if 'cuff' in colour:
            add(Cone(index[f'forearm.{side}'], w - x * np.array([.028 * H, 0, 0]), w - x * np.array([.012 * H, 0, 0]), .024 * H * g, .024 * H * g, part('cuff'), .008))
        hand = part('gloves') if 'gloves' in colour else part('skin')
        h = index[f'hand.{side}']
        palm = w + x * np.array([.026 * H, 0, 0])
        add(Ball(h, palm, [.030 * H, .012 * H, .023 * H], hand, .012))
        add(Cone(h, w, palm, .015 * H, .015 * H, hand, .015))
        fingers = style.get('fingers', 0)
        tip = lambda z, length: palm + np.array([x * length * H, -.004 * H, z * H])
        root = lambda z: palm + np.array([x * .018 * H, 0, z * H])
        names = {5: ['index', 'middle', 'ring', 'little'], 3: ['index', 'middle'], 0: []}[fingers]
        places = {5: [.0165, .0055, -.0055, -.0160], 3: [.012, -.008], 0: [.012, 0, -.012]}[fingers]
        lengths = {5: [.056, .060, .057, .047], 3: [.056, .056], 0: [.054, .057, .050]}[fingers]
        thick = {5: .0066, 3: .0098, 0: .0092}[fingers] * H
        for k, (z, length) in enumerate(zip(places, lengths)):
            if names:
                run = [r for r in body.roles if r.startswith(names[k] + '.') and r.endswith(side)]
                stops = [at[r] for r in run] + [ends.get(run[-1], tip(z, length))]
                for r, p, q in zip(run, stops, stops[1:]):
                    add(Cone(index[r], p, q, thick, thick * .88, hand, .006))
            else:
                add(Cone(h, root(z), tip(z, length), thick, thick * .85, hand, .008))
        run = [r for r in body.roles if r.startswith('thumb.') and r.endswith(side)]
        if run:
            stops = [at[r] for r in run] + [ends[run[-1]]]
            for r, p, q in zip(run, stops, stops[1:]):
                add(Cone(index[r], p, q, .0085 * H, .0072 * H, hand, .008))
        else:
            add(Cone(h, w + [x * .010 * H, -.002 * H, .014 * H], w + [x * .040 * H, -.006 * H, .040 * H], .0095 * H, .0078 * H, hand, .010))

        # Legs: trousers, boots.
        a, b, f = at[f'thigh.{side}'], at[f'shin.{side}'], at[f'foot.{side}']
        add(Cone(index[f'thigh.{side}'], a + [0, -.005 * H, 0], a + .55 * (b - a), .050 * H * g, .042 * H * g, part('trousers'), .035))
        add(Cone(index[f'thigh.{side}'], a + .55 * (b - a), b, .042 * H * g, .033 * H * g, part('trousers'), .035))
        boot = style.get('boot', .35)
        c2 = b + .28 * (f - b) + [0, 0, -.008 * H]
        low = b + (1 - boot) * (f - b)
        add(Cone(index[f'shin.{side}'], b, c2, .033 * H * g, .035 * H * g, part('trousers'), .03))
        add(Cone(index[f'shin.{side}'], c2, low, .035 * H * g, .027 * H * g, part('trousers'), .03))
        add(Cone(index[f'shin.{side}'], low, f + [0, .01 * H, 0], .030 * H * g, .025 * H, part('boots'), .014))
        sole = body.ankle
        j = index[f'foot.{side}']
        ball = at.get(f'toe.{side}', f + np.array([0, -sole + .012 * H, .055 * H]))
        add(Ball(j, [f[0], .016 * H, f[2] - .018 * H], [.0225 * H, .0185 * H, .028 * H], part('boots'), .012))
        add(Cone(j, f + [0, -.012 * H, .004 * H], [ball[0], .018 * H, ball[2]], .0245 * H, .020 * H, part('boots'), .016))
        add(Ball(j, [f[0], .006 * H, f[2] + .018 * H], [.024 * H, .0075 * H, .060 * H], part('soles'), .006))
        toe = f'toe.{side}'
        jt = index.get(toe, j)
        add(Ball(jt, [ball[0], .0155 * H, ball[2] + .010 * H], [.026 * H, .0165 * H, .034 * H], part('boots'), .010))
        add(Ball(jt, [ball[0], .006 * H, ball[2] + .010 * H], [.0265 * H, .0075 * H, .0355 * H], part('soles'), .006))
        skirt = style.get('skirt', 0.)
        if skirt:
            # The long coat: panels that hang from the waist and go with each thigh.
            knee = a + skirt * (b - a)
            add(Cone(index[f'thigh.{side}'], a + [-x * .004 * H, .05 * H, 0], knee + [x * .006 * H, 0, 0], .062 * H * g, .072 * H * g, part('coat'), .03, ([1, 0, 0], .92)))
    if style.get('belt'):
        add(Ball(index[spine[0]], hips + [0, .072 * H, 0], [half + .046 * H * g, .013 * H, .060 * H * g], part('belt'), .008))
        add(Ball(index[spine[0]], hips + [0, .072 * H, .058 * H * g], [.014 * H, .012 * H, .008 * H], part('buckle'), .004))
    if style.get('marks'):
        # Marks of a capture suit.
        for role in ('upperarm', 'forearm', 'thigh', 'shin'):
            nexts = dict(upperarm='forearm', forearm='hand', thigh='shin', shin='foot')
            for side in ('left', 'right'):
                p = .5 * (at[f'{role}.{side}'] + at[f'{nexts[role]}.{side}'])
                r = dict(upperarm=.032, forearm=.025, thigh=.044, shin=.034)[role] * H
                add(Ball(index[f'{role}.{side}'], p + [0, 0 if 'arm' not in role else 0, r], [.010 * H] * 3, part('marks'), .004))
        add(Ball(index['chest'], at['chest'] + [0, .03 * H, .072 * H], [.011 * H] * 3, part('marks'), .004))
    if style.get('satchel'):
        add(Ball(index['hips'], hips + [half + .075 * H, -.01 * H, .0], [.022 * H, .045 * H, .045 * H], part('belt'), .01))
        add(Cone(index[spine[-1]], at['clavicle.right'] + [-.02 * H, .01 * H, .062 * H], hips + [half + .05 * H, .04 * H, .062 * H], .009 * H, .009 * H, part('belt'), .006))
    return shapes
