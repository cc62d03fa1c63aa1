"""Reads a DXF with Debian's python3-gdal and prints the number of features, their length and the layers."""
import json, sys
from osgeo import ogr, gdal
gdal.SetConfigOption('OGR_ARC_STEPSIZE', '0.05')
source = ogr.Open(sys.argv[1])
layer = source.GetLayer(0)
count, length, layers = 0, 0.0, {}
for f in layer:
    g = f.GetGeometryRef()
    count += 1
    layers[f.GetField('Layer')] = layers.get(f.GetField('Layer'), 0) + 1
    length += g.Length() if g.GetGeometryName() != 'POLYGON' else g.Boundary().Length()
print(json.dumps({'count': count, 'length': length, 'layers': layers}))
