"""What Debian's fontTools, shapely and ezdxf say of letters: asked by text.test.ts.
areas FONT AXIS: area of letters at 20 places of an axis, by fontTools' own pen, of those whose outlines do not overlap anywhere on the axis.
union: reads rings (JSON, counter-clockwise polygons) and prints the area of their union.
text: reads a folder, writes a DXF with TEXT and MTEXT of many heights, prints what ezdxf says of the height of H."""
import json, sys

def areas(path, tag):
    from fontTools.ttLib import TTFont
    from fontTools.pens.areaPen import AreaPen
    from fontTools.pens.recordingPen import DecomposingRecordingPen
    from fontTools.pens.basePen import BasePen
    from shapely.geometry import LineString
    from fontTools.varLib.models import normalizeLocation, piecewiseLinearMap
    font = TTFont(path)
    axis = next(a for a in font['fvar'].axes if a.axisTag == tag)
    cmap = font.getBestCmap()
    class Chords(BasePen):
        def __init__(self, glyphs):
            super().__init__(glyphs); self.rings = []
        def _moveTo(self, p): self.rings.append([p])
        def _lineTo(self, p): self.rings[-1].append(p)
        def _qCurveToOne(self, c, p):
            a = self.rings[-1][-1]
            for i in range(1, 9):
                t = i / 8
                self.rings[-1].append(((1-t)**2*a[0] + 2*t*(1-t)*c[0] + t*t*p[0], (1-t)**2*a[1] + 2*t*(1-t)*c[1] + t*t*p[1]))
        def _curveToOne(self, c, d, p):
            a = self.rings[-1][-1]
            for i in range(1, 9):
                t = i / 8
                self.rings[-1].append(tuple((1-t)**3*a[k] + 3*t*(1-t)**2*c[k] + 3*t*t*(1-t)*d[k] + t**3*p[k] for k in (0, 1)))
        def _closePath(self): self.rings[-1].append(self.rings[-1][0])
    out = {}
    for letter in 'HILTEFxlizvw1740SOCJUsocjn':
        name = cmap.get(ord(letter))
        if not name: continue
        values, clean = [], True
        for i in range(20):
            at = axis.minValue + (axis.maxValue - axis.minValue) * (i + 0.3) / 20
            # What comes of bending the axis is a number of 14 binary places (OpenType 1.9, avar: F2DOT14); where it lies between two, either may be taken.
            n = normalizeLocation({tag: at}, {tag: (axis.minValue, axis.defaultValue, axis.maxValue)})[tag]
            if 'avar' in font: n = piecewiseLinearMap(n, font['avar'].segments[tag])
            either = []
            for k in (int(n * 16384), int(n * 16384) + 1):
                glyphs = font.getGlyphSet(location={tag: k / 16384}, normalized=True)
                pen = AreaPen(glyphs); glyphs[name].draw(pen)
                either.append(abs(pen.value))
            chords = Chords(glyphs); glyphs[name].draw(chords)
            lines = [LineString(r) for r in chords.rings if len(r) > 2]
            if any(not l.is_simple for l in lines) or any(a.crosses(b) for a in lines for b in lines if a is not b): clean = False
            values.append([at, either])
        if clean: out[letter] = values
    print(json.dumps(out))

def union():
    from shapely.geometry import Polygon
    from shapely.ops import unary_union
    print(json.dumps([unary_union([Polygon(r) for r in rings]).area for rings in json.load(sys.stdin)]))

def text(folder):
    import ezdxf
    from ezdxf.addons import text2path
    doc = ezdxf.new('R2000'); doc.header['$INSUNITS'] = 4
    msp = doc.modelspace()
    heights = [1.8, 2.5, 3.5, 5, 7, 10, 14, 20]
    measured = []
    for i, h in enumerate(heights):
        t = msp.add_text('H', dxfattribs={'height': h, 'layer': f'T{i}'}); t.set_pos((0, 40 * i))
        try:
            box = [p.y for path in text2path.make_paths_from_entity(t) for p in path.flattening(1e-4)]
            measured.append(max(box) - min(box))
        except Exception:
            measured.append(None)
    msp.add_text('HH', dxfattribs={'height': 4, 'layer': 'middle'}).set_pos((100, 0), align='MIDDLE_CENTER')
    msp.add_text('HH', dxfattribs={'height': 4, 'layer': 'right'}).set_pos((100, 20), align='TOP_RIGHT')
    msp.add_text('HHHH', dxfattribs={'height': 4, 'layer': 'fit'}).set_pos((100, 40), (160, 40), align='FIT')
    msp.add_text('HH', dxfattribs={'height': 4, 'layer': 'turned', 'rotation': 90}).set_pos((200, 0))
    msp.add_mtext('HH\\PHH', dxfattribs={'char_height': 5, 'layer': 'mtext', 'attachment_point': 1, 'insert': (100, 100)})
    msp.add_mtext('HHH HHH HHH HHH', dxfattribs={'char_height': 5, 'layer': 'wrapped', 'attachment_point': 1, 'insert': (100, 200), 'width': 30})
    doc.saveas(f'{folder}/texts.dxf')
    print(json.dumps({'heights': heights, 'measured': measured}))

def mtext(folder, content, width=None):
    """An MTEXT with codes, and the lines of text that ezdxf parts it into: height, width factor, slant (degrees), place; line by line."""
    import ezdxf
    from ezdxf.addons import MTextExplode
    doc = ezdxf.new('R2010', setup=True); doc.units = 4; m = doc.modelspace()
    m.add_line((0, -50), (1, -50))
    at = {'char_height': 4, 'insert': (5, 50)}
    if width: at['width'] = float(width)
    made = m.add_mtext(content, dxfattribs=at)
    file = f'{folder}/mtext.dxf'; doc.saveas(file)
    with MTextExplode(m) as parts: parts.explode(made)
    found = [{'text': t.dxf.text, 'height': t.dxf.height, 'width': t.dxf.width, 'oblique': t.dxf.oblique, 'x': t.dxf.insert.x, 'y': t.dxf.insert.y} for t in m.query('TEXT')]
    # Lines hang from their tops there.
    found.sort(key=lambda t: (-round(t['y'] + t['height'], 1), t['x']))
    print(json.dumps({'file': file, 'parts': found}))

{'mtext': lambda: mtext(*sys.argv[2:]), 'areas': lambda: areas(sys.argv[2], sys.argv[3]), 'union': union, 'text': lambda: text(sys.argv[2])}[sys.argv[1]]()
