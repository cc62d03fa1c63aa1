"""What a sheet falls into when its lines are cut, by ezdxf and shapely: areas of the pieces less half the cut, and how much is cut.
usage: parted.py FILE KERF LAYER... -> {"areas": [...], "length": mm, "once": mm}"""
import json
import sys

import ezdxf
from ezdxf.path import make_path
from shapely.geometry import LineString
from shapely.ops import polygonize, unary_union

file, kerf, layers = sys.argv[1], float(sys.argv[2]), set(sys.argv[3:])
lines = []
for e in ezdxf.readfile(file).modelspace():
    if e.dxf.layer in layers:
        # Its paths are Bezier curves, a few thousandths off a circle: those are flattened as what they are.
        exact = e.flattening(0.0005) if e.dxftype() in ("CIRCLE", "ARC") else make_path(e).flattening(0.0005)
        points = [(p.x, p.y) for p in exact]
        if e.dxftype() == "LWPOLYLINE" and e.closed and points[0] != points[-1]:
            points.append(points[0])
        lines.append(LineString(points))
# Ends a rounding off a line still meet it.
lines = [LineString([(round(x, 3), round(y, 3)) for x, y in l.coords]) for l in lines]
united = unary_union(lines)
pieces = [p for p in polygonize(united)]
areas = sorted(round(p.buffer(-kerf / 2, join_style=2, mitre_limit=10).area, 3) for p in pieces)
print(json.dumps({"areas": areas, "length": sum(l.length for l in lines), "once": united.length}))
