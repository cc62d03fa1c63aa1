import type { Receiver } from 'tall-kite/receivers/receivers';

const count = (v: number) => v.toLocaleString('en');

/** The rules of a machine that have no column of their own, in words. */
export function otherRules({ bender, boardShop, cutter, mostTriangles, mostBytes, overhang, up, clearance, layer }: Receiver): string[] {
  const most = `at most ${mostBytes >= 1e6 ? `${count(mostBytes / 1e6)} MB` : `${count(mostBytes / 1e3)} kB`}`;
  if (boardShop)
    return [
      `hole at least ${boardShop.leastHole} mm, slot ${boardShop.leastSlot} mm`,
      `ring ${boardShop.leastRing} mm, clearance ${boardShop.leastClearance} mm`,
      `inner corners ${boardShop.innerRadius} mm round`,
    ];
  if (bender)
    return [
      bender.dies.length === 0 ? 'any radius' : `dies ${bender.dies.join(', ')} mm`,
      ...(bender.leastRadius > 0 ? [`radius at least ${bender.leastRadius} × outside`] : []),
      bender.rules.length === 0 ? 'no springback known' : `springback of ${bender.rules.length} ${bender.rules.length === 1 ? 'die' : 'dies'}`,
    ];
  if (!cutter)
    return [
      `${up.toUpperCase()} up`,
      `overhang ${overhang}° from the vertical`,
      `gap ${clearance} mm`,
      `layer ${layer} mm`,
      `${most}, ${count(mostTriangles)} triangles`,
    ];
  const unit = cutter.perInch !== null ? `SVG at ${cutter.perInch} per inch` : cutter.readsUnit ? 'obeys the stated unit' : 'looks at no unit in DXF';
  const versions = cutter.versions.length > 0 ? [`DXF ${cutter.versions.join(', ')}`] : [];
  return [...versions, cutter.curves ? 'takes curves' : 'lines and arcs only', unit, most];
}

/** An id from a name, that no machine has yet: "Big laser" becomes "big-laser". */
export function slugOf(name: string, taken: readonly { rules: Pick<Receiver, 'id'> }[]): string {
  const plain = name
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 36);
  const base = plain === '' || plain === 'none' ? 'receiver' : plain;
  for (let n = 1; ; n++) {
    const id = n === 1 ? base : `${base}-${n}`;
    if (!taken.some((t) => t.rules.id === id)) return id;
  }
}
