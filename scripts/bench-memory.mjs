// A process of its own for the bench: how much memory reading and checking one STL takes at its peak; "full" for the whole check.
import { readFileSync } from 'node:fs';
import { readStl } from '../core/dist/formats/stl/read.js';
import { checkMesh } from '../core/dist/mesh/soundness/check-mesh.js';
import { fullCheck } from '../core/dist/mesh/soundness/full-check.js';

const before = process.memoryUsage().rss;
const { blocks } = readStl(readFileSync(process.argv[2]));
if (process.argv[3] === 'full') fullCheck(blocks[0].mesh);
else checkMesh(blocks[0].mesh);
process.send({ bytes: process.resourceUsage().maxRSS * 1024 - before });
