import { countText } from '../base/figures.ts';
import type { Finding } from '../base/finding.ts';
import { append } from '../base/rows.ts';
import type { Box2 } from '../curves/measure.ts';
import { mostAsked } from '../curves/offset.ts';

/** Longer lists of parts are cut short. */
const mostNamed = 5;
const ofParts = (names: ReadonlySet<string>): string => (names.size === 0 ? '' : ` of ${[...names].slice(0, mostNamed).join(', ')}`);
const longest = ([l, b, r, t]: Box2): number => Math.max(r - l, t - b);

/** Places that a cut does not get into, and contours that were too long to be asked, with the parts that they are in where there are several. */
export class Narrow {
  private readonly places: Box2[] = [];
  private readonly slit = new Set<string>();
  private unasked = 0;
  private readonly long = new Set<string>();

  /** Takes what `narrowPlaces` gave. @param part whose contour it is, where there are several */
  add(found: readonly Box2[] | null, part?: string): void {
    if (found === null) this.unasked++;
    else append(this.places, found);
    if (part !== undefined && found?.length !== 0) (found === null ? this.long : this.slit).add(part);
  }

  /** Slits and necks that a cut does not get into are gone from the file, which is made of what is left. @param kerf width of the cut, mm */
  findings(kerf: number): Finding[] {
    return [...this.slits(kerf), ...this.notAsked()];
  }

  private slits(kerf: number): Finding[] {
    const { places } = this;
    if (places.length === 0) return [];
    const of = ofParts(this.slit);
    const worst = places.reduce((a, b) => (longest(b) > longest(a) ? b : a));
    const at = `X ${((worst[0] + worst[2]) / 2).toFixed(1)}, Y ${((worst[1] + worst[3]) / 2).toFixed(1)} mm`;
    return [
      {
        code: 'narrower-than-kerf',
        severity: 'look',
        count: places.length,
        message: `${places.length === 1 ? `A place${of} is` : `${countText(places.length)} places${of} are`} narrower than the cut of ${kerf} mm and not cut; ${places.length === 1 ? 'it is' : 'the longest is'} ${longest(worst).toFixed(2)} mm long, at ${at}.`,
        remedy: 'Make slits wider than the cut, or draw them as open lines that are cut once.',
      },
    ];
  }

  private notAsked(): Finding[] {
    const count = this.unasked;
    if (count === 0) return [];
    const of = ofParts(this.long);
    return [
      {
        code: 'slits-unasked',
        severity: 'look',
        count,
        message: `${count === 1 ? `A contour${of} has` : `${countText(count)} contours${of} have`} more than ${countText(mostAsked)} corners: whether all of it is wider than the cut was not asked.`,
        remedy: 'Fit arcs or simplify it on the Soundness step first.',
      },
    ];
  }
}
