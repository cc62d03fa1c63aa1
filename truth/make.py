"""Makes the drawings, solids and meshes of the truth corpus with libraries that the project does not use, from fixed seeds.

/usr/bin/python3 make.py OUT: writes files and OUT/cases.json, a list of {file, family, lost}: `lost` tells that the file shows something that
is not made of contours (writing, dimensions, points), so that no file written from it may be clear.
"""
import json
import math
import os
import random
import struct
import sys

import ezdxf
import gmsh
import numpy as np

out = sys.argv[1]
os.makedirs(out, exist_ok=True)
cases = []


def case(name, family, lost=False):
    cases.append({'file': name, 'family': family, 'lost': lost})
    return os.path.join(out, name)


# ---- drawings: every entity in every version ------------------------------------------------------------------------------

versions = ['R12', 'R2000', 'R2004', 'R2007', 'R2010', 'R2013', 'R2018']
rng = random.Random(20261127)


def square(m, x=0, y=0, s=20, **a):
    for p, q in zip([(x, y), (x + s, y), (x + s, y + s), (x, y + s)], [(x + s, y), (x + s, y + s), (x, y + s), (x, y)]):
        m.add_line(p, q, dxfattribs=a)


def block(doc, name='PART'):
    b = doc.blocks.new(name)
    b.add_circle((0, 0), 3)
    b.add_line((-5, 0), (5, 0))
    b.add_arc((0, 0), 7, 20, 160)
    return b


def nested(doc, m):
    block(doc)
    outer = doc.blocks.new('OUTER', base_point=(1, 2))
    outer.add_blockref('PART', (10, 0), dxfattribs={'rotation': 30, 'xscale': 2, 'yscale': 2})
    outer.add_blockref('PART', (-10, 0), dxfattribs={'xscale': -1})
    m.add_blockref('OUTER', (40, 30), dxfattribs={'rotation': 75})


def rational(m):
    s = m.add_rational_spline([(0, 0), (10, 20), (30, -10), (40, 5), (55, 25)], [1, 2, 0.5, 3, 1])
    return s


def hatch(m, edges):
    h = m.add_hatch(color=2)
    if edges:
        e = h.paths.add_edge_path()
        e.add_line((0, 0), (20, 0))
        e.add_arc((20, 10), 10, -90, 90)
        e.add_line((20, 20), (0, 20))
        e.add_line((0, 20), (0, 0))
    else:
        h.paths.add_polyline_path([(0, 0), (20, 0, 0.4), (20, 20), (0, 20)], is_closed=True)


