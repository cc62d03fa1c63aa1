import { readyReceivers } from 'tall-kite/receivers/ready';
import { Readable } from 'node:stream';
import { connect, type Database } from '@tall-kite/server/database/connect';
import { bringIn } from '@tall-kite/server/designs/designs';
import { askForFile } from '@tall-kite/server/files/files';
import { takePartsList } from '@tall-kite/server/parts/properties';
import { beginRelease, checkWish } from '@tall-kite/server/releases/releases';
import { releaseView } from '@tall-kite/server/releases/report';
import { askForOperation, keepOperation, operationViews } from '@tall-kite/server/operations/operations';
import { addBendTable, bendTables } from '@tall-kite/server/stores/bends';
import { readBendRules, usualBender } from 'tall-kite/bender/rules';
import { isBender } from 'tall-kite/receivers/receivers';
import { changeReceiver, storedReceivers } from '@tall-kite/server/stores/receivers';
import { usualFlatten } from 'tall-kite/sheet/pattern';
import { keepCutList } from '@tall-kite/server/jobs/cutlists';
import { usualNest } from 'tall-kite/cutlist/how';
import { jobView, makeJob } from '@tall-kite/server/jobs/jobs';
import { settingsFrom } from '@tall-kite/server/settings/settings';
import { Blobs } from '@tall-kite/server/storage/blobs';
import { demoCases, demoCasesList } from './cases.ts';
import { demoFiles, type DemoFile } from './designs.ts';
import { demoDrawings } from './drawings.ts';
import { demoPictures } from './pictures.ts';
import { demoBendTable, demoSheets } from './sheets.ts';
import { demoTexts } from './texts.ts';
import { demoBendRules, demoTubes } from './tubes.ts';
import { demoBoards } from './boards.ts';
import { demoPatches } from './patches.ts';
import { demoReliefs } from './reliefs.ts';
import { usualBoard } from 'tall-kite/boards/choice';
import { usualSpread } from 'tall-kite/patches/choice';
import { usualStanding, usualStock, type StockChoice } from 'tall-kite/reliefs/choice';
import { addMaterial, materials } from '@tall-kite/server/stores/materials';
import { addSheet, storedSheets } from '@tall-kite/server/stores/sheets';
import { demoPartsList, demoShelf, demoSpares } from './spares.ts';
import { keepDesign, keptDesigns, makeShelf } from '@tall-kite/server/stores/designs';

const jobName = 'Wind station, revision C';
const drawingsName = 'Winder and crate, revision B';
const sparesName = 'Station spares';
const picturesName = 'Marks and templates';
const textsName = 'Plates, tags and artwork';
const casesName = 'Crate and tool chest';
const tubesName = 'Launching frame and winder tubes';
const boardsName = 'Boards of the station';
const patchesName = 'Sails and seats';
const reliefsName = 'Signs and terrain';
const sheetsName = 'Folded sheet, revision A';

/** Loads the scenario through the same code that a person's upload takes; once, and not again. */
async function load(): Promise<void> {
  const settings = settingsFrom();
  const { db } = connect(settings.databaseUrl, 2);
  const blobs = new Blobs(settings.dataDir);
  /** One job with its files; then the files of some of its parts. */
  const makeWith = async (name: string, files: DemoFile[], written: string[]) => {
    if (await db.selectFrom('jobs').select('id').where('name', '=', name).executeTakeFirst()) return;
    const jobId = await makeJob(db, name);
    for (const file of files) await bringIn(db, blobs, { jobId, name: file.name, source: Readable.from([Buffer.from(file.bytes)]) });
    const job = await settled(async () => {
      const view = await jobView(db, jobId);
      return view.designs.every((d) => d.state === 'read' || d.state === 'failed') ? view : null;
    });
    for (const part of job.parts.filter((p) => written.includes(p.name))) await askForFile(db, part.id);
    await settled(async () =>
      (await jobView(db, jobId)).parts.every((p) => !p.file || p.file.state === 'written' || p.file.state === 'failed') ? true : null,
    );
  };
  try {
    if (await db.selectFrom('jobs').select('id').where('name', '=', jobName).executeTakeFirst()) return;
    console.log('Making the demo scenario ...');
    if ((await bendTables(db)).every((t) => t.table.name !== demoBendTable.name)) await addBendTable(db, demoBendTable);
    await keepMaterials(db);
    await makeWith(sheetsName, await demoSheets(), []);
    await unfoldAll(db, sheetsName, ['Sheet bracket', 'Enclosure tray']);
    await makeWith(textsName, await demoTexts(), ['Station name plate']);
    await makeWith(picturesName, await demoPictures(), ['sail-mark']);
    await makeWith(drawingsName, demoDrawings(), ['winder-sides', 'sail-stencil']);
    await makeWith(casesName, await demoCases(), []);
    await nestCases(db);
    await makeWith(tubesName, await demoTubes(), []);
    await tubesOf(db);
    await makeWith(boardsName, await demoBoards(), []);
    await boardsOf(db);
    await makeWith(patchesName, await demoPatches(), []);
    await spreadAll(db);
    await fillShelf(db, blobs);
    await makeWith(reliefsName, demoReliefs(), []);
    await setIntoStock(db);
    await releaseSpares(db, blobs);
    await makeWith(jobName, await demoFiles(), ['Sensor housing', 'Cup', 'Clamp half', 'Mast bracket']);
  } finally {
    await db.destroy();
  }
}

