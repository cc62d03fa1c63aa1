"""Reads {"sets": [{"parts": [[ring, ...], ...], "sheet": [w, h] or ring, "rim": mm}]} from stdin; says for each set, by shapely: the area that two parts have in
common at most, the least distance of two, and how far any reaches beyond the sheet less its rim (mm2)."""
import json, sys
from shapely.geometry import Polygon, box

out = []
for s in json.load(sys.stdin)["sets"]:
    shapes = [Polygon(p[0], p[1:]) for p in s["parts"]]
    bad = [i for i, p in enumerate(shapes) if not p.is_valid]
    common, apart = 0.0, 1e9
    bounds = [p.bounds for p in shapes]
    for i, a in enumerate(shapes):
        for j in range(i + 1, len(shapes)):
            x, y = bounds[i], bounds[j]
            if x[0] > y[2] + 30 or y[0] > x[2] + 30 or x[1] > y[3] + 30 or y[1] > x[3] + 30:
                continue
            if i not in bad and j not in bad:
                common = max(common, a.intersection(shapes[j]).area)
            apart = min(apart, a.distance(shapes[j]))
    sheet = box(0, 0, *s["sheet"]) if len(s["sheet"]) == 2 and not isinstance(s["sheet"][0], list) else Polygon(s["sheet"])
    room = sheet.buffer(-s["rim"], join_style=2) if s["rim"] else sheet
    beyond = max((p.difference(room).area for p in shapes), default=0.0)
    out.append({"common": common, "apart": apart, "beyond": beyond, "invalid": bad})
json.dump(out, sys.stdout)
