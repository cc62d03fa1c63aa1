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
from fontTools.ttLib import TTFont
from fontTools.pens.boundsPen import BoundsPen
import glob
names = glob.glob('/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf')
high = None
if names:
    f = TTFont(names[0]); g = f.getGlyphSet(); p = BoundsPen(g); g[f.getBestCmap()[72]].draw(p); high = (p.bounds[3] - p.bounds[1]) / f['head'].unitsPerEm * 40 * mm
print(json.dumps({'pages': out, 'high': high}))
