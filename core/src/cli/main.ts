import { asUnusable, Unusable, worst, type Severity } from '../base/finding.ts';
import { parseArguments, type Command, type Given } from './arguments.ts';
import { inspectFiles, type Report } from './inspect.ts';
import { combineFiles, divideFile, lightenFile, mendFile, raiseFile, sliceFile, stancesOf } from './shape.ts';
import { receiveGiven } from './flat.ts';
import { developShape } from './develop.ts';
import { flattenFile } from './flatten.ts';
import { assembleFiles, checkFile, compareFiles, cutFile, drillFile, hollowFile, layoutFiles, placeFile, reliefFile } from './ready.ts';
import { releaseFiles } from './release.ts';
import { writeFiles } from './write.ts';

const help = `tall-kite: reads designs, writes files for machines, and proves them from their own bytes.

  tall-kite inspect FILE... [--json]
      What is in the files: parts, sizes, soundness, findings.
  tall-kite write FILE --format stl|3mf|obj|ply|step --out DIR [--deviation MM] [--angle DEGREES] [--ascii] [--quads]
            [--unit mm|cm|m|in|ft] [--from-unit mm|cm|m|in|ft] [--part NAME] [--receiver lark|wren|heron|none]
            [--place drawn] [--even-so] [--json]
      Writes each part, reads the bytes back and holds them against the design.
  tall-kite write FILE --format dxf|svg|pdf --out DIR [--dxf-version R12|2000|2018] [--receiver swift|plover|martin|pipit|none]
            [--view top|bottom|front|back|left|right] [--edges silhouette|visible|hidden] [--section z=MM] [--face N]
            [--join-gaps MM] [--fit-arcs MM] [--drop-doubles] [--order] [--split] [--strokes centre|outline] [--hidden]
            [--layers groups|colours|keep] [--meaning red=cut|layer:NAME=MEANING ...] [--rules FILE.json] [--kerf MM] [--tabs 3x1.5]
            [--relief MM] [--lead-in MM] [--mirror] [--place drawn|corner|middle] [--from-unit mm|cm|in|96dpi|90dpi|72dpi] [--json]
      Writes drawings; of solids and meshes a view, a section or a flat face, with true arcs.
  tall-kite receive FILE --as laser|router|printer [--receiver ID] [--json]
      What a stand-in machine understands from the bytes of a file.
  tall-kite flatten IN [--part NAME] [--face N] [--rip 3/7 | 5@-y ...] [--k 0.44 | --rule din6935|handbook-soft|handbook-half-hard|handbook-hard | --table FILE.csv]
            [--radius MM] [--side bends-up|face|back] [--leave-out all|none] [--leaves nothing|centre|outline] [--countersinks through|cut-side] [--tolerance PERCENT]
            [--bend-relief obround=3x4] [--corner-relief round=5] [--press usual|opening=16,strength=300,most=600,punch=85x12x100]
            [--grain any|across|along] [--zone-edges] [--material NAME] [--density G_PER_CM3] --format dxf|svg|pdf --out DIR [--json]
      The flat pattern of a folded sheet part, folded again to prove it, with a bend table (CSV) and a picture for the press brake.
  tall-kite develop square-to-round|cone|branch NAME=SIZE... --out DIR [--format dxf|svg|pdf] [--fit-arcs MM] [--json]
      The development of a duct, a cone or a pipe branch from its sizes, with bend lines: tall-kite develop cone lower=120 upper=60 height=100
      thickness=1.5 --out DIR. A wrong or missing size is answered with the list of sizes. Developed in two ways, which must agree.
  tall-kite release FOLDER-or-FILE-or-JOB --recipe RECIPE.json --out DIR [--parts PARTS.csv] [--zip] [--json]
      Chosen parts to their receivers in one run, each proved; manifest, report, zip. Again: only what changed is made.
  tall-kite raise IN --thickness MM --out OUT [--json]
      A drawing raised to a solid.
  tall-kite check IN [--receiver ID] [--bead MM] [--json]
      The whole check: edges, holes, self-intersections, what each shell is, thin walls.
  tall-kite mend IN --out OUT [--weld MM] [--holes flat|surface|none] [--widest MM|all] [--crumbs] [--largest] [--wrap CELL] [--json]
      Mends what is safe, lists what it did, and measures what moved; what would change the part itself is refused.
      --wrap makes the whole surface anew on a grid of that cell (mm), for scans that nothing else mends.
  tall-kite place IN --out OUT [--scale F | --known-length x=1524] [--mirrored x|y|z] [--turn z=90 ...] [--centre] [--move X,Y,Z] [--drop] [--json]
      Scaled, mirrored, turned, centred, moved, set down: in this order. A factor that units explain is named.
  tall-kite relief IN --out OUT --thicken MM | --base Z [--margin MM] [--json]
      An open surface to a solid: thickened down, closed to a flat base, or what it leaves of a block.
  tall-kite hollow IN --out OUT --wall MM [--drain DIAMETER] [--drains 1|2] [--wrap CELL] [--json]
      A hollow inside, its wall measured; drain holes straight down.
  tall-kite cut IN --out DIR --plane z=MM | NX,NY,NZ=MM [--pegs 2x6x8] [--clearance MM] [--keep both|above|below] [--json]
      Two halves, flat or with pegs (count x diameter x depth).
  tall-kite drill IN --out OUT --at X,Y,Z [--axis -z] --diameter MM --depth MM [--boss] [--json]
      A round hole from a point along an axis; with --boss a pin.
  tall-kite compare A B [--deviation MM] [--out COLOURED.ply] [--json]
      How far two surfaces are apart, both ways; stop when farther than --deviation.
  tall-kite assemble IN... --out OUT.step|OUT.igs [--branch NAME] [--even-so] [--json]
      Whole designs as one STEP file: tree, names, colours, every copy at its place; or as IGES, the solids only.
  tall-kite layout IN... --out DIR [--receiver ID] [--copies N] [--spacing MM] [--margin MM] [--format stl|3mf] [--json]
      Parts laid on as many beds as they need, one file a bed.
  tall-kite join A B... --out OUT, subtract A B... --out OUT, common A B... --out OUT [--json]
      One solid of several; the first less the others; what they share.
  tall-kite divide IN --out DIR [--json]
      One file a shell.
  tall-kite lighten IN --triangles N | --deviation MM --out OUT [--json]
      Fewer triangles, with the two-sided distance measured.
  tall-kite stances IN [--receiver ID] [--apply N --out OUT] [--json]
      Ways to stand, ranked, with contact, overhang, support and height; --apply writes the part standing so.
  tall-kite slice IN [--layer MM] [--bead MM] [--walls N] [--infill PERCENT] [--receiver ID] [--json]
      What a printer would do with the file: layers, beads, time, filament, warnings.

A file whose verdict is stop is not left on the disk; --even-so leaves it. --receiver none assumes nothing but what the file states and the unit typed.
OUT ends in .stl, .3mf, .obj, .ply or .step. --up z|y says which axis points up in OBJ, PLY and OFF.

Lengths are mm, areas mm2, volumes mm3. Exit code: 0 clear, 1 look, 2 stop or unusable input.
`;

