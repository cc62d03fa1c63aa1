import type { Loss } from '../../base/loss.ts';
import { contourOf, type Contour, type Layer } from '../../curves/drawing.ts';
import { circle, fromBulge, type P2, type Segment } from '../../curves/segment.ts';
import type { DrillTool } from '../drill/read.ts';
import { chainedContours, contoursOfGerber } from './pack.ts';
import { movedTrack, settledTrack } from './objects.ts';
import type { GerberFile } from './read.ts';

/** Lines of a pen chained where they meet, contours of regions and of what is flashed; what is taken away again stands among them, told by the layer's name. */
export function layerOfGerber(file: GerberFile, name: string): Layer[] {
  const of = (dark: boolean): Contour[] => {
    const objects = file.objects.filter((o) => o.dark === dark);
    const flashes = objects.flatMap((o): Contour[] =>
      o.kind !== 'flash'
        ? []
        : o.aperture.areas.flatMap((a) =>
            a.chains.map((c) => contourOf(c.map((t): Segment => movedTrack(settledTrack(t, o.setting), o.at)), true)),
          ),
    ); // prettier-ignore
    return [...chainedContours(contoursOfGerber(objects)), ...flashes];
  };
  const [dark, clear] = [of(true), of(false)];
  const layer = (n: string, contours: Contour[]): Layer => ({ name: n, colour: null, lineType: 'CONTINUOUS', contours });
  return [...(dark.length > 0 ? [layer(name, dark)] : []), ...(clear.length > 0 ? [layer(`${name}, taken away`, clear)] : [])];
}

/** Holes as circles, straight slots as outlines with round ends, routed paths as lines with their width. */
export function layersOfDrills(tools: readonly DrillTool[], plated: boolean | null): Layer[] {
  const word = plated === null ? '' : plated ? 'plated ' : 'bare ';
  const holes = tools.flatMap((t) => t.holes.map((at) => contourOf([circle(at, t.diameter / 2)], true)));
  const slots = tools.flatMap((t) => t.slots.map((path) => (path.length === 1 && path[0].kind === 'line' ? obround(path[0].a, path[0].b, t.diameter) : { ...contourOf([...path], false), width: t.diameter }))); // prettier-ignore
  const layer = (name: string, contours: Contour[]): Layer => ({ name, colour: null, lineType: 'CONTINUOUS', contours });
  return [...(holes.length > 0 ? [layer(`${word}holes`, holes)] : []), ...(slots.length > 0 ? [layer(`${word}slots`, slots)] : [])];
}

function obround(a: P2, b: P2, width: number): Contour {
  const long = Math.hypot(b[0] - a[0], b[1] - a[1]);
  if (long === 0) return contourOf([circle(a, width / 2)], true);
  const [nx, ny] = [(-(b[1] - a[1]) / long) * (width / 2), ((b[0] - a[0]) / long) * (width / 2)];
  const at = ([x, y]: P2, k: number): P2 => [x + k * nx, y + k * ny];
  return contourOf([{ kind: 'line', a: at(a, -1), b: at(b, -1) }, fromBulge(at(b, -1), at(b, 1), 1), { kind: 'line', a: at(b, 1), b: at(a, 1) }, fromBulge(at(a, 1), at(a, -1), 1)], true); // prettier-ignore
}

/** What a drawing of a layer does not hold: the widths of pens that are not round. */
export function lossesOfGerber({ objects }: GerberFile): Loss[] {
  const odd = objects.filter((o) => o.kind === 'stroke' && o.aperture.diameter === null).length;
  return odd === 0 ? [] : [{ what: 'width of lines by a pen that is not round', count: odd, why: 'a drawing holds the middle of a line' }];
}
