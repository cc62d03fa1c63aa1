/**
 * The rooms of core, from the ground up: each may use only rooms below it. Checked by `npm run lint`; docs/architecture.md says what each is for.
 */
// eslint-disable-next-line @typescript-eslint/no-require-imports -- the tool reads this file as CommonJS
const rooms = require('./core/rooms.json');
const inside = (room) => (room === 'mesh' ? '^core/src/mesh/[^/]+$' : `^core/src/${room}/`);

module.exports = {
  forbidden: [
    { name: 'no-circle', severity: 'error', from: {}, to: { circular: true } },
    ...rooms.slice(0, -1).map((room, i) => ({
      name: `${room.replace('/', '-')}-uses-only-what-is-below`,
      severity: 'error',
      from: { path: inside(room) },
      to: { path: rooms.slice(i + 1).map(inside) },
    })),
    {
      name: 'every-file-in-a-room',
      severity: 'error',
      from: { path: '^core/src/', pathNot: rooms.map(inside) },
      to: {},
    },
    {
      name: 'kernel-names-in-the-kernel',
      comment: 'Only core/src/kernel knows the names of opencascade.js; other rooms ask it.',
      severity: 'error',
      from: { path: '^core/src/', pathNot: '^core/src/kernel/' },
      to: { path: 'node_modules/(opencascade\\.js|replicad-opencascadejs)' },
    },
    {
      name: 'core-without-interface',
      severity: 'error',
      from: { path: '^core/src/' },
      to: { path: ['^(server|web|demo)/', 'node_modules/(react|next|antd|kysely|pg)/'] },
    },
    { name: 'server-without-pages', severity: 'error', from: { path: '^server/src/' }, to: { path: ['^web/', 'node_modules/(react|next|antd)/'] } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.base.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['types', 'import', 'default'] },
  },
};
