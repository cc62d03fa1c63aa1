"""Makes 15 PDF pages with Debian's cairo, each with shapes under maps, and prints what was drawn: box (mm from the low left corner) and area.
One more with a password, by pikepdf."""
import cairo, json, math, random, sys
folder = sys.argv[1]
mm = 25.4 / 72
out = []
for n in range(15):
    random.seed(n)
    w, h = 200 + 30 * n, 300 - 10 * n
    surface = cairo.PDFSurface(f'{folder}/cairo-{n}.pdf', w, h)
    c = cairo.Context(surface)
    c.set_tolerance(0.001)
    shapes = []
    for k in range(1 + n % 4):
        c.save()
        x, y, turn, sx, sy = 50 + 20 * k, 60 + 15 * k, random.choice([0, math.pi / 2, math.pi]), random.choice([1, 0.5, 2]), random.choice([1, 0.75])
        c.translate(x, y); c.rotate(turn); c.scale(sx, sy)
        a, b = 8 + 4 * k, 6 + 3 * k
        # Cairo keeps places in 256ths of a point: all that is drawn lies on those.
        # A rectangle with one bulging side: area by Green's theorem of its cubic.
        c.move_to(0, 0); c.line_to(a, 0); c.curve_to(a + 4, b / 3, a + 4, 2 * b / 3, a, b); c.line_to(0, b); c.close_path()
        pts = [c.user_to_device(*p) for p in [(0, 0), (a, 0), (a + 4, b / 3), (a + 4, 2 * b / 3), (a, b), (0, b)]]
        area = (a * b + 2 * b) * sx * sy
        side = []
        for i in range(20001):
            t = i / 20000
            side.append(tuple((1-t)**3*pts[1][q] + 3*t*(1-t)**2*pts[2][q] + 3*t*t*(1-t)*pts[3][q] + t**3*pts[4][q] for q in (0, 1)))
        all_points = [pts[0], pts[1], pts[4], pts[5]] + side
        shapes.append([area * mm * mm, min(p[0] for p in all_points) * mm, (h - max(p[1] for p in all_points)) * mm, max(p[0] for p in all_points) * mm, (h - min(p[1] for p in all_points)) * mm])
        c.identity_matrix()
        if k % 2: c.set_line_width(0.5); c.set_source_rgb(1, 0, 0); c.stroke()
        else: c.set_source_rgb(0, 0, 1); c.fill()
        c.restore()
    surface.finish()
    out.append(shapes)
import pikepdf
pdf = pikepdf.open(f'{folder}/cairo-0.pdf')
pdf.save(f'{folder}/locked.pdf', encryption=pikepdf.Encryption(user='kite', owner='kite', R=6))
# A page with letters, and one that is only a picture.
s = cairo.PDFSurface(f'{folder}/letters.pdf', 200, 100); c = cairo.Context(s)
c.select_font_face('DejaVu Sans'); c.set_font_size(40); c.move_to(20, 60); c.show_text('HOi'); s.finish()
s = cairo.PDFSurface(f'{folder}/picture.pdf', 200, 100); c = cairo.Context(s)
i = cairo.ImageSurface(cairo.FORMAT_RGB24, 20, 10); c.set_source_surface(i, 10, 10); c.paint(); s.finish()
# A disc of known place and size in 120 x 80 pixels, mixed by exact shares of 8 x 8 places; painted upright, turned, stretched, beside contours, as a stencil.
import numpy as np
def disc(w, h, cx, cy, r, ss=8):
    y, x = np.mgrid[0:h * ss, 0:w * ss]
    a = (((x + .5) / ss - cx) ** 2 + ((y + .5) / ss - cy) ** 2 <= r * r).reshape(h, ss, w, ss).mean((1, 3))
    s = cairo.ImageSurface(cairo.FORMAT_RGB24, w, h); s.flush()
    b = np.ndarray((h, s.get_stride() // 4, 4), np.uint8, s.get_data())
    b[:, :w, :3] = np.round(255 * (1 - a)).astype(np.uint8)[..., None]; b[:, :w, 3] = 255; s.mark_dirty(); return s
picture = disc(120, 80, 50.3, 42.7, 30)
def place(c, x, y, w, h, turn=0, flip=1):
    c.save(); c.translate(x, y); c.rotate(turn); c.scale(w / 120, flip * h / 80); c.set_source_surface(picture, 0, 0); c.paint(); c.restore()
for k in range(4):
    s = cairo.PDFSurface(f'{folder}/disc-{k}.pdf', 600, 600); place(cairo.Context(s), 300, 300, 240, 160, k * math.pi / 2); s.finish()
s = cairo.PDFSurface(f'{folder}/disc-flipped.pdf', 600, 600); place(cairo.Context(s), 100, 300, 240, 160, 0, -1); s.finish()
s = cairo.PDFSurface(f'{folder}/disc-odd.pdf', 600, 600); place(cairo.Context(s), 300, 100, 240, 100, 0.3); s.finish()
s = cairo.PDFSurface(f'{folder}/disc-mixed.pdf', 600, 600); c = cairo.Context(s)
c.rectangle(20, 20, 300, 200); c.set_line_width(1); c.stroke()
place(c, 50, 60, 120, 80); place(c, 200, 60, 120, 80)
m = cairo.ImageSurface(cairo.FORMAT_A1, 64, 64); mc = cairo.Context(m); mc.rectangle(8, 8, 32, 16); mc.fill(); m.flush()
c.save(); c.translate(100, 400); c.mask_surface(m, 0, 0); c.restore()
c.save(); c.rectangle(400, 400, 60, 80); c.clip(); place(c, 400, 400, 119, 80); c.restore()
s.finish()
from fontTools.ttLib import TTFont
from fontTools.pens.boundsPen import BoundsPen
import glob
names = glob.glob('/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf')
high = None
if names:
    f = TTFont(names[0]); g = f.getGlyphSet(); p = BoundsPen(g); g[f.getBestCmap()[72]].draw(p); high = (p.bounds[3] - p.bounds[1]) / f['head'].unitsPerEm * 40 * mm
print(json.dumps({'pages': out, 'high': high}))