/** Unfolds some sheet parts of a job, keeps the flats and has them written. */
async function unfoldAll(db: ReturnType<typeof connect>['db'], jobName: string, names: string[]): Promise<void> {
  const { id } = await db.selectFrom('jobs').select('id').where('name', '=', jobName).executeTakeFirstOrThrow();
  for (const part of (await jobView(db, id)).parts.filter((p) => names.includes(p.name))) {
    const rule = { kind: 'din6935' as const };
    const asked = await askForOperation(db, id, {
      kind: 'flatten',
      part: part.id,
      choice: { ...usualFlatten, rule, material: 'aluminium 5754', density: 2.66 },
    });
    await settled(async () => {
      const operation = (await operationViews(db, id)).find((o) => o.id === asked);
      if (operation?.state === 'failed') throw new Error(operation.failure?.message);
      return operation?.state === 'ready' ? true : null;
    });
    await keepOperation(db, asked);
  }
  for (const flat of (await jobView(db, id)).parts.filter((p) => p.summary.flat)) await askForFile(db, flat.id);
  await settled(async () => ((await jobView(db, id)).parts.every((p) => !p.file || p.file.state === 'written' || p.file.state === 'failed') ? true : null));
}

/** What the station is made of, of invented tolerances. */
async function keepMaterials(db: Database): Promise<void> {
  if ((await materials(db)).length > 0) return;
  const bends = (await bendTables(db)).find((t) => t.table.name === demoBendTable.name)?.id ?? null;
  const band = (thickness: number, minus: number, plus: number) => ({ thickness, minus, plus });
  for (const material of [
    { name: 'aluminium 5754', also: ['AlMg3'], density: 2.67, comes: [band(1.5, 0.1, 0.1), band(2, 0.12, 0.12), band(3, 0.15, 0.15)], bends },
    { name: 'birch plywood', also: ['ply'], density: 0.68, comes: [band(9, 0.6, 0.4), band(12, 0.7, 0.4), band(18, 0.8, 0.4)], bends: null },
    { name: 'MDF', also: [], density: 0.75, comes: [band(6, 0.2, 0.2), band(12, 0.2, 0.2)], bends: null },
    { name: 'lime', also: [], density: 0.53, comes: [], bends: null },
    { name: 'steel', also: ['E235'], density: 7.85, comes: [], bends: null },
  ])
    await addMaterial(db, material);
}

/** The cut list of the cases, and their panels laid on sheets of two materials. */
async function nestCases(db: Database): Promise<void> {
  const { id } = await db.selectFrom('jobs').select('id').where('name', '=', casesName).executeTakeFirstOrThrow();
  await takePartsList(db, id, demoCasesList);
  const { parts } = await jobView(db, id);
  const about = Object.fromEntries(parts.map(({ id: part, quantity, number, material, thickness }) => [part, { quantity, number, material, thickness }]));
  const of = parts.map((p) => p.id);
  const done = (asked: string) =>
    settled(async () => {
      const operation = (await operationViews(db, id)).find((o) => o.id === asked);
      if (operation?.state === 'failed') throw new Error(operation.failure?.message);
      return operation?.state === 'ready' ? true : null;
    });
  await done(await askForOperation(db, id, { kind: 'cut-list', parts: of, about }));
  const sheet = { ...usualNest.sheets[0], width: 2440, height: 1220 };
  const rest = { ...sheet, name: 'rest of plywood', width: 900, height: 700, copies: 1, remnant: true, material: 'birch plywood', thickness: 12 };
  const choice = {
    ...usualNest,
    sheets: [{ ...sheet, name: 'plywood', material: 'birch plywood' }, { ...sheet, name: 'board', material: 'MDF' }, rest],
    rounds: 40,
  };
  await keepCutList(db, id, 0, { edits: {}, choice, laid: null });
  const receiver = readyReceivers.find((r) => r.id === 'martin')!;
  await done(
    await askForOperation(db, id, {
      kind: 'nest',
      parts: of,
      about,
      edits: {},
      choice,
      laid: null,
      receiver,
      format: 'dxf',
      name: casesName,
      csv: { comma: false, mark: false },
    }),
  );
}

