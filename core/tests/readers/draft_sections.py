"""Sections of a leaning solid by shapely: for an outline (JSON: rings, height, slope) the area of what is left at shares of the height, inner corners
mitred however sharp ("least"), and rounded ("most"): what a square cut of the sharp ones leaves lies between; and the volume of the first by 200 slabs of
Simpson's rule."""
import json, sys
from shapely.geometry import Polygon
from shapely.ops import unary_union
out = []
for job in json.load(sys.stdin):
    area = Polygon()
    for ring in job['rings']: area = area.symmetric_difference(Polygon(ring))
    inset = lambda z: area.buffer(-z * job['slope'], join_style=2, mitre_limit=1e6).area
    rounded = lambda z: area.buffer(-z * job['slope'], 64, join_style=1).area
    h, n = job['height'], 200
    out.append({'least': [inset(h * s) for s in job['shares']], 'most': [rounded(h * s) for s in job['shares']], 'volume': sum((1 if k in (0, n) else 4 if k % 2 else 2) * inset(h * k / n) for k in range(n + 1)) * h / (3 * n)})
print(json.dumps(out))
