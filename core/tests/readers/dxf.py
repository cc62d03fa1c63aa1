"""Reads DXF files with Debian's python3-ezdxf and prints, for each: audit, entities by kind, layers, $INSUNITS, lengths and areas of its curves."""
import json, math, sys
from ezdxf import recover, path
out = []
for name in sys.argv[1:]:
    doc, audit = recover.readfile(name)
    kinds, layers, length, area, circles = {}, {}, 0.0, 0.0, []
    def take(e):
        global length, area
        kind = e.dxftype()
        kinds[kind] = kinds.get(kind, 0) + 1
        layers[e.dxf.layer] = layers.get(e.dxf.layer, 0) + 1
        if kind == 'INSERT':
            for child in e.virtual_entities(): take(child)
            return
        if kind == 'CIRCLE':
            circles.append(2 * e.dxf.radius)
            length += 2 * math.pi * e.dxf.radius
            area += math.pi * e.dxf.radius ** 2
            return
        if kind in ('TEXT', 'MTEXT', 'POINT'): return
        p = path.make_path(e)
        v = [(q.x, q.y) for q in p.flattening(1e-5, segments=64)]
        length += sum(math.dist(a, b) for a, b in zip(v, v[1:]))
        if math.dist(v[0], v[-1]) < 1e-9: area += abs(sum(a[0] * b[1] - a[1] * b[0] for a, b in zip(v, v[1:])) / 2)
    for e in doc.modelspace(): take(e)
    out.append({'version': doc.dxfversion, 'errors': len(audit.errors), 'fixes': len(audit.fixes), 'messages': [x.message for x in audit.errors + audit.fixes], 'units': doc.header.get('$INSUNITS'), 'kinds': kinds, 'layers': layers, 'length': length, 'area': area, 'circles': sorted(circles), 'min': list(doc.header.get('$EXTMIN', (0, 0, 0))), 'max': list(doc.header.get('$EXTMAX', (0, 0, 0)))})
print(json.dumps(out))