/** The tubes of a job by the rules of the station's shop. */
async function tubesOf(db: Database): Promise<void> {
  const { id } = await db.selectFrom('jobs').select('id').where('name', '=', tubesName).executeTakeFirstOrThrow();
  const { parts } = await jobView(db, id);
  // The shop's rules are the bender's own, in the stores.
  const { rules, version } = (await storedReceivers(db)).find((r) => r.rules.id === readyReceivers.find(isBender)!.id)!;
  const machine = { ...rules.bender!, rules: readBendRules(demoBendRules), dies: [32, 70, 120], clamp: 40 };
  await changeReceiver(db, rules.id, version, { ...rules, bender: machine });
  const bender = { ...usualBender, ...machine, material: 'steel' };
  const asked = await askForOperation(db, id, { kind: 'tubes', parts: parts.map((p) => p.id), toDie: false, fit: null, bender, machine: rules.id });
  await settled(async () => {
    const operation = (await operationViews(db, id)).find((o) => o.id === asked);
    if (operation?.state === 'failed') throw new Error(operation.failure?.message);
    return operation?.state === 'ready' ? true : null;
  });
}

/** Every board of its job, green, with copper on both sides of the disc. */
async function boardsOf(db: Database): Promise<void> {
  const { id } = await db.selectFrom('jobs').select('id').where('name', '=', boardsName).executeTakeFirstOrThrow();
  const { parts } = await jobView(db, id);
  const receiver = (await storedReceivers(db)).find((r) => r.rules.boardShop)!.rules;
  for (const part of parts) {
    const disc = part.name.includes('disc');
    const choice = { ...usualBoard, copper: disc ? ('both' as const) : ('none' as const), mask: disc ? ('green' as const) : ('black' as const) };
    const asked = await askForOperation(db, id, { kind: 'board', part: part.id, choice, receiver });
    await settled(async () => {
      const operation = (await operationViews(db, id)).find((o) => o.id === asked);
      if (operation?.state === 'failed') throw new Error(operation.failure?.message);
      return operation?.state === 'ready' ? true : null;
    });
  }
}

/** The sail in six gores, kept and written; the seat pad's top as a proposal. */
async function spreadAll(db: Database): Promise<void> {
  const { id } = await db.selectFrom('jobs').select('id').where('name', '=', patchesName).executeTakeFirstOrThrow();
  const { parts } = await jobView(db, id);
  const ask = async (name: string, some: Partial<typeof usualSpread>) => {
    const part = parts.find((p) => p.name.includes(name))!;
    const asked = await askForOperation(db, id, { kind: 'spread', part: part.id, choice: { ...usualSpread, ...some } });
    await settled(async () => {
      const operation = (await operationViews(db, id)).find((o) => o.id === asked);
      if (operation?.state === 'failed') throw new Error(operation.failure?.message);
      return operation?.state === 'ready' ? true : null;
    });
    return asked;
  };
  await keepOperation(db, await ask('sail', { divide: { by: 'gores', count: 6, axis: null }, allowance: { seam: 12, border: 20 } }));
  for (const flat of (await jobView(db, id)).parts.filter((p) => p.summary.patch)) await askForFile(db, flat.id);
  await settled(async () => ((await jobView(db, id)).parts.every((p) => !p.file || p.file.state === 'written' || p.file.state === 'failed') ? true : null));
  await ask('Seat pad', { faces: [1], allowance: { seam: 0, border: 15 } });
}

/** A shelf of small things in the stores. */
async function fillShelf(db: Database, blobs: Blobs): Promise<void> {
  if ((await keptDesigns(db, {})).total > 0) return;
  const shelf = await makeShelf(db, 'Station spares');
  const other = await makeShelf(db, 'Marks and reliefs');
  for (const { name, bytes, tags } of await demoShelf())
    await keepDesign(
      db,
      blobs,
      { name, source: Readable.from([Buffer.from(bytes)]), announced: bytes.length },
      { shelf: tags.includes('spares') ? shelf : other, tags },
    );
  await settled(async () => ((await keptDesigns(db, {})).reading === 0 ? true : null));
}

