/** Files that ask for more work than a drawing needs: told, in time, and nothing half done. */
import { describe, expect, test } from 'vitest';
import { Losses } from '../src/base/loss.ts';
import { clipOf, throughClip } from '../src/formats/clip.ts';
import { Styles } from '../src/formats/svg/css.ts';
import { readSvg } from '../src/formats/svg/read.ts';
import type { Node } from '../src/formats/svg/xml.ts';

const svgOf = (inside: string) =>
  readSvg(Buffer.from(`<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="90mm" viewBox="0 0 90 90">${inside}</svg>`));

describe('the work that an SVG file asks for is bounded', () => {
  test('clips that ask too much are told, and nothing is cut away', () => {
    const budget = (left: number) => ({ left });
    const square = svgOf(`<rect x="10" y="10" width="40" height="20" stroke="red"/>`).drawing.layers[0].contours[0];
    const clip = clipOf([{ chains: [square.segments], rule: 'nonzero' }]);
    // Five points and their middles against four sides and the closing one.
    const need = 5 * (clip.shapes[0].outlines[0].points.length / 2) * 2;
    expect(throughClip(clip, square.segments, true, budget(need))).toBe('all');
    expect(throughClip(clip, square.segments, true, budget(need - 1))).toBe('unasked');
  });
  test('style rules are obeyed whole within their steps, and told beyond them', () => {
    const node = { name: 'path', attributes: {}, text: '', children: [], parent: null } as unknown as Node;
    const nodes = (n: number): Node[] => new Array<Node>(n).fill(node);
    const most = 50_000;
    const styled = (n: number) => {
      const losses = new Losses();
      const styles = new Styles([{ text: '*{fill:red}', media: '' }], nodes(n), losses, most);
      return [styles.of(node).fill, losses.list().length];
    };
    // One step to ask an element and four to keep its declaration.
    expect(styled(1000)).toEqual(['red', 0]);
    expect(styled(most / 5)).toEqual(['red', 0]);
    expect(styled(most / 5 + 1)).toEqual([undefined, 1]);
  });
  test('rules that look at every neighbour of every element end in time', () => {
    const row = Array.from({ length: 20_000 }, () => '<path/>').join('');
    const file = svgOf(`<style>path:nth-child(3){display:none}</style>${row}<path d="M0 0L1 1" stroke="red"/>`);
    expect(file.leftOut.some((l) => l.what === 'style rule')).toBe(true);
  });
  test.each([
    [199, false],
    [201, true],
  ])('%i custom properties handed down', (n, told) => {
    const many = Array.from({ length: n }, (_, i) => `--p${i}:red`).join(';');
    const file = svgOf(`<g style="${many}"><path d="M0 0L1 1" style="stroke:var(--p0)"/></g>`);
    expect(file.drawing.layers.flatMap((l) => l.contours).length).toBe(1);
    expect(file.leftOut.some((l) => l.what === 'custom property')).toBe(told);
  });
});