kinds = {
    'line': lambda d, m: m.add_line((1, 2), (31, 22)),
    'square': lambda d, m: square(m),
    'circle': lambda d, m: m.add_circle((3, 4), 12.5),
    'circle-far': lambda d, m: m.add_circle((25000, -13000), 12.5),
    'arc': lambda d, m: m.add_arc((5, 5), 10, 30, 200),
    'arc-reverse': lambda d, m: m.add_arc((5, 5), 10, 200, 30),
    'arc-nearly-full': lambda d, m: m.add_arc((5, 5), 10, 0, 359),
    'arc-half': lambda d, m: m.add_arc((5, 5), 40, 17, 197),
    'arc-tiny': lambda d, m: m.add_arc((5, 5), 10, 10, 10.5),
    'lwpolyline': lambda d, m: m.add_lwpolyline([(0, 0), (30, 0), (30, 20), (10, 25)], close=True),
    'lwpolyline-open': lambda d, m: m.add_lwpolyline([(0, 0), (30, 0), (30, 20), (10, 25)]),
    'bulges': lambda d, m: m.add_lwpolyline([(0, 0, 0.5), (20, 0, -0.3), (20, 15, 1), (0, 15, 0)], format='xyb', close=True),
    'bulge-over-half': lambda d, m: m.add_lwpolyline([(0, 0, 2.5), (20, 0, 0)], format='xyb', close=True),
    'slot': lambda d, m: m.add_lwpolyline([(0, 0, 0), (30, 0, 1), (30, 8, 0), (0, 8, 1)], format='xyb', close=True),
    'polyline2d': lambda d, m: m.add_polyline2d([(0, 0, 0.2), (20, 0, 0), (20, 20, -0.2), (0, 20, 0)], format='xyb', close=True),
    'polyline3d': lambda d, m: m.add_polyline3d([(0, 0, 0), (20, 0, 0), (20, 20, 0), (5, 30, 0)], close=True),
    'solid': lambda d, m: m.add_solid([(0, 0), (20, 0), (0, 15), (20, 15)]),
    'trace': lambda d, m: m.add_trace([(0, 0), (20, 0), (0, 15), (25, 15)]),
    '3dface': lambda d, m: m.add_3dface([(0, 0, 0), (20, 0, 0), (20, 20, 0), (0, 20, 0)]),
    'ellipse': lambda d, m: m.add_ellipse((5, 5), (20, 10), 0.4),
    'ellipse-arc': lambda d, m: m.add_ellipse((5, 5), (20, 10), 0.4, 0.5, 3.9),
    'ellipse-thin': lambda d, m: m.add_ellipse((5, 5), (20, 3), 0.02),
    'ellipse-half': lambda d, m: m.add_ellipse((0, 0), (40, 0), 0.5, 0, math.pi),
    'spline': lambda d, m: m.add_open_spline([(0, 0), (10, 20), (30, -10), (40, 5), (55, 25)]),
    'spline-2': lambda d, m: m.add_open_spline([(0, 0), (10, 20), (30, -10), (40, 5)], degree=2),
    'spline-5': lambda d, m: m.add_open_spline([(0, 0), (10, 20), (30, -10), (40, 5), (55, 25), (60, 0), (70, 9)], degree=5),
    'spline-arch': lambda d, m: m.add_open_spline([(0, 0), (0, 60), (80, 60), (80, 0)]),
    'spline-rational': lambda d, m: rational(m),
    'spline-uniform': lambda d, m: m.add_spline_control_frame([(0, 0), (10, 20), (30, -10), (40, 5), (55, 25)]),
    'insert': lambda d, m: (block(d), m.add_blockref('PART', (20, 10), dxfattribs={'rotation': 33, 'xscale': 1.5, 'yscale': 1.5})),
    'insert-stretched': lambda d, m: (block(d), m.add_blockref('PART', (20, 10), dxfattribs={'rotation': 33, 'xscale': 2, 'yscale': 0.5})),
    'insert-mirrored': lambda d, m: (block(d), m.add_blockref('PART', (20, 10), dxfattribs={'rotation': 33, 'xscale': -1})),
    'insert-array': lambda d, m: (block(d), m.add_blockref('PART', (0, 0), dxfattribs={'row_count': 2, 'column_count': 3, 'row_spacing': 20, 'column_spacing': 25})),
    'insert-nested': lambda d, m: nested(d, m),
    'extruded-down': lambda d, m: (m.add_arc((5, 5), 10, 30, 200, dxfattribs={'extrusion': (0, 0, -1)}), m.add_circle((9, 3), 4, dxfattribs={'extrusion': (0, 0, -1)})),
    'colours': lambda d, m: (square(m, color=1), square(m, 30, 0, 10, color=5), m.add_circle((35, 5), 2, dxfattribs={'color': 3})),
    'linewidths': lambda d, m: square(m, lineweight=50),
    'hatch': lambda d, m: (square(m), hatch(m, False)),
    'hatch-edges': lambda d, m: hatch(m, True),
    'text': lambda d, m: (square(m), m.add_text('ENGRAVE ME', dxfattribs={'height': 5})),
    'mtext': lambda d, m: (square(m), m.add_mtext('two\\Plines', dxfattribs={'char_height': 5})),
    'points': lambda d, m: (square(m), m.add_point((3, 3))),
    'ray': lambda d, m: (square(m), m.add_ray((0, 0), (1, 0))),
}
lossy = {'text', 'mtext', 'points', 'ray'}
for version in versions:
    for name, make in kinds.items():
        try:
            doc = ezdxf.new(version, setup=False)
            doc.header['$INSUNITS'] = 4
            make(doc, doc.modelspace())
            if version == 'R12' and any(e.dxftype() not in ('LINE', 'CIRCLE', 'ARC', 'POLYLINE', 'SOLID', 'TRACE', '3DFACE', 'INSERT', 'TEXT', 'POINT') for e in doc.modelspace()):
                continue
            doc.saveas(case(f'{name}_{version}.dxf', 'DXF entities', name in lossy))
        except Exception:
            if cases and cases[-1]['file'] == f'{name}_{version}.dxf':
                cases.pop()

for code, unit in [(1, 'in'), (2, 'ft'), (5, 'cm'), (6, 'm'), (9, 'mil'), (10, 'yd'), (13, 'micron'), (14, 'dm'), (21, 'sft')]:
    doc = ezdxf.new('R2010')
    doc.header['$INSUNITS'] = code
    per = {1: 25.4, 2: 304.8, 5: 10, 6: 1000, 9: 0.0254, 10: 914.4, 13: 0.001, 14: 100, 21: 1200000 / 3937}[code]
    m = doc.modelspace()
    m.add_lwpolyline([(0, 0), (100 / per, 0), (100 / per, 60 / per), (0, 60 / per)], close=True)
    m.add_circle((30 / per, 30 / per), 8 / per)
    doc.saveas(case(f'unit-{unit}.dxf', 'DXF units'))


