"""Counts dark pixels of a PNG, whole or in a box left top right bottom; by darkness, so that half-covered pixels count half."""
import json, sys
import numpy
from PIL import Image
picture = Image.open(sys.argv[1])
w, h = picture.size
left, top, right, bottom = (map(int, sys.argv[2:6]) if len(sys.argv) > 5 else (0, 0, w, h))
r, g, b, alpha = numpy.asarray(picture.convert('RGBA'), dtype=float)[top:bottom, left:right].transpose(2, 0, 1)
# Blue squares of the test pages count as white.
darkness = numpy.where(b > r + 60, 0, (255 - (r + g + b) / 3) / 255 * alpha / 255)
print(json.dumps({'width': w, 'height': h, 'dark': float(darkness.sum())}))
