"""Reads STEP files with Debian's gmsh; prints as JSON for each the volume (mm3), the area (mm2) and the kinds of its surfaces."""
import gmsh, json, sys
gmsh.initialize()
gmsh.option.setNumber('General.Terminal', 0)
gmsh.option.setString('Geometry.OCCTargetUnit', 'MM')
out = []
for name in sys.argv[1:]:
    gmsh.clear()
    gmsh.model.occ.importShapes(name)
    gmsh.model.occ.synchronize()
    faces = gmsh.model.getEntities(2)
    out.append({
        'solids': len(gmsh.model.getEntities(3)),
        'volume': sum(gmsh.model.occ.getMass(3, t) for _, t in gmsh.model.getEntities(3)),
        'area': sum(gmsh.model.occ.getMass(2, t) for _, t in faces),
        'kinds': sorted({gmsh.model.getType(2, t) for _, t in faces}),
    })
gmsh.finalize()
print(json.dumps(out))
