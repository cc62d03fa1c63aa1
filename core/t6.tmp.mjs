import { readDesign } from './dist/pipeline/read.js'; import { nodeKernels, workingKernel } from './dist/kernel/load.js'; import fs from 'fs';
import { faceted } from './dist/sheet/flatten.js'; import { marksOf, likeness, roughly } from './dist/panels/equal.js';
import { usualChoices } from './dist/model/choices.js';
const d=await readDesign(fs.readFileSync('/tmp/cases/WS-302 tool chest.step'),'x.step',nodeKernels,usualChoices); const k=await workingKernel();
const ms=d.parts.filter(p=>p.summary.name.startsWith('Door')).map(p=>{const {top}=faceted(k,p.geometry.brep); return marksOf(top,p.summary.volume,top.faces.reduce((s,f)=>s+f.area,0))});
for(const m of ms) console.log(roughly(m), m.volume,m.area, m.points.map((p,i)=>m.kinds[i]+' '+Math.hypot(p[0]-m.middle[0],p[1]-m.middle[1],p[2]-m.middle[2]).toFixed(4)).sort().join('\n').slice(0,900));
console.log(likeness(ms[0],ms[1]));
