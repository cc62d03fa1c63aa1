"""Filled areas of every kind of edge, made by ezdxf. Prints JSON of file names to areas, one a path: of arcs by hand, of splines as its own paths have them."""
import json
import math
import sys

import ezdxf
from ezdxf import path

folder = sys.argv[1]


def area(points):
    return abs(sum(a.x * b.y - b.x * a.y for a, b in zip(points, points[1:] + points[:1]))) / 2


def edges(loop):
    """A closed loop of one edge of every kind, some of them clockwise."""
    loop.add_line((0, 0), (40, 0))
    loop.add_arc((40, 10), 10, 270, 90, True)
    loop.add_arc((40, 25), 5, 180, 270, False)
    loop.add_line((35, 25), (30, 30))
    loop.add_ellipse((20, 30), (10, 0), 0.4, 0, 180, True)
    loop.add_ellipse((5, 30), (5, 0), 0.6, 180, 360, False)
    loop.add_line((0, 30), (0, 0))


# Polygon of the corners, a half disc out, a segment of a quarter in, half an ellipse out and one in; its paths have arcs by cubic pieces, 4e-5 off.
edges_area = 1150 + 50 * math.pi - 12.5 * (math.pi / 2 - 1) + 20 * math.pi - 7.5 * math.pi


def fitted(loop, tangents, rational, fits=True):
    more = dict(start_tangent=(0.7, 0.7), end_tangent=(-0.7, 0.7)) if tangents else {}
    loop.add_line((0, 0), (40, 0))
    loop.add_spline(
        fit_points=[(40, 0), (45, 10), (40, 20)] if fits else [],
        control_points=[(40, 0), (46, 6), (46, 14), (40, 20)],
        degree=3,
        knot_values=[0, 0, 0, 0, 1, 1, 1, 1],
        weights=[1, 2, 2, 1] if rational else None,
        **more,
    )
    loop.add_line((40, 20), (20, 30))
    loop.add_line((20, 30), (0, 20))
    loop.add_line((0, 20), (0, 0))


made = {}
for version in ["R2000", "R2007", "R2010", "R2018"]:
    for name in ["edges", "fitted", "tangents", "rational", "bare", "bulges", "several", "sources"]:
        doc = ezdxf.new(version)
        doc.header["$INSUNITS"] = 4
        model = doc.modelspace()
        hatch = model.add_hatch(color=1)
        if name == "edges":
            edges(hatch.paths.add_edge_path())
        elif name == "bulges":
            hatch.paths.add_polyline_path([(0, 0), (30, 0, 0.5), (30, 20), (10, 25, -0.3), (0, 20)], is_closed=True)
        elif name == "several":
            edges(hatch.paths.add_edge_path())
            hatch.paths.add_polyline_path([(5, 5), (9, 5, 1), (9, 9), (5, 9)], is_closed=True, flags=16)
            fitted(hatch.paths.add_edge_path(flags=16), True, False)
        elif name == "sources":
            lines = [model.add_lwpolyline([(0, 0), (9, 0), (9, 9)], close=True), model.add_circle((60, 60), 5)]
            loop = hatch.paths.add_edge_path()
            fitted(loop, False, False, False)
            loop.source_boundary_objects = [e.dxf.handle for e in lines]
            hatch.paths.add_polyline_path([(60, 60), (70, 60), (70, 70)], is_closed=True)
            for e in lines:
                e.dxf.layer = "outline"
        else:
            fitted(hatch.paths.add_edge_path(), name == "tangents", name == "rational", name != "bare")
        file = f"{version} {name}.dxf"
        doc.saveas(f"{folder}/{file}")
        made[file] = [area(list(p.flattening(1e-4))) for p in path.from_hatch(hatch)]
        if name in ("edges", "several"):
            made[file][0] = edges_area
        if name == "several":
            made[file][1] = 16 + 2 * math.pi
print(json.dumps(made))
