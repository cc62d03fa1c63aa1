"""Makes bent tubes with Debian's gmsh (its own kernel) as STEP files. Reads a JSON list from standard input: for each tube points, radius, outer and
inner radius, the way ('pipe': swept along its line in one, 'fuse': turned and moved piece by piece, 'box': width, height and wall instead of radii), and a file name."""
import gmsh, json, math, sys
gmsh.initialize()
gmsh.option.setNumber('General.Terminal', 0)
occ = gmsh.model.occ


def sub(a, b): return [x - y for x, y in zip(a, b)]
def add(a, b): return [x + y for x, y in zip(a, b)]
def mul(a, k): return [x * k for x in a]
def dot(a, b): return sum(x * y for x, y in zip(a, b))
def cross(a, b): return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
def unit(a): return mul(a, 1 / math.sqrt(dot(a, a)))


def pieces(points, radius):
    out, at = [], points[0]
    for i in range(1, len(points)):
        d = unit(sub(points[i], points[i - 1]))
        if i == len(points) - 1:
            out.append(('s', at, points[i], d))
            break
        e = unit(sub(points[i + 1], points[i]))
        a = math.atan2(math.sqrt(dot(cross(d, e), cross(d, e))), dot(d, e))
        t = radius * math.tan(a / 2)
        f = sub(points[i], mul(d, t))
        out.append(('s', at, f, d))
        axis = unit(cross(d, e))
        at = add(points[i], mul(e, t))
        out.append(('b', f, at, add(f, mul(cross(axis, d), radius)), axis, a))
    return out


def stand(tag, at, d):
    """Turns a face from the z axis to a direction and moves it."""
    s = cross([0, 0, 1], d)
    n = math.sqrt(dot(s, s))
    if n > 1e-12:
        occ.rotate([(2, tag)], 0, 0, 0, *mul(s, 1 / n), math.atan2(n, d[2]))
    elif d[2] < 0:
        occ.rotate([(2, tag)], 0, 0, 0, 1, 0, 0, math.pi)
    occ.translate([(2, tag)], *at)
    return tag


def disk(outer, inner):
    tag = occ.addDisk(0, 0, 0, outer, outer)
    if not inner:
        return tag
    return occ.cut([(2, tag)], [(2, occ.addDisk(0, 0, 0, inner, inner))])[0][0][1]


def fused(all_, radius):
    vols = []
    for p in all_:
        if p[0] == 's':
            made = occ.extrude([(2, stand(disk(radius, 0), p[1], p[3]))], *sub(p[2], p[1]))
        else:
            made = occ.revolve([(2, stand(disk(radius, 0), p[1], unit(cross(p[4], sub(p[1], p[3])))))], *p[3], *p[4], p[5])
        vols.append([m for m in made if m[0] == 3][0])
    return occ.fuse(vols[:1], vols[1:])[0] if len(vols) > 1 else vols


for job in json.load(sys.stdin):
    gmsh.clear()
    all_ = pieces(job['points'], job['radius'])
    if job['way'] == 'pipe':
        at = occ.addPoint(*all_[0][1])
        curves = []
        for p in all_:
            to = occ.addPoint(*p[2])
            curves.append(occ.addLine(at, to) if p[0] == 's' else occ.addCircleArc(at, occ.addPoint(*p[3]), to))
            at = to
        face = stand(disk(job['outer'], job['inner']), all_[0][1], all_[0][3])
        solid = occ.addPipe([(2, face)], occ.addWire(curves))
        occ.remove([(2, face)])
    else:
        solid = fused(all_, job['outer'])
        if job['inner']:
            solid = occ.cut(solid, fused(all_, job['inner']))[0]
    occ.synchronize()
    occ.remove([(1, t) for _, t in gmsh.model.getEntities(1)])
    occ.synchronize()
    gmsh.write(job['file'])
gmsh.finalize()
