import { amf } from './amf/format.ts';
import { dxf } from './dxf/format.ts';
import { gltf } from './gltf/format.ts';
import { iges } from './iges/format.ts';
import { obj } from './obj/format.ts';
import { off } from './off/format.ts';
import { ply } from './ply/format.ts';
import { step } from './step/format.ts';
import { stl } from './stl/format.ts';
import { svg } from './svg/format.ts';
import { threeMf } from './threemf/format.ts';
import type { Format } from './format.ts';

/** Every format that is opened, in the order in which bytes are asked what they are. A new one is a folder and a line here. */
export const formats: readonly Format[] = [step, iges, stl, obj, ply, threeMf, off, amf, gltf, dxf, svg];
