"""Facets by gmsh's own mesher, for the bench: OUT.json CHORDS FILE.brep... The shortest of three times (s) and the facets of each face in the file's order."""
import json
import sys
import time

import gmsh

out, chords, files = sys.argv[1], float(sys.argv[2]), sys.argv[3:]
gmsh.initialize()
gmsh.option.setNumber('General.Terminal', 0)
gmsh.option.setNumber('General.NumThreads', 1)
gmsh.option.setNumber('Mesh.MeshSizeFromCurvature', chords)
gmsh.option.setNumber('Mesh.MeshSizeExtendFromBoundary', 0)
gmsh.option.setNumber('Mesh.MeshSizeMax', 1e9)
made = []
for name in files:
    best = float('inf')
    for _ in range(3):
        gmsh.clear()
        gmsh.model.occ.importShapes(name)
        gmsh.model.occ.synchronize()
        began = time.perf_counter()
        gmsh.model.mesh.generate(2)
        best = min(best, time.perf_counter() - began)
        if best > 2:
            break
    tags, places, _ = gmsh.model.mesh.getNodes()
    number = {tag: i for i, tag in enumerate(tags)}
    triangles, starts = [], [0]
    for dim, tag in gmsh.model.getEntities(2):
        kinds, _, nodes = gmsh.model.mesh.getElements(dim, tag)
        for kind, list_ in zip(kinds, nodes):
            if kind == 2:
                triangles += [number[n] for n in list_]
        starts.append(len(triangles) // 3)
    made.append({'seconds': best, 'positions': list(places), 'triangles': triangles, 'starts': starts})
with open(out, 'w') as file:
    json.dump(made, file)
