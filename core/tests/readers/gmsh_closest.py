"""
Facets against the solid they stand for, by Debian's gmsh (its geometry kernel's closest points), both ways.
Arguments: STEP file, JSON file {"p": [x, y, z, ...] in mm, "t": [corners]}. Prints the largest distances, mm: from places on facets to the surfaces, and from
places on the surfaces to the facets.
"""
import json, sys
import gmsh, numpy as np

gmsh.initialize()
gmsh.option.setNumber('General.Terminal', 0)
gmsh.option.setString('Geometry.OCCTargetUnit', 'MM')
gmsh.model.occ.importShapes(sys.argv[1])
gmsh.model.occ.synchronize()
mesh = json.load(open(sys.argv[2]))
p = np.array(mesh['p']).reshape(-1, 3)
t = np.array(mesh['t']).reshape(-1, 3)
a, b, c = p[t[:, 0]], p[t[:, 1]], p[t[:, 2]]
faces = [tag for _, tag in gmsh.model.getEntities(2)]
rng = np.random.default_rng(1)

n = np.cross(b - a, c - a)
twice = np.linalg.norm(n, axis=1)
at = rng.choice(len(t), size=3000, p=twice / twice.sum())
r = np.sqrt(rng.random((3000, 1)))
s = rng.random((3000, 1))
on_facets = (1 - r) * a[at] + r * (1 - s) * b[at] + r * s * c[at]
near = np.full(3000, np.inf)
for tag in faces:
    found, _ = gmsh.model.getClosestPoint(2, tag, on_facets.ravel().tolist())
    near = np.minimum(near, np.linalg.norm(np.array(found).reshape(-1, 3) - on_facets, axis=1))

n /= twice[:, None]
def to_facets(x):
    best = np.inf
    for p0, p1 in ((a, b), (b, c), (c, a)):
        e = p1 - p0
        k = np.clip(((x - p0) * e).sum(1) / (e * e).sum(1), 0, 1)
        best = min(best, np.linalg.norm(p0 + e * k[:, None] - x, axis=1).min())
    h = ((x - a) * n).sum(1)
    foot = x - h[:, None] * n
    side = lambda p0, p1: np.einsum('ij,ij->i', np.cross(p1 - p0, foot - p0), n) >= 0
    within = side(a, b) & side(b, c) & side(c, a)
    return min(best, np.abs(h[within]).min()) if within.any() else best

far = 0
for tag in faces:
    low, high = gmsh.model.getParametrizationBounds(2, tag)
    uv = rng.uniform(low, high, (40, 2))
    places = np.array(gmsh.model.getValue(2, tag, uv.ravel().tolist())).reshape(-1, 3)
    for k in range(40):
        if gmsh.model.isInside(2, tag, uv[k].tolist()):
            far = max(far, to_facets(places[k]))
gmsh.finalize()
print(json.dumps({'facets': near.max(), 'surfaces': far}))