/** The wave sign in its block, kept and written; the kite field as a proposal. Blocks and a remnant in the stores. */
async function setIntoStock(db: Database): Promise<void> {
  const { id } = await db.selectFrom('jobs').select('id').where('name', '=', reliefsName).executeTakeFirstOrThrow();
  if ((await storedSheets(db)).length === 0)
    for (const [name, material, width, height, thickness, price, remnant] of [
      ['ash block', 'ash', 300, 200, 20, 14, false],
      ['ash board', 'ash', 600, 240, 25, 31, false],
      ['lime board', 'lime', 400, 400, 30, 36, false],
      ['rest of lime', 'lime', 180, 150, 30, 0, true],
    ] as const)
      await addSheet(db, { ...usualNest.sheets[0], name, material, width, height, thickness, price, remnant, copies: remnant ? 1 : null });
  const { parts } = await jobView(db, id);
  const ask = async (name: string, choice: StockChoice) => {
    const part = parts.find((p) => p.name.toLowerCase().includes(name))!;
    const asked = await askForOperation(db, id, { kind: 'stock', parts: [part.id], choice });
    await settled(async () => {
      const operation = (await operationViews(db, id)).find((o) => o.id === asked);
      if (operation?.state === 'failed') throw new Error(operation.failure?.message);
      return operation?.state === 'ready' ? true : null;
    });
    return asked;
  };
  const plan = {
    fine: { kind: 'ball' as const, diameter: 3, between: 0.3 },
    coarse: { kind: 'flat' as const, diameter: 8, between: 4, layer: 4, leave: 0.2 },
    feed: 1500,
    plunge: 500,
  };
  await keepOperation(
    db,
    await ask('wave sign', {
      ...usualStock,
      stock: [300, 200, 20],
      base: 6,
      margin: 12,
      draft: 8,
      zeroZ: 'top',
      plan,
      reliefs: [{ ...usualStanding, zero: 2 }],
    }),
  );
  for (const block of (await jobView(db, id)).parts.filter((p) => p.summary.relief)) await askForFile(db, block.id);
  await settled(async () => ((await jobView(db, id)).parts.every((p) => !p.file || p.file.state === 'written' || p.file.state === 'failed') ? true : null));
  await ask('kite field', { ...usualStock, stock: [240, 180, 30], base: 5, cell: 1, reliefs: [{ ...usualStanding, fit: 'typed', size: [240, 180, 22] }] });
}

/** Spare parts, released at revision A and again at B: what did not change is the same file. */
async function releaseSpares(db: Database, blobs: Blobs): Promise<void> {
  if (await db.selectFrom('jobs').select('id').where('name', '=', sparesName).executeTakeFirst()) return;
  const jobId = await makeJob(db, sparesName);
  const bring = async (revision: 'A' | 'B', replaces: string | null) => {
    const file = await demoSpares(revision);
    const id = await bringIn(db, blobs, { jobId, name: file.name, source: Readable.from([Buffer.from(file.bytes)]), replaces });
    await settled(async () => ((await jobView(db, jobId)).designs.every((d) => d.state === 'read' || d.state === 'failed') ? true : null));
    return id;
  };
  const release = async (revision: string) => {
    const naming = { file: [{ field: 'number' }, { text: '_' }, { field: 'part' }, { text: '_rev' }, { field: 'revision' }], folder: [{ field: 'receiver' }] };
    const lines = [
      { receiver: 'lark', format: 'stl' },
      { receiver: 'wren', format: '3mf' },
      { receiver: 'martin', format: 'dxf', flatten: { rule: { kind: 'din6935' } } },
    ];
    const id = await beginRelease(
      db,
      blobs,
      jobId,
      checkWish({ recipe: { revision, lines, naming }, options: { folder: true, deliver: true } }, readyReceivers),
    );
    await settled(async () => {
      const view = await releaseView(db, id);
      return view.state !== 'running' && view.rows.every((r) => r.delivery !== 'waiting') ? true : null;
    });
  };
  const first = await bring('A', null);
  await takePartsList(db, jobId, demoPartsList);
  await release('A');
  await bring('B', first);
  await release('B');
}

async function settled<T>(look: () => Promise<T | null>): Promise<T> {
  for (let i = 0; i < 600; i++) {
    const found = await look();
    if (found !== null) return found;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
  throw new Error('the worker did not finish within two minutes');
}

await load();
process.exit(0);
