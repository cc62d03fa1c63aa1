// Readers with a fault each, for the test of the fuzz run: it has to find every one of them and go on.
export const targets = [
  { name: 'sound', change: (b) => b, sources: () => [Buffer.from('x')], run: async (_, i) => (i % 2 ? 'read' : 'refused') },
  { name: 'empty', change: (b) => b, sources: () => [], run: async () => 'read' },
  {
    name: 'faulty',
    change: (bytes, random) => Buffer.from([bytes[0], random(256)]),
    sources: () => [Buffer.from('x')],
    run: async (_, i) => {
      if (i === 1) throw new TypeError('of undefined');
      if (i === 3) process.exit(3);
      if (i === 5) for (;;);
      if (i === 7) globalThis.kept = Buffer.alloc(1_200_000_000, 1);
      return 'read';
    },
  },
];

export async function runCase(target, sources, i, change) {
  const bytes = change(sources[0]);
  return { word: await target.run(bytes, i), bytes };
}
