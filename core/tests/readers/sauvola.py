"""Levels by Sauvola and of Otsu of a grid of values, by scikit-image.
usage: sauvola.py FILE WIDTH HEIGHT SIDE (FILE: float32 values) -> {"otsu": level, "levels": [...]}"""
import json
import sys

import numpy
from skimage.filters import threshold_otsu, threshold_sauvola

file, width, height, side = sys.argv[1], *(int(v) for v in sys.argv[2:5])
values = numpy.fromfile(file, dtype=numpy.float32).reshape(height, width).astype(float)
levels = threshold_sauvola(values, window_size=side, k=0.2, r=0.5)
print(json.dumps({"otsu": float(threshold_otsu(values, nbins=1024)), "levels": levels.ravel().tolist()}))
