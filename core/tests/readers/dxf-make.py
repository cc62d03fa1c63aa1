"""Makes DXF files of every kind with Debian's python3-ezdxf, text and binary, R12 to 2018, and prints what its own explode says of their length."""
import json, math, sys, os
import ezdxf
from ezdxf import path
folder = sys.argv[1]
out = {}
def length_of(entities):
    total = 0.0
    for e in entities:
        kind = e.dxftype()
        if kind == 'INSERT':
            total += length_of(e.virtual_entities()) if not e.mcount > 1 else sum(length_of(i.virtual_entities()) for i in e.multi_insert())
        elif kind in ('LINE', 'ARC', 'CIRCLE', 'ELLIPSE', 'LWPOLYLINE', 'POLYLINE', 'SPLINE'):
            v = list(path.make_path(e).flattening(1e-6, segments=128))
            total += sum(math.hypot(a.x - b.x, a.y - b.y) for a, b in zip(v, v[1:]))
    return total
for version, fmt in [('R12', 'asc'), ('R2000', 'asc'), ('R2000', 'bin'), ('R2010', 'asc'), ('R2018', 'asc'), ('R2018', 'bin')]:
    doc = ezdxf.new(version)
    doc.header['$INSUNITS'] = 1
    msp = doc.modelspace()
    doc.layers.new('Gehäuse', dxfattribs={'color': 3})
    doc.layers.new('hidden', dxfattribs={'color': 5}).off()
    leaf = doc.blocks.new('LEAF')
    leaf.add_circle((0, 0), 1)
    leaf.add_line((0, 0), (2, 1))
    branch = doc.blocks.new('BRANCH', base_point=(1, 1))
    branch.add_blockref('LEAF', (3, 2), dxfattribs={'xscale': 1, 'yscale': -1, 'rotation': 30})
    branch.add_arc((0, 0), 2, 20, 110)
    msp.add_blockref('BRANCH', (10, 5), dxfattribs={'xscale': 2, 'yscale': 2, 'rotation': 15, 'layer': 'Gehäuse'})
    msp.add_blockref('LEAF', (30, 5), dxfattribs={'xscale': 2, 'yscale': 1.5, 'rotation': 15})
    msp.add_blockref('LEAF', (0, 20), dxfattribs={'column_count': 3, 'row_count': 2, 'column_spacing': 5, 'row_spacing': 7})
    msp.add_line((0, 0), (3, 4), dxfattribs={'layer': 'Gehäuse'})
    msp.add_circle((5, 5), 2)
    msp.add_arc((7, 5), 2, 300, 40)
    msp.add_arc((7, 5), 3, 30, 80, dxfattribs={'extrusion': (0, 0, -1)})
    msp.add_polyline2d([(0, 0, 0, 0, 0.5), (4, 0, 0, 0, -1), (4, 4, 0, 0, 0)], format='xyseb', close=True)
    msp.add_text('Müller')
    msp.add_point((1, 2))
    if version != 'R12':
        msp.add_lwpolyline([(0, 0, 0.3), (5, 1, -0.4), (6, 6, 0)], format='xyb', close=True)
        msp.add_ellipse((2, 2), major_axis=(3, 1), ratio=0.4, start_param=0.5, end_param=4)
        msp.add_open_spline([(0, 0), (1, 3), (4, 2), (6, 5), (8, 0)], degree=3)
        msp.add_rational_spline([(0, 0), (1, 3), (4, 2), (6, 5)], [1, 2, 1, 1], degree=3)
        msp.add_mtext('two\nlines')
    shown = length_of(msp)
    msp.add_line((0, 0), (100, 0), dxfattribs={'layer': 'hidden'})
    if version != 'R12':
        msp.add_ray((0, 0), (1, 0))
        msp.add_ray((0, 0), (0, 1))
    name = f'{version}-{fmt}.dxf'
    doc.saveas(os.path.join(folder, name), fmt=fmt)
    out[name] = {'length': shown, 'version': doc.dxfversion}
print(json.dumps(out))
