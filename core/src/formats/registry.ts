import { amf } from './amf/format.ts';
import { board } from './board/format.ts';
import { drill } from './drill/format.ts';
import { dxf } from './dxf/format.ts';
import { gerber } from './gerber/format.ts';
import { gltf } from './gltf/format.ts';
import { iges } from './iges/format.ts';
import { obj } from './obj/format.ts';
import { off } from './off/format.ts';
import { pdf } from './pdf/format.ts';
import { picture } from './picture/format.ts';
import { ply } from './ply/format.ts';
import { step } from './step/format.ts';
import { stl } from './stl/format.ts';
import { svg } from './svg/format.ts';
import { text } from './text/format.ts';
import { threeMf } from './threemf/format.ts';
import type { Format } from './format.ts';

/** Every format that is opened, in the order in which bytes are asked what they are. A new one is a folder and a line here. */
export const formats: readonly Format[] = [step, iges, gerber, drill, board, stl, obj, ply, threeMf, off, amf, gltf, dxf, svg, pdf, picture, text];

/** Whether numbers of a format may come without a unit, so that a person has to say it. @example mayBeBare('STL') // true */
export const mayBeBare = (id: string): boolean => formats.some((f) => f.id === id && f.unit !== 'stated');

/** What bare numbers of a format are taken for while nobody has chosen: SVG by CSS at 96 an inch, all else as mm. */
export const usualReading = (id: string): string => formats.find((f) => f.id === id)?.bare?.unit ?? 'mm';