def plate(i):
    """A plate as a shop gets it: outline with rounded or cut corners, holes, slots, windows; pieces loose and in any order and sense."""
    r = random.Random(1000 + i)
    doc = ezdxf.new(r.choice(['R12', 'R2000', 'R2010', 'R2018']))
    doc.header['$INSUNITS'] = 4
    m = doc.modelspace()
    w, h, c = r.uniform(60, 400), r.uniform(40, 250), r.uniform(2, 15)
    pieces = []
    corners = [(w - c, c), (w - c, h - c), (c, h - c), (c, c)]
    sides = [((c, 0), (w - c, 0)), ((w, c), (w, h - c)), ((w - c, h), (c, h)), ((0, h - c), (0, c))]
    ends = [(sides[k][1], sides[(k + 1) % 4][0]) for k in range(4)]
    for k, s in enumerate(sides):
        pieces.append(('line', *s))
        if r.random() < 0.5:
            pieces.append(('arc', corners[k], c, -90 + 90 * k, 90 * k))
        else:
            pieces.append(('line', *ends[k]))
    r.shuffle(pieces)
    for p in pieces:
        if p[0] == 'line':
            a, b = (p[1], p[2]) if r.random() < 0.5 else (p[2], p[1])
            m.add_line(a, b, dxfattribs={'layer': 'CUT'})
        else:
            m.add_arc(p[1], p[2], p[3], p[4], dxfattribs={'layer': 'CUT'})
    cells = [(x, y) for x in range(1, int(w // 30)) for y in range(1, int(h // 30))]
    r.shuffle(cells)
    for x, y in cells[: r.randint(0, 25)]:
        at = (x * 30, y * 30)
        what = r.random()
        if what < 0.6:
            m.add_circle(at, r.uniform(1, 10), dxfattribs={'layer': 'HOLES'})
        elif what < 0.8 and doc.dxfversion != 'AC1009':
            m.add_lwpolyline([(at[0] - 8, at[1] - 3, 0), (at[0] + 8, at[1] - 3, 1), (at[0] + 8, at[1] + 3, 0), (at[0] - 8, at[1] + 3, 1)], format='xyb', close=True)
        else:
            square(m, at[0] - 5, at[1] - 5, 10)
    doc.saveas(case(f'plate-{i}.dxf', 'DXF plates'))


for i in range(60):
    plate(i)

# ---- drawings in SVG: shapes under transforms, styles, units -------------------------------------------------------------


def svg(name, inside, head='width="100mm" height="80mm" viewBox="0 0 100 80"', family='SVG made', lost=False):
    with open(case(name, family, lost), 'w') as f:
        f.write(f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" {head}>{inside}</svg>')


shapes = {
    'rect': '<rect x="10" y="10" width="40" height="30"/>',
    'rect-round': '<rect x="10" y="10" width="40" height="30" rx="7"/>',
    'rect-pill': '<rect x="10" y="10" width="40" height="20" rx="50"/>',
    'circle': '<circle cx="40" cy="40" r="17.5"/>',
    'ellipse': '<ellipse cx="40" cy="40" rx="30" ry="10"/>',
    'line': '<line x1="5" y1="5" x2="60" y2="33" stroke="red"/>',
    'polyline': '<polyline points="5,5 60,5 60,40 20,60" fill="none" stroke="red"/>',
    'polygon': '<polygon points="5,5 60,5 60,40 20,60"/>',
    'path-arcs': '<path d="M10 40a20 20 0 0 1 40 0a10 20 30 1 1 -20 5z"/>',
    'path-curves': '<path d="M10 40C10 10 50 10 50 40S90 70 90 40Q70 5 50 20T20 60z"/>',
    'path-half': '<path d="M10 40A20 20 0 0 1 50 40Z"/>',
    'path-holes': '<path d="M10 10h60v50h-60zM20 20v20h20v-20zM50 30a5 5 0 1 0 10 0a5 5 0 1 0 -10 0z"/>',
}
wraps = {
    'plain': '%s',
    'scale': '<g transform="scale(0.5)">%s</g>',
    'rotate': '<g transform="rotate(30 50 40)">%s</g>',
    'skew': '<g transform="skewX(20) translate(3 4)">%s</g>',
    'matrix': '<g transform="matrix(0.8 0.1 -0.2 0.9 5 6)">%s</g>',
    'nested': '<svg x="10" y="10" width="60" height="60" viewBox="0 0 120 120" overflow="visible">%s</svg>',
    'use': '<defs><g id="s">%s</g></defs><use href="#s" x="3" y="2"/>',
    'style': '<style>g.a > * { fill: none; stroke: #f00 } </style><g class="a">%s</g>',
}
heads = {
    'mm': 'width="100mm" height="80mm" viewBox="0 0 100 80"',
    'in': 'width="4in" height="3.2in" viewBox="0 0 100 80"',
    'meet': 'width="100mm" height="100mm" viewBox="0 0 100 80"',
    'none': 'width="100mm" height="100mm" viewBox="0 0 100 80" preserveAspectRatio="none"',
}
for s, shape in shapes.items():
    for k, wrap in wraps.items():
        svg(f'{s}_{k}.svg', wrap % shape)
    for k, head in heads.items():
        svg(f'{s}_head-{k}.svg', shape, head)
svg('text.svg', shapes['rect'] + '<text x="5" y="5">HI</text>', lost=True)
svg('image.svg', shapes['rect'] + '<image href="a.png" width="5" height="5"/>', lost=True)

# ---- solids ---------------------------------------------------------------------------------------------------------------

gmsh.initialize()
gmsh.option.setNumber('General.Terminal', 0)
occ = gmsh.model.occ


def holed(r, n):
    plate = occ.addBox(0, 0, 0, 100, 60, r.uniform(2, 12))
    tools = [(3, occ.addCylinder(12 + 17 * k, 30 + 12 * (k % 2), -1, 0, 0, 20, r.uniform(1, 5))) for k in range(n)]
    return occ.cut([(3, plate)], tools)[0]


def rounded(r):
    b = occ.addBox(0, 0, 0, r.uniform(30, 60), 40, 25)
    occ.synchronize()
    edges = [e[1] for e in gmsh.model.getBoundary([(3, b)], combined=False, recursive=False)]
    lines = {abs(l[1]) for s in edges for l in gmsh.model.getBoundary([(2, abs(s))])}
    return occ.fillet([b], sorted(lines), [r.uniform(2, 6)])


def chamfered(r):
    b = occ.addBox(0, 0, 0, 40, 30, 20)
    occ.synchronize()
    return occ.chamfer([b], [1, 2], [1, 1], [r.uniform(1, 5)])


def lofted(r):
    a = occ.addWire([occ.addCircle(0, 0, 0, 20)])
    b = occ.addWire([occ.addCircle(5, 3, 30, r.uniform(8, 18))])
    c = occ.addWire([occ.addCircle(0, 0, 60, 14)])
    return occ.addThruSections([a, b, c])


def swept(r):
    p = [occ.addPoint(x, 0, z) for x, z in [(0, 0), (0, 40), (20, 70), (60, 80)]]
    path = occ.addWire([occ.addSpline(p)])
    return occ.addPipe([(2, occ.addDisk(0, 0, 0, r.uniform(3, 6), r.uniform(3, 6)))], path)


def revolved(r):
    p = [occ.addPoint(x, 0, z) for x, z in [(5, 0), (20, 0), (25, 10), (12, 30), (5, 30)]]
    lines = [occ.addLine(p[k], p[(k + 1) % 5]) for k in range(5)]
    return [(3, t) for d, t in occ.revolve([(2, occ.addPlaneSurface([occ.addCurveLoop(lines)]))], 0, 0, 0, 0, 0, 1, r.choice([math.pi, 2 * math.pi])) if d == 3]


def extruded(r):
    p = [occ.addPoint(x, y, 0) for x, y in [(0, 0), (40, 0), (50, 20), (25, 40), (0, 25)]]
    s = occ.addBSpline(p + [p[0]])
    return [(3, t) for d, t in occ.extrude([(2, occ.addPlaneSurface([occ.addCurveLoop([s])]))], 0, 0, r.uniform(5, 25)) if d == 3]


families = {
    'box': lambda r: [(3, occ.addBox(0, 0, 0, *(r.uniform(5, 80) for _ in range(3))))],
    'cylinder': lambda r: [(3, occ.addCylinder(3, 4, 5, 0, 0, r.uniform(5, 60), r.uniform(2, 20)))],
    'cone': lambda r: [(3, occ.addCone(0, 0, 0, 0, 0, r.uniform(10, 40), r.uniform(8, 20), r.uniform(0, 7)))],
    'sphere': lambda r: [(3, occ.addSphere(1, 2, 3, r.uniform(4, 25)))],
    'torus': lambda r: [(3, occ.addTorus(0, 0, 0, r.uniform(12, 30), r.uniform(2, 8)))],
    'wedge': lambda r: [(3, occ.addWedge(0, 0, 0, 30, 20, 15, ltx=r.uniform(0, 20)))],
    'holed plate': lambda r: holed(r, 5),
    'rounded box': rounded,
    'chamfered box': chamfered,
    'tube': lambda r: occ.cut([(3, occ.addCylinder(0, 0, 0, 0, 0, 50, 12))], [(3, occ.addCylinder(0, 0, -1, 0, 0, 52, r.uniform(4, 11)))])[0],
    'crossed cylinders': lambda r: occ.fuse([(3, occ.addCylinder(-30, 0, 0, 60, 0, 0, 8))], [(3, occ.addCylinder(0, -30, 0, 0, 60, 0, r.uniform(5, 8)))])[0],
    'common of cylinders': lambda r: occ.intersect([(3, occ.addCylinder(-30, 0, 0, 60, 0, 0, 10))], [(3, occ.addCylinder(0, -30, 0, 0, 60, 0, r.uniform(7, 10)))])[0],
    'bracket': lambda r: occ.fuse([(3, occ.addBox(0, 0, 0, 60, 40, 4))], [(3, occ.addBox(0, 0, 0, 4, 40, r.uniform(20, 50)))])[0],
    'hollow box': lambda r: occ.cut([(3, occ.addBox(0, 0, 0, 40, 30, 20))], [(3, occ.addBox(5, 5, 5, 20, 15, r.uniform(3, 9)))])[0],
    'drilled sphere': lambda r: occ.cut([(3, occ.addSphere(0, 0, 0, 20))], [(3, occ.addCylinder(0, 0, -25, 0, 0, 50, r.uniform(3, 12)))])[0],
    'revolved': revolved,
    'extruded spline': extruded,
    'loft': lofted,
    'sweep': swept,
    'half sphere': lambda r: occ.cut([(3, occ.addSphere(0, 0, 0, r.uniform(8, 20)))], [(3, occ.addBox(-50, -50, -100, 100, 100, 100))])[0],
}
for name, make in families.items():
    for i in range(2):
        gmsh.clear()
        gmsh.model.add(name)
        try:
            made = make(random.Random(f'{name} {i}'))
            occ.synchronize()
            # What is made is checked before it is kept: the kernel of this library may fail too.
            if not all(occ.getMass(3, t) > 0 for d, t in made if d == 3):
                continue
            keep = {t for d, t in made if d == 3}
            occ.remove([(3, t) for d, t in occ.getEntities(3) if t not in keep], recursive=True)
            for dim in (2, 1, 0):
                occ.remove([e for e in occ.getEntities(dim)], recursive=False)
            occ.synchronize()
            gmsh.write(case(f'{name.replace(" ", "-")}-{i}.step', 'solids'))
        except Exception:
            if cases and cases[-1]['file'] == f'{name.replace(" ", "-")}-{i}.step':
                cases.pop()

# ---- folded sheet parts: noise of 0.005 mm in every corner, split faces, cylinders as B-splines ------------------------------

K = 0.44


def arc(p, q, radius, left):
    # A centre at the same distance from both ends, so that noisy ends still make a true arc.
    mid = ((p[0] + q[0]) / 2, (p[1] + q[1]) / 2)
    d = (q[0] - p[0], q[1] - p[1])
    half = math.hypot(*d) / 2
    h = math.sqrt(max(radius * radius - half * half, 0))
    n = (-d[1] / (2 * half), d[0] / (2 * half))
    sign = 1 if left else -1
    return (mid[0] + n[0] * h * sign, mid[1] + n[1] * h * sign)


def folded(r, noise, split, splines):
    # Both sides of a sheet followed through straights and bends; the flat length by the K-factor beside it.
    t = r.uniform(0.8, 3)
    radius = r.uniform(0.6, 3) * t
    bends = r.randint(1, 4)
    at, heading, total = (0.0, 0.0), 0.0, 0.0
    length = 0.0
    left, right, centres = [], [], []
    for k in range(bends + 1):
        long = r.uniform(12, 45)
        length += long
        u = (math.cos(heading), math.sin(heading))
        n = (-u[1], u[0])
        to = (at[0] + u[0] * long, at[1] + u[1] * long)
        for p in (at, to):
            left.append((p[0] + n[0] * t / 2, p[1] + n[1] * t / 2))
            right.append((p[0] - n[0] * t / 2, p[1] - n[1] * t / 2))
        at = to
        if k == bends:
            break
        angle = math.radians(r.uniform(25, 100)) * (1 if total <= 0 else -1)
        total += angle
        middle = radius + t / 2
        side = 1 if angle > 0 else -1
        c = (at[0] + n[0] * middle * side, at[1] + n[1] * middle * side)
        heading += angle
        m = (-math.sin(heading), math.cos(heading))
        at = (c[0] - m[0] * middle * side, c[1] - m[1] * middle * side)
        length += abs(angle) * (radius + K * t)
        centres.append(angle > 0)
    shake = lambda p: (p[0] + r.uniform(-noise, noise), p[1] + r.uniform(-noise, noise))
    left, right = [shake(p) for p in left], [shake(p) for p in right]
    point = lambda p: occ.addPoint(p[0], p[1], 0)
    pl, pr = [point(p) for p in left], [point(p) for p in right]

    def straight(a, b, p, q):
        if not split:
            return [occ.addLine(a, b)]
        m = occ.addPoint(p[0] * 0.6 + q[0] * 0.4, p[1] * 0.6 + q[1] * 0.4, 0)
        return [occ.addLine(a, m), occ.addLine(m, b)]

    def side(points, places, inner):
        lines = []
        for k in range(0, len(points), 2):
            lines += straight(points[k], points[k + 1], places[k], places[k + 1])
            if k + 2 < len(points):
                turns_left = centres[k // 2]
                own = radius if turns_left == inner else radius + t
                c = arc(places[k + 1], places[k + 2], own, turns_left)
                if not splines:
                    lines.append(occ.addCircleArc(points[k + 1], point(c), points[k + 2]))
                    continue
                # The same arc as a rational B-spline of degree 2: its middle pole is where the tangents meet.
                p, q = places[k + 1], places[k + 2]
                mid = ((p[0] + q[0]) / 2 - c[0], (p[1] + q[1]) / 2 - c[1])
                to = math.hypot(*mid)
                pole = (c[0] + mid[0] * own * own / (to * to), c[1] + mid[1] * own * own / (to * to))
                lines.append(occ.addBSpline([points[k + 1], point(pole), points[k + 2]], degree=2, weights=[1, to / own, 1], knots=[0, 1], multiplicities=[3, 3]))
        return lines

    loop = side(pl, left, True) + [occ.addLine(pl[-1], pr[-1])] + [-x for x in reversed(side(pr, right, False))] + [occ.addLine(pr[0], pl[0])]
    wide = r.uniform(15, 60)
    made = occ.extrude([(2, occ.addPlaneSurface([occ.addCurveLoop(loop)]))], 0, 0, wide)
    return [(3, tag) for d, tag in made if d == 3], length, wide, t


for i in range(200):
    gmsh.clear()
    gmsh.model.add('folded')
    r = random.Random(f'folded {i}')
    try:
        made, length, wide, t = folded(r, 0.005 if i % 4 else 0.0, i % 3 == 1, i % 5 == 2)
        occ.synchronize()
        if not all(occ.getMass(3, tag) > 0 for d, tag in made):
            continue
        for dim in (2, 1, 0):
            occ.remove([e for e in occ.getEntities(dim)], recursive=False)
        occ.synchronize()
        path = case(f'folded-{i:03}.step', 'folded')
        cases[-1]['flat'] = {'length': length, 'width': wide, 'thickness': t, 'k': K}
        gmsh.write(path)
    except Exception:
        if cases and cases[-1]['file'] == f'folded-{i:03}.step':
            cases.pop()

# ---- closed tubes of folded sheet: convex polygons with rounded corners, ripped at one of them ----------------------------------


def closed_tube(r):
    # Corners on a stretched circle; walls offset by the thickness; the flat is as long as the neutral fibre all round.
    n, t = r.randint(3, 6), r.uniform(0.8, 2.5)
    radius = r.uniform(1, 2.5) * t
    turns = [2 * math.pi * (k + r.uniform(-0.18, 0.18)) / n for k in range(n)]
    a, b = r.uniform(40, 70), r.uniform(40, 70)
    corners = [(a * math.cos(v), b * math.sin(v)) for v in turns]

    def rounded(points, rad):
        lines, length = [], 0
        ends = []
        for k in range(n):
            p, q, w = points[k - 1], points[k], points[(k + 1) % n]
            u = (q[0] - p[0], q[1] - p[1])
            v = (w[0] - q[0], w[1] - q[1])
            lu, lv = math.hypot(*u), math.hypot(*v)
            angle = math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1])
            cut = rad * math.tan(angle / 2)
            one = (q[0] - u[0] / lu * cut, q[1] - u[1] / lu * cut)
            two = (q[0] + v[0] / lv * cut, q[1] + v[1] / lv * cut)
            centre = (one[0] - u[1] / lu * rad, one[1] + u[0] / lu * rad)
            ends.append((one, two, centre, angle))
        straight = 0
        tags = [(occ.addPoint(*o, 0), occ.addPoint(*w, 0), occ.addPoint(*c, 0)) for o, w, c, _ in ends]
        for k in range(n):
            lines.append(occ.addCircleArc(tags[k][0], tags[k][2], tags[k][1]))
            nxt = (k + 1) % n
            lines.append(occ.addLine(tags[k][1], tags[nxt][0]))
            straight += math.dist(ends[k][1], ends[nxt][0])
        return occ.addCurveLoop(lines), straight, [e[3] for e in ends]

    # Outside: the corners drawn out along their bisectors so that every wall is t further out.
    out = []
    for k in range(n):
        p, q, w = corners[k - 1], corners[k], corners[(k + 1) % n]
        u = math.atan2(q[1] - p[1], q[0] - p[0])
        v = math.atan2(w[1] - q[1], w[0] - q[0])
        turn = (v - u) % (2 * math.pi)
        m = u + turn / 2 - math.pi / 2
        out.append((q[0] + math.cos(m) * t / math.cos(turn / 2), q[1] + math.sin(m) * t / math.cos(turn / 2)))
    inner, straight, angles = rounded(corners, radius)
    outer, _, _ = rounded(out, radius + t)
    wide = r.uniform(30, 120)
    made = occ.extrude([(2, occ.addPlaneSurface([outer, inner]))], 0, 0, wide)
    return [(3, tag) for d, tag in made if d == 3], straight + sum(angles) * (radius + K * t), wide, t


for i in range(60):
    gmsh.clear()
    gmsh.model.add('ripped')
    r = random.Random(f'ripped {i}')
    made, length, wide, t = closed_tube(r)
    occ.synchronize()
    for dim in (2, 1, 0):
        occ.remove([e for e in occ.getEntities(dim)], recursive=False)
    occ.synchronize()
    path = case(f'ripped-{i:03}.step', 'ripped')
    cases[-1]['flat'] = {'length': length, 'width': wide, 'thickness': t, 'k': K, 'rip': True}
    gmsh.write(path)
gmsh.finalize()

# ---- ducts and cones by their sizes: how long everything on the flat is, by true lengths in space --------------------------------

for i in range(100):
    r = random.Random(f'sizes {i}')
    t, h = round(r.uniform(0.5, 3), 2), round(r.uniform(40, 300), 1)
    ox, oy = round(r.uniform(-60, 60), 1), round(r.uniform(-60, 60), 1)
    side = r.choice(['+x', '-x', '+y', '-y'])
    look = {'+x': 0, '+y': 1, '-x': 2, '-y': 3}[side]
    pieces, per = r.choice([1, 2]), r.choice([4, 8, 12])
    given = {'height': h, 'offsetX': ox, 'offsetY': oy, 'thickness': t, 'seam': side, 'pieces': pieces, 'lines': per, 'deviation': 0.002}
    if i % 2:
        a, b = round(r.uniform(60, 300), 1), round(r.uniform(30, 300), 1)
        given = {'shape': 'cone', 'lower': a, 'upper': b, **given}
        ra, rb = (a + t) / 2, (b + t) / 2
        rim = 2 * math.pi * (ra + rb)
        line = lambda v: math.hypot((rb - ra) * math.cos(v) + ox, (rb - ra) * math.sin(v) + oy, h)
        seams = [line(look * math.pi / 2 + k * math.pi) for k in range(pieces)]
        bends = sum(line(look * math.pi / 2 + 2 * math.pi * (k + 0.5) / per) for k in range(per))
    else:
        w, d, b = (round(r.uniform(60, 300), 1) for _ in range(3))
        given = {'shape': 'square-to-round', 'width': w, 'depth': d, 'diameter': b, **given}
        x, y, rb = (w + t) / 2, (d + t) / 2, (b + t) / 2
        rim = 4 * (x + y) + 2 * math.pi * rb
        foot = [(x, 0), (0, y), (-x, 0), (0, -y)]
        top = lambda v: (ox + rb * math.cos(v), oy + rb * math.sin(v))
        line = lambda p, v: math.hypot(top(v)[0] - p[0], top(v)[1] - p[1], h)
        seams = [line(foot[(look + 2 * k) % 4], (look + 2 * k) * math.pi / 2) for k in range(pieces)]
        corners = [(x, y), (-x, y), (-x, -y), (x, -y)]
        bends = sum(line(corners[q], (q + (k + 0.5) / per) * math.pi / 2) - t for q in range(4) for k in range(per))
    with open(case(f'sizes-{i:03}.sizes', 'sizes'), 'w') as f:
        json.dump(given, f)
    cases[-1]['drawn'] = rim + 2 * sum(seams) + bends

# ---- meshes ---------------------------------------------------------------------------------------------------------------


def sphere(n, r, centre=(0, 0, 0)):
    p, t = [(0, 0, r)], []
    for i in range(1, n):
        for j in range(2 * n):
            a, b = math.pi * i / n, math.pi * j / n
            p.append((r * math.sin(a) * math.cos(b), r * math.sin(a) * math.sin(b), r * math.cos(a)))
    p.append((0, 0, -r))
    last = len(p) - 1
    at = lambda i, j: 1 + (i - 1) * 2 * n + j % (2 * n)
    for j in range(2 * n):
        t.append((0, at(1, j), at(1, j + 1)))
        t.append((last, at(n - 1, j + 1), at(n - 1, j)))
        for i in range(1, n - 1):
            t += [(at(i, j), at(i + 1, j), at(i + 1, j + 1)), (at(i, j), at(i + 1, j + 1), at(i, j + 1))]
    return np.array(p) + np.array(centre), np.array(t)


def torus(n, major, minor):
    p = [((major + minor * math.cos(2 * math.pi * j / n)) * math.cos(2 * math.pi * i / n), (major + minor * math.cos(2 * math.pi * j / n)) * math.sin(2 * math.pi * i / n), minor * math.sin(2 * math.pi * j / n)) for i in range(n) for j in range(n)]
    at = lambda i, j: (i % n) * n + j % n
    t = [q for i in range(n) for j in range(n) for q in [(at(i, j), at(i + 1, j), at(i + 1, j + 1)), (at(i, j), at(i + 1, j + 1), at(i, j + 1))]]
    return np.array(p), np.array(t)


def both(*meshes):
    p, t, n = [], [], 0
    for q, u in meshes:
        p.append(q)
        t.append(u + n)
        n += len(q)
    return np.vstack(p), np.vstack(t)


inside = lambda m: (m[0], m[1][:, ::-1])
noisy = lambda m: (m[0] + np.random.default_rng(5).normal(0, 0.02, m[0].shape), m[1])
meshes = {
    'sphere': sphere(12, 20),
    'torus': torus(24, 30, 9),
    'two': both(sphere(8, 10), sphere(8, 10, (40, 0, 0))),
    'void': both(sphere(14, 20), inside(sphere(8, 9))),
    'rings': both(torus(20, 30, 4), (torus(20, 30, 4)[0] + np.array([0, 0, 20]), torus(20, 30, 4)[1])),
    'noisy': noisy(sphere(16, 25)),
    'small': (sphere(8, 1.5)[0], sphere(8, 1.5)[1]),
    'away': (sphere(10, 20)[0] + np.array([3000, -2000, 500]), sphere(10, 20)[1]),
    'heavy': sphere(60, 30),
}


def stl(path, p, t):
    q = p[t].astype('<f4')
    with open(path, 'wb') as f:
        f.write(b'made by numpy'.ljust(80) + struct.pack('<I', len(t)))
        for tri in q:
            f.write(struct.pack('<12f', 0, 0, 0, *tri.flatten()) + b'\0\0')


def obj(path, p, t):
    with open(path, 'w') as f:
        f.write('o part\n' + ''.join(f'v {x!r} {y!r} {z!r}\n' for x, y, z in p.tolist()) + ''.join(f'f {a + 1} {b + 1} {c + 1}\n' for a, b, c in t.tolist()))


def ply(path, p, t):
    with open(path, 'w') as f:
        f.write(f'ply\nformat ascii 1.0\nelement vertex {len(p)}\nproperty double x\nproperty double y\nproperty double z\nelement face {len(t)}\nproperty list uchar int vertex_indices\nend_header\n')
        f.write(''.join(f'{x!r} {y!r} {z!r}\n' for x, y, z in p.tolist()) + ''.join(f'3 {a} {b} {c}\n' for a, b, c in t.tolist()))


for name, (p, t) in meshes.items():
    for ending, write in [('stl', stl), ('obj', obj), ('ply', ply)]:
        write(case(f'mesh-{name}.{ending}', 'meshes'), p, t)



# ---- shells in shells: what joining them must hold, by hand -----------------------------------------------------------------


def cube(size, at=(0, 0, 0), inward=False):
    p = np.array([[x, y, z] for x in (0, size) for y in (0, size) for z in (0, size)], float) + np.array(at)
    t = np.array([[0, 1, 3], [0, 3, 2], [4, 6, 7], [4, 7, 5], [0, 4, 5], [0, 5, 1], [2, 3, 7], [2, 7, 6], [0, 2, 6], [0, 6, 4], [1, 5, 7], [1, 7, 3]])
    return p, t[:, ::-1] if inward else t


nested = {
    'hollow': ([cube(30), cube(20, (5, 5, 5), True)], 19000),
    'island': ([cube(30), cube(20, (5, 5, 5), True), cube(6, (10, 10, 10))], 19216),
    'hollow-island': ([cube(40), cube(30, (5, 5, 5), True), cube(20, (10, 10, 10)), cube(10, (15, 15, 15), True)], 64000 - 27000 + 8000 - 1000),
    'inverted': ([cube(10), cube(10, (20, 0, 0), True)], 2000),
    'all-inverted': ([cube(30, (0, 0, 0), True), cube(20, (5, 5, 5))], 19000),
    'overlapping': ([cube(20), cube(20, (10, 10, 10))], 15000),
    'wall-in-solid': ([cube(20), cube(10, (5, 5, 5))], 8000),
    'two-hollows': ([cube(50), cube(10, (5, 5, 5), True), cube(10, (30, 30, 30), True)], 123000),
    'reaching-in': ([cube(30), cube(20, (5, 5, 5), True), cube(8, (22, 11, 11))], 19000 + 512 - 5 * 64),
    'breaking-out': ([cube(30), cube(20, (15, 5, 5), True)], None),
}
for name, (parts, volume) in nested.items():
    stl(case(f'shells-{name}.stl', 'shells'), *both(*parts))
    cases[-1]['joined'] = volume

with open(os.path.join(out, 'cases.json'), 'w') as f:
    json.dump(cases, f)
print(len(cases), 'sources')