const exitCodes: Record<Severity, number> = { clear: 0, look: 1, stop: 2 };

const commands: Record<Command, (given: Given) => Promise<Report>> = {
  inspect: inspectFiles,
  write: writeFiles,
  mend: mendFile,
  join: (given) => combineFiles('join', given),
  subtract: (given) => combineFiles('subtract', given),
  common: (given) => combineFiles('common', given),
  divide: divideFile,
  lighten: lightenFile,
  stances: stancesOf,
  slice: sliceFile,
  receive: receiveGiven,
  raise: raiseFile,
  flatten: flattenFile,
  develop: developShape,
  release: releaseFiles,
  place: placeFile,
  relief: reliefFile,
  hollow: hollowFile,
  cut: cutFile,
  drill: drillFile,
  check: checkFile,
  compare: compareFiles,
  layout: layoutFiles,
  assemble: assembleFiles,
};

/** The command line. Returns the exit code; with --json only one JSON document goes to standard output. */
export async function main(argv: string[], out: (text: string) => void, err: (text: string) => void): Promise<number> {
  let given: Given;
  try {
    given = parseArguments(argv);
  } catch (thrown) {
    const unusable = asUnusable(thrown);
    err(`${unusable.message} ${unusable.remedy}\n`);
    return 2;
  }
  if (given.command === 'help') {
    out(help);
    return 0;
  }
  try {
    const report = await commands[given.command](given);
    out(given.json ? `${JSON.stringify(report.json)}\n` : report.text);
    return exitCodes[worst(report.severities)];
  } catch (thrown) {
    const unusable = thrown instanceof Unusable ? thrown : asUnusable(thrown);
    if (given.json) out(`${JSON.stringify({ error: { code: unusable.code, message: unusable.message, remedy: unusable.remedy } })}\n`);
    else err(`${unusable.message} ${unusable.remedy}\n`);
    return 2;
  }
}
