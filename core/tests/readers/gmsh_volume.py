"""Reads STEP or IGES files with Debian's gmsh and prints volume (mm3) and number of solids of each as JSON."""
import gmsh, json, sys
out = []
gmsh.initialize()
gmsh.option.setNumber('General.Terminal', 0)
gmsh.option.setString('Geometry.OCCTargetUnit', 'MM')
for name in sys.argv[1:]:
    gmsh.clear()
    gmsh.model.occ.importShapes(name)
    gmsh.model.occ.synchronize()
    solids = gmsh.model.getEntities(3)
    out.append({'solids': len(solids), 'volume': sum(gmsh.model.occ.getMass(3, tag) for _, tag in solids)})
gmsh.finalize()
print(json.dumps(out))
