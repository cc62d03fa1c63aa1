"""Independent readers, one JSON request a line on standard input, one answer a line on standard output.

{"op": "figures", "file": ..., "format": ..., "unit": mm per number}: what a library that the project does not use finds in a file.
{"op": "svg-as-shown", "file": ...}: what librsvg shows of an SVG file, as paths.
{"op": "damage", "file": ..., "format": ..., "kind": ..., "seed": ...}: damages a written file in one meaningful way, in place.
Drawings: {"box": [w, h], "length", "curves", "texts", "errors"}; meshes: {"size", "volume", "area", "triangles", "open", "euler"}.
"""
import json
import math
import os
import random
import re
import struct
import subprocess
import sys
import tempfile
import xml.etree.ElementTree as ET
import zipfile

import numpy as np

fine = 0.0005


def chords(points):
    p = np.asarray(points, dtype=float)
    return float(np.sum(np.hypot(*np.diff(p, axis=0).T))) if len(p) > 1 else 0.0


class Sum:
    """Box and length of many chains of points."""

    def __init__(self):
        self.length, self.curves, self.low, self.high = 0.0, 0, np.full(2, np.inf), np.full(2, -np.inf)

    def add(self, points):
        p = np.asarray([(q[0], q[1]) for q in points], dtype=float)
        if len(p) < 2:
            return
        self.length += chords(p)
        self.curves += 1
        self.low = np.minimum(self.low, p.min(axis=0))
        self.high = np.maximum(self.high, p.max(axis=0))

    def figures(self, per=1.0, **more):
        size = (self.high - self.low) * per if self.curves else np.zeros(2)
        return {'box': size.tolist(), 'length': self.length * per, 'curves': self.curves, **more}


# ---- DXF -----------------------------------------------------------------------------------------------------------------

units = {0: None, 1: 25.4, 2: 304.8, 4: 1, 5: 10, 6: 1000, 8: 25.4e-6, 9: 0.0254, 10: 914.4, 13: 0.001, 14: 100, 21: 1200000 / 3937}


def dxf(file, per):
    from ezdxf import path, recover
    from ezdxf.math import Matrix44

    doc, audit = recover.readfile(file)
    total, texts = Sum(), 0

    def take(entities, depth=0):
        nonlocal texts
        for e in entities:
            kind = e.dxftype()
            if kind in ('TEXT', 'MTEXT'):
                texts += 1
            elif kind == 'INSERT':
                if e.mcount > 1:
                    take(e.multi_insert(), depth)
                else:
                    take(e.virtual_entities(), depth + 1)
            elif kind in ('SOLID', 'TRACE', '3DFACE'):
                v = list(e.wcs_vertices()) if hasattr(e, 'wcs_vertices') else [e.dxf.vtx0, e.dxf.vtx1, e.dxf.vtx2, e.dxf.vtx3]
                total.add([*v, v[0]])
            elif kind == 'HATCH':
                for p in path.from_hatch(e):
                    total.add(p.flattening(fine / unit))
            else:
                try:
                    p = path.make_path(e)
                except TypeError:
                    continue
                total.add(p.flattening(fine / unit))

    stated = units.get(doc.header.get('$INSUNITS', 0))
    unit = stated or per or 1
    take(doc.modelspace())
    return total.figures(unit, texts=texts, errors=len(audit.errors), unit=stated)


# ---- SVG -----------------------------------------------------------------------------------------------------------------


def sampled(segment, n=64):
    if type(segment).__name__ in ('Line', 'Close'):
        return [segment.start, segment.end]
    return [segment.point(k / n) for k in range(n + 1)]


def svg_paths(file):
    """Sub-paths of all shapes as points, in pixels of 96 an inch."""
    from svgelements import SVG, Move, Path, Shape

    for e in SVG.parse(file, ppi=96, reify=True).elements():
        if not isinstance(e, Shape):
            continue
        run = []
        for s in Path(e).segments():
            if isinstance(s, Move):
                if len(run) > 1:
                    yield run
                run = []
                continue
            if s.start is None or s.end is None:
                continue
            points = sampled(s)
            run += points if not run else points[1:]
        if len(run) > 1:
            yield run


def svg(file, per):
    total = Sum()
    for points in svg_paths(file):
        total.add([(p.x, p.y) for p in points])
    with open(file) as f:
        head = f.read(2000)
    stated = re.search(r'<svg[^>]*\swidth="[\d.]+mm"', head) is not None
    return total.figures(25.4 / 96 if stated else per, texts=0, errors=0, unit='mm' if stated else None)


