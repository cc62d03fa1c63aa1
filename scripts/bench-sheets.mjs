import { readBrepText } from '../core/dist/surfaces/brep-text.js';
import { SolidBuilder } from '../core/dist/kernel/build.js';
import { OpenSolid } from '../core/dist/kernel/facets.js';
import { foldedPart } from '../core/dist/kernel/sheet-build.js';
import { sheetFacets, unfold } from '../core/dist/sheet/unfold.js';
import { topologyOf } from '../core/dist/sheet/topology.js';
import { usualFlatten } from '../core/dist/sheet/pattern.js';

/** A corrugated sheet of `count` bends, drilled with `holes` holes: one extruded profile, one cut. */
function corrugated(b, count, holes) {
  const [t, r, leg, width] = [1.5, 2, 14, 300];
  const points = { left: [], right: [] };
  let at = [0, 0];
  let heading = 0;
  const across = (p, by) => [p[0] - Math.sin(heading) * by, p[1] + Math.cos(heading) * by];
  const middles = [];
  for (let i = 0; i <= count; i++) {
    const from = at;
    at = [at[0] + Math.cos(heading) * leg, at[1] + Math.sin(heading) * leg];
    middles.push({ p: [(from[0] + at[0]) / 2, (from[1] + at[1]) / 2], heading });
    points.left.push({ to: across(at, t) });
    points.right.push({ to: at });
    if (i === count) break;
    const sign = i % 4 < 2 ? (i % 2 === 0 ? 1 : -1) : i % 2 === 0 ? -1 : 1;
    const [rl, rr] = sign > 0 ? [r, r + t] : [r + t, r];
    const centre = across(at, sign > 0 ? t + r : -r);
    const turn = (sign * Math.PI) / 3;
    const on = (radius, share) => {
      const a = heading + turn * share - (sign * Math.PI) / 2;
      return [centre[0] + radius * Math.cos(a), centre[1] + radius * Math.sin(a)];
    };
    points.left.push({ to: on(rl, 1), through: on(rl, 0.5) });
    points.right.push({ to: on(rr, 1), through: on(rr, 0.5) });
    at = on(rr, 1);
    heading += turn;
  }
  const { left, right } = points;
  const steps = [...right, { to: left[left.length - 1].to }];
  for (let i = left.length - 1; i >= 0; i--) {
    const to = i > 0 ? left[i - 1].to : [0, t];
    steps.push(left[i].through ? { to, through: left[i].through } : { to });
  }
  steps.push({ to: [0, 0] });
  const solid = b.raised([0, 0], steps, width);
  const drills = [];
  const per = Math.ceil(holes / middles.length);
  let made = 0;
  for (const { p, heading: a } of middles) {
    for (let i = 0; i < per && made < holes; i++, made++) {
      const z = (width * (i + 0.5)) / per;
      const n = [-Math.sin(a), Math.cos(a), 0];
      drills.push(b.cylinder([p[0] - n[0] * 3, p[1] - n[1] * 3, z], n, 2, 8));
    }
  }
  return { solid: b.cut(solid, b.group(drills)), holes: made };
}

/** Rows of the table for sheet parts: unfolding after the solid is loaded, fold-back included. */
export async function benchSheets({ row, times, ms, kernel }) {
  const b = new SolidBuilder(kernel);
  const rect = (w, h) => [[0, 0], [w, 0], [w, h], [0, h]]; // prettier-ignore
  const chain = (depth, w) => ({
    outline: rect(w, 20),
    holes: [{ at: [w / 2, 10], r: 3 }],
    flanges: depth === 0 ? [] : [{ from: [w, 20], to: [0, 20], angle: 40, radius: 2, up: false, wall: chain(depth - 1, w) }],
  });
  const bracket = foldedPart(b, 2, {
    outline: rect(80, 60),
    flanges: [
      { from: [8, 0], to: [72, 0], angle: 90, radius: 2, up: true, wall: chain(2, 64) },
      { from: [80, 8], to: [80, 52], angle: 90, radius: 2, up: true, wall: chain(2, 44) },
      { from: [72, 60], to: [8, 60], angle: 90, radius: 2, up: true, wall: chain(2, 64) },
      { from: [0, 52], to: [0, 8], angle: 90, radius: 2, up: true, wall: { outline: rect(44, 20) } },
    ],
  });
  const run = (solid, bends, holes, limit) => {
    const brep = b.brep(solid);
    const open = new OpenSolid(kernel, brep);
    let pattern = null;
    const whole = () => {
      const facets = open.facets(sheetFacets.deflection, sheetFacets.angle);
      const top = topologyOf(readBrepText(brep), facets);
      pattern = unfold(top, { ...usualFlatten, rule: { kind: 'k', k: 0.42 } }, pattern ? pattern.foldBack.volume : volumeOf(solid, kernel));
    };
    whole();
    if (pattern.bends.length !== bends || pattern.holes !== holes) throw new Error(`${pattern.bends.length} bends, ${pattern.holes} holes`);
    const time = times(3, whole);
    open.close();
    row(
      `part of ${bends} bends and ${holes} holes unfolded and folded back`,
      ms(time),
      `fold-back ${pattern.foldBack.distance.toExponential(1)} mm`,
      null,
      `<= ${limit / 1000} s, 0.01 mm`,
      time <= limit && pattern.foldBack.distance <= 0.01,
    );
  };
  run(bracket, 10, 9, 1000);
  const { solid, holes } = corrugated(b, 60, 400);
  run(solid, 60, holes, 5000);
}

/** Volume by the kernel, mm3. */
function volumeOf(solid, kernel) {
  const properties = new kernel.GProp_GProps();
  kernel.BRepGProp.VolumeProperties(solid.shape, properties, false, false, false);
  return properties.Mass();
}