def svg_as_shown(file):
    with tempfile.TemporaryDirectory() as folder:
        shown = os.path.join(folder, 'shown.svg')
        done = subprocess.run(['rsvg-convert', '-f', 'svg', '-o', shown, file], capture_output=True, timeout=20)
        if done.returncode != 0:
            return {'refused': done.stderr.decode()[:200]}
        text = open(shown).read()
        glyphs, images, clips, masks = ('<use ' in text or '<symbol' in text), '<image' in text, text.count('<clipPath'), '<mask' in text
        # Glyphs and pictures of clips are no drawn paths.
        text = re.sub(r'<defs>.*?</defs>|<clipPath.*?</clipPath>|<mask.*?</mask>', '', text, flags=re.S)
        plain = os.path.join(folder, 'plain.svg')
        open(plain, 'w').write(text)
        total, seen = Sum(), set()
        for points in svg_paths(plain):
            p = [(q.x, q.y) for q in points]
            # Fill and stroke of one shape come as two paths.
            key = tuple(round(v, 1) for q in (p[0], p[len(p) // 2], p[-1]) for v in q) + (round(chords(p), 0),)
            if key not in seen:
                seen.add(key)
                total.add(p)
        return total.figures(25.4 / 96, glyphs=glyphs, images=images, clips=clips, masks=masks)


# ---- PDF -----------------------------------------------------------------------------------------------------------------


def pdf(file, per):
    import pikepdf

    total, texts = Sum(), 0
    with pikepdf.open(file) as doc:
        at, start, run, runs = None, None, [], []
        for operands, operator in pikepdf.parse_content_stream(doc.pages[0]):
            op = str(operator)
            n = [float(v) for v in operands] if op in ('m', 'l', 'c', 'v', 'y', 're') else []
            if op == 'm':
                run = [(n[0], n[1])]
                runs.append(run)
            elif op == 'l':
                run.append((n[0], n[1]))
            elif op == 'c':
                a = np.array(run[-1])
                b, c, d = np.array(n[:2]), np.array(n[2:4]), np.array(n[4:])
                for k in range(1, 65):
                    t = k / 64
                    run.append(tuple((1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d))
            elif op == 'h':
                if run and run[0] != run[-1]:
                    run.append(run[0])
            elif op in ('S', 's', 'f', 'f*', 'B', 'B*'):
                for r in runs:
                    # The line of 100 mm that people measure on the paper is not the drawing's.
                    if not (len(r) == 2 and abs(chords(r) * 25.4 / 72 - 100) < 1e-3 and r[0][1] * 25.4 / 72 < 15):
                        total.add(r)
                run, runs = [], []
            elif op in ('Tj', 'TJ'):
                texts += 1
    return total.figures(25.4 / 72, texts=max(0, texts - 1), errors=0, unit='mm')


# ---- meshes and solids ---------------------------------------------------------------------------------------------------


def mesh_of(file, form):
    """Points and triangles, and mm in one number (None when the file does not say)."""
    if form == 'stl':
        data = open(file, 'rb').read()
        n = struct.unpack_from('<I', data, 80)[0] if len(data) >= 84 else -1
        if len(data) == 84 + 50 * n:
            rows = np.frombuffer(data, dtype=np.dtype([('f', '<f4', 12), ('a', '<u2')]), count=n, offset=84)
            corners = rows['f'][:, 3:].reshape(-1, 3).astype(float)
        else:
            corners = np.array([[float(v) for v in m.split()[1:4]] for m in data.decode('latin-1').splitlines() if m.strip().startswith('vertex')])
        p, t = np.unique(corners, axis=0, return_inverse=True)
        return p, t.reshape(-1, 3), None
    if form == 'obj':
        p, t = [], []
        for line in open(file, encoding='utf-8'):
            w = line.split()
            if w[:1] == ['v']:
                p.append([float(v) for v in w[1:4]])
            elif w[:1] == ['f']:
                c = [int(v.split('/')[0]) - 1 for v in w[1:]]
                t += [[c[0], c[k], c[k + 1]] for k in range(1, len(c) - 1)]
        return np.array(p), np.array(t), None
    if form == 'ply':
        data = open(file, 'rb').read()
        end = data.index(b'end_header') + data[data.index(b'end_header') :].index(b'\n') + 1
        head = data[:end].decode()
        nv, nf = int(re.search(r'element vertex (\d+)', head)[1]), int(re.search(r'element face (\d+)', head)[1])
        kinds = re.findall(r'property (float|double|uchar)\w* \w+', head.split('element face')[0])
        size = {'float': 'f4', 'double': 'f8', 'uchar': 'u1'}
        if 'ascii' in head:
            rows = data[end:].decode().splitlines()
            p = np.array([[float(v) for v in r.split()[:3]] for r in rows[:nv]])
            t = np.array([[int(v) for v in r.split()[1:4]] for r in rows[nv : nv + nf]])
            return p, t, None
        row = np.dtype([(str(k), '<' + size[v]) for k, v in enumerate(kinds)])
        v = np.frombuffer(data, dtype=row, count=nv, offset=end)
        f = np.frombuffer(data, dtype=np.dtype([('n', 'u1'), ('i', '<i4', 3)]), count=nf, offset=end + nv * row.itemsize)
        return np.stack([v['0'], v['1'], v['2']], axis=1).astype(float), f['i'].astype(int), None
    if form == '3mf':
        with zipfile.ZipFile(file) as z:
            root = ET.fromstring(z.read('3D/3dmodel.model'))
        tag = lambda e: e.tag.split('}')[1]
        per = {'micron': 0.001, 'millimeter': 1, 'centimeter': 10, 'inch': 25.4, 'foot': 304.8, 'meter': 1000}[root.get('unit', 'millimeter')]
        p, t, n = [], [], 0
        for o in (e for e in root.iter() if tag(e) == 'object'):
            own = [[float(v.get(k)) for k in 'xyz'] for v in o.iter() if tag(v) == 'vertex']
            t += [[int(v.get(k)) + n for k in ('v1', 'v2', 'v3')] for v in o.iter() if tag(v) == 'triangle']
            p += own
            n += len(own)
        return np.array(p), np.array(t), per
    raise ValueError(form)


def mesh(file, form, per):
    p, t, stated = mesh_of(file, form)
    p = p * (stated or per or 1)
    p, again = np.unique(p, axis=0, return_inverse=True)
    t = again[t]
    t = t[(t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])]
    a, b, c = p[t[:, 0]], p[t[:, 1]], p[t[:, 2]]
    cross = np.cross(b - a, c - a)
    edges = np.sort(np.vstack([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    kinds, counts = np.unique(edges, axis=0, return_counts=True)
    middle = p.mean(axis=0) if len(p) else 0
    used = np.unique(t)
    return {
        'size': (p[used].max(axis=0) - p[used].min(axis=0)).tolist() if len(used) else [0, 0, 0],
        'volume': float(np.einsum('ij,ij->', a - middle, np.cross(b - middle, c - middle)) / 6),
        'area': float(np.linalg.norm(cross, axis=1).sum() / 2),
        'triangles': len(t),
        'open': int((counts != 2).sum()),
        'euler': int(len(used) - len(kinds) + len(t)),
        'unit': stated,
    }


started = []


def step(file, box=True):
    import gmsh

    if not started:
        gmsh.initialize()
        gmsh.option.setNumber('General.Terminal', 0)
        started.append(True)
    gmsh.option.setString('Geometry.OCCTargetUnit', 'MM')
    gmsh.clear()
    gmsh.model.add('x')
    made = gmsh.model.occ.importShapes(file)
    gmsh.model.occ.synchronize()
    solids = [t for d, t in made if d == 3]
    # The kernel's own boxes are loose round curves: nodes of a fine surface mesh give the real one.
    gmsh.option.setNumber('Mesh.MeshSizeMax', 2.5)
    gmsh.option.setNumber('Mesh.MeshSizeFromCurvature', 40)
    if box:
        gmsh.model.mesh.generate(2)
    nodes = np.array(gmsh.model.mesh.getNodes()[1]).reshape(-1, 3) if box else np.zeros((0, 3))
    low, high = (nodes.min(axis=0), nodes.max(axis=0)) if len(nodes) else (np.zeros(3), np.zeros(3))
    faces = {abs(f[1]) for t in solids for f in gmsh.model.getBoundary([(3, t)], oriented=False)}
    return {
        'size': (high - low).tolist() if solids else [0, 0, 0],
        'volume': sum(gmsh.model.occ.getMass(3, t) for t in solids),
        'area': sum(gmsh.model.occ.getMass(2, f) for f in faces),
        'faces': len(faces),
        'solids': len(solids),
    }


def figures(file, form, per=None):
    if form == 'dxf':
        return dxf(file, per)
    if form == 'svg':
        return svg(file, per)
    if form == 'pdf':
        return pdf(file, per)
    if form == 'step':
        return step(file)
    return mesh(file, form, per)


# ---- damage --------------------------------------------------------------------------------------------------------------


def damage_dxf(file, kind, r):
    import ezdxf
    from ezdxf.math import Matrix44

    # The project's own files are plain: entities are cut out and changed as text.
    text = open(file, encoding='utf-8').read()
    at = text.index('ENTITIES')
    head, body = text[:at], text[at:]
    end = body.index('\n0\nENDSEC')
    parts = re.split(r'(?<=\n)0\n(?=[A-Z])', body[:end] + '\n')
    first, items, tail = parts[0], parts[1:], body[end:]
    # A POLYLINE goes with its vertices.
    groups, k = [], 0
    while k < len(items):
        g = [items[k]]
        if items[k].startswith('POLYLINE'):
            while not g[-1].startswith('SEQEND'):
                k += 1
                g.append(items[k])
        groups.append(g)
        k += 1
    points = lambda t, f: re.sub(r'(?m)^( *1[0-8]|2[0-8])\n(-?[\d.eE+-]+)$', f, t)
    moved = lambda g, f: [points(i, f) for i in g]
    if not groups:
        return None
    pick = r.randrange(len(groups))
    if kind == 'remove':
        del groups[pick]
    elif kind == 'twice':
        groups.append([re.sub(r'\n5\n[0-9A-F]+', '', i) for i in groups[pick]])
    elif kind == 'scale':
        groups = [moved([re.sub(r'(?m)^40\n(-?[\d.eE+-]+)$', lambda m: f'40\n{float(m[1]) * 25.4!r}', i) for i in g], lambda m: f'{m[1]}\n{float(m[2]) * 25.4!r}') for g in groups]
    elif kind == 'move':
        groups[pick] = moved(groups[pick], lambda m: f'{m[1]}\n{float(m[2]) + (0.05 if int(m[1]) < 20 else 0)!r}')
    elif kind == 'mirror':
        groups = [moved(g, lambda m: f'{m[1]}\n{float(m[2]) * (-1 if int(m[1]) < 20 else 1)!r}') for g in groups]
    elif kind == 'radius':
        if not any(re.search(r'\n40\n', i) for i in groups[pick]):
            return None
        groups[pick] = [re.sub(r'(?m)^40\n(-?[\d.eE+-]+)$', lambda m: f'40\n{float(m[1]) + 0.05!r}', i) for i in groups[pick]]
    elif kind == 'layer':
        was = re.search(r'\n8\n([^\n]+)', groups[pick][0])
        if not was:
            return None
        groups[pick] = [re.sub(r'\n8\n[^\n]+', '\n8\nOTHER', i) for i in groups[pick]]
    elif kind == 'unit':
        changed = re.sub(r'(\$INSUNITS\n *70\n) *4', r'\g<1>1', head)
        if changed == head:
            return None
        head = changed
    else:
        return None
    open(file, 'w', encoding='utf-8').write(head + first + ''.join('0\n' + i for g in groups for i in g).rstrip('\n') + tail)
    return kind


def damage_svg(file, kind, r):
    text = open(file, encoding='utf-8').read()
    shapes = list(re.finditer(r'<(path|circle|ellipse) [^>]*/>', text))
    if not shapes:
        return None
    pick = r.choice(shapes)
    number = r'-?\d+(?:\.\d+)?(?:e-?\d+)?'
    if kind == 'remove':
        text = text[: pick.start()] + text[pick.end() :]
    elif kind == 'twice':
        text = text[: pick.end()] + pick[0] + text[pick.end() :]
    elif kind == 'scale':
        text = re.sub(r'viewBox="0 0 (\S+) (\S+)"', lambda m: f'viewBox="0 0 {float(m[1]) * 25.4} {float(m[2]) * 25.4}"', text)
    elif kind == 'mirror':
        width = re.search(r'viewBox="0 0 (\S+) ', text)[1]
        text = re.sub(r'(<svg[^>]*>)', rf'\1<g transform="translate({width} 0) scale(-1 1)">', text).replace('</svg>', '</g></svg>')
    elif kind == 'move':
        text = text[: pick.start()] + f'<g transform="translate(0.05 0)">{pick[0]}</g>' + text[pick.end() :]
    elif kind == 'layer':
        text, n = re.subn(r'<g id="[^"]*" data-name="[^"]*"', '<g id="other" data-name="other"', text, count=1)
        if n == 0:
            return None
    elif kind == 'colour':
        text, n = re.subn(r'stroke="#[0-9a-f]{6}"', 'stroke="#123456"', text)
        if n == 0:
            return None
    elif kind == 'unit':
        text, n = re.subn(r'width="([\d.]+)mm" height="([\d.]+)mm"', r'width="\1in" height="\2in"', text)
        if n == 0:
            return None
    else:
        return None
    open(file, 'w', encoding='utf-8').write(text)
    return kind


def damage_pdf(file, kind, r):
    import pikepdf

    with pikepdf.open(file, allow_overwriting_input=True) as doc:
        page = doc.pages[0]
        ops = list(pikepdf.parse_content_stream(page))
        starts = [k for k, (_, op) in enumerate(ops) if str(op) == 'm']
        if len(starts) < 2:
            return None
        end = lambda s: next(k for k in range(s, len(ops)) if str(ops[k][1]) in ('S', 'f*'))
        # The line of 100 mm that people measure on the paper is not the drawing's.
        low = lambda s: all(float(ops[k][0][-1]) * 25.4 / 72 < 14 for k in range(s, end(s)) if str(ops[k][1]) in ('m', 'l', 'c'))
        starts = [s for s in starts if not low(s)]
        if not starts:
            return None
        s = r.choice(starts)
        e = end(s)
        if kind == 'remove':
            ops = ops[:s] + ops[e + 1 :]
        elif kind == 'twice':
            ops = ops[: e + 1] + ops[s : e + 1] + ops[e + 1 :]
        elif kind in ('move', 'scale'):
            span = range(s, e) if kind == 'move' else range(len(ops))
            for k in span:
                if str(ops[k][1]) in ('m', 'l', 'c'):
                    n = [float(v) for v in ops[k][0]]
                    ops[k] = ([v + 0.15 if j % 2 == 0 else v for j, v in enumerate(n)] if kind == 'move' else [v * 1.01 for v in n], ops[k][1])
        elif kind == 'colour':
            k = next((k for k in range(s, -1, -1) if str(ops[k][1]) in ('RG', 'rg')), None)
            if k is None:
                return None
            ops[k] = ([0.1, 0.2, 0.3], ops[k][1])
        else:
            return None
        page.Contents = doc.make_stream(pikepdf.unparse_content_stream([(list(o), op) for o, op in ops]))
        doc.save(file)
    return kind


def damage_mesh(file, form, kind, r, deviation):
    """Changes numbers of a written mesh: the same code for STL, OBJ, PLY and 3MF, written again in the plainest way of the format."""
    p, t, per = mesh_of(file, form)
    if len(t) < 12:
        if kind == 'shell':
            return None
    if kind == 'remove':
        t = np.delete(t, r.randrange(len(t)), axis=0)
    elif kind == 'scale':
        p = p * (25.4 if r.random() < 0.5 else 1.01)
    elif kind == 'mirror':
        p = p * np.array([-1, 1, 1])
        t = t[:, ::-1]
    elif kind == 'inside out':
        t = t[:, ::-1]
    elif kind == 'vertex':
        # One corner moved by three times the deviation along its own normal.
        v = int(t[r.randrange(len(t))][0])
        n = sum(np.cross(p[b] - p[a], p[c] - p[a]) for a, b, c in t if v in (a, b, c))
        p = p.copy()
        p[v] = p[v] + n / (np.linalg.norm(n) or 1) * 3 * deviation
    elif kind == 'turned':
        p = p[:, [0, 2, 1]] * np.array([1, -1, 1])
    elif kind == 'shell':
        # A shell goes: that of the first triangle.
        above = np.arange(len(p))
        for _ in range(len(p)):
            low = above[t].min(axis=1)
            new = above.copy()
            np.minimum.at(new, t.flatten(), np.repeat(low, 3))
            if (new == above).all():
                break
            above = new
        t2 = t[above[t[:, 0]] != above[t[0][0]]]
        if len(t2) == 0:
            return None
        t = t2
    elif kind == 'twice':
        t = np.vstack([t, t])
    else:
        return None
    if form == 'stl':
        q = p[t].astype('<f4')
        with open(file, 'wb') as f:
            f.write(b''.ljust(80) + struct.pack('<I', len(t)))
            for tri in q:
                f.write(struct.pack('<12f', 0, 0, 0, *tri.flatten()) + b'\0\0')
    elif form == 'obj':
        with open(file, 'w') as f:
            f.write('o part\n' + ''.join(f'v {x!r} {y!r} {z!r}\n' for x, y, z in p.tolist()) + ''.join(f'f {a + 1} {b + 1} {c + 1}\n' for a, b, c in t.tolist()))
    elif form == 'ply':
        with open(file, 'w') as f:
            f.write(f'ply\nformat ascii 1.0\nelement vertex {len(p)}\nproperty double x\nproperty double y\nproperty double z\nelement face {len(t)}\nproperty list uchar int vertex_indices\nend_header\n')
            f.write(''.join(f'{x!r} {y!r} {z!r}\n' for x, y, z in p.tolist()) + ''.join(f'3 {a} {b} {c}\n' for a, b, c in t.tolist()))
    else:
        with zipfile.ZipFile(file) as z:
            files = {n: z.read(n) for n in z.namelist()}
        model = files['3D/3dmodel.model'].decode()
        vertices = ''.join(f'<vertex x="{x!r}" y="{y!r}" z="{z!r}"/>' for x, y, z in p.tolist())
        triangles = ''.join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in t.tolist())
        model = re.sub(r'<vertices>.*</vertices>', f'<vertices>{vertices}</vertices>', model, flags=re.S)
        model = re.sub(r'<triangles>.*</triangles>', f'<triangles>{triangles}</triangles>', model, flags=re.S)
        files['3D/3dmodel.model'] = model.encode()
        with zipfile.ZipFile(file, 'w') as z:
            for n, data in files.items():
                z.writestr(n, data)
    return kind


def damage_step(file, kind, r):
    import gmsh

    step(file, False)
    occ = gmsh.model.occ
    solids = occ.getEntities(3)
    x0, y0, z0, x1, y1, z1 = occ.getBoundingBox(*solids[0])
    if kind == 'scale':
        occ.dilate(solids, 0, 0, 0, 1.01, 1.01, 1.01)
    elif kind == 'mirror':
        occ.symmetrize(solids, 1, 0, 0, -(x0 + x1) / 2)
    elif kind == 'turned':
        occ.rotate(solids, (x0 + x1) / 2, (y0 + y1) / 2, (z0 + z1) / 2, 0, 0, 1, math.pi)
    elif kind == 'hole':
        size = min(x1 - x0, y1 - y0) / 20
        whole = sum(occ.getMass(3, t) for _, t in solids)
        occ.cut(solids, [(3, occ.addCylinder((x0 + x1) / 2 + size, (y0 + y1) / 2, z0 - 1, 0, 0, z1 - z0 + 2, size))])
        # A drill that misses the part changes nothing.
        if abs(sum(occ.getMass(3, t) for _, t in occ.getEntities(3)) - whole) < 1e-6 * whole:
            return None
    elif kind == 'move':
        occ.translate(solids, 0.5, 0, 0)
    else:
        return None
    occ.synchronize()
    gmsh.write(file)
    return kind


def damage(file, form, kind, seed, deviation):
    r = random.Random(seed)
    if form == 'dxf':
        return damage_dxf(file, kind, r)
    if form == 'svg':
        return damage_svg(file, kind, r)
    if form == 'pdf':
        return damage_pdf(file, kind, r)
    if form == 'step':
        return damage_step(file, kind, r)
    return damage_mesh(file, form, kind, r, deviation)


answers = os.fdopen(os.dup(1), 'w')
os.dup2(2, 1)
for line in sys.stdin:
    q = json.loads(line)
    try:
        if q['op'] == 'figures':
            answer = figures(q['file'], q['format'], q.get('unit'))
        elif q['op'] == 'svg-as-shown':
            answer = svg_as_shown(q['file'])
        else:
            answer = {'done': damage(q['file'], q['format'], q['kind'], q['seed'], q.get('deviation', 0.01))}
    except Exception as e:
        answer = {'error': f'{type(e).__name__}: {e}'}
    answers.write(json.dumps(answer) + '\n')
    answers.flush()
