import Link from 'next/link';
import { inboxCounts } from '@tall-kite/server/releases/inbox';
import { context } from '@/server/context.ts';
import { formatNames, receivers } from 'tall-kite/receivers/receivers';
import { Header } from '@/shell/Header.tsx';
import { HeadRow } from '@/shell/HeadRow.tsx';

export const dynamic = 'force-dynamic';

export default async function Page() {
  const counts = await inboxCounts(context().db);
  return (
    <div className="page">
      <Header current="receivers" />
      <main id="content">
        <div className="title">
          <h1>Receivers</h1>
          <span className="context">
            The machines&rsquo; software that files are written for, and its rules. Each is played by a stand-in that reads the written bytes and nothing else.
          </span>
        </div>
        <div className="scroll" tabIndex={0} role="group" aria-label="Receivers">
          <table className="plainlist">
            <HeadRow
              names={['Receiver', 'Reads', 'Takes numbers for', 'Bed', 'Bead, pixel or kerf', 'At most', 'Overhang or versions', 'Other rules', 'Inbox']}
            />
            <tbody>
              {receivers.map((r) => (
                <tr key={r.id}>
                  <td>
                    <b>{r.name}</b>
                    <br />
                    <span className="context">{r.process}</span>
                  </td>
                  <td>{r.formats.map((f) => formatNames[f]).join(', ')}</td>
                  <td className="figure">{r.unit}</td>
                  <td className="figure">{r.bed.join(' × ')} mm</td>
                  <td className="figure">{r.cutter ? r.cutter.kerf : r.bead} mm</td>
                  <td className="figure">
                    {!r.cutter && (
                      <>
                        {r.mostTriangles.toLocaleString('en')} triangles
                        <br />
                      </>
                    )}
                    {r.mostBytes / 1e6} MB
                  </td>
                  {r.cutter ? (
                    <>
                      <td>{r.cutter.versions.length > 0 ? `DXF ${r.cutter.versions.join(', ')}` : ''}</td>
                      <td>
                        {r.cutter.curves ? 'takes curves' : 'lines and arcs only'}
                        <br />
                        {r.cutter.perInch !== null
                          ? `SVG at ${r.cutter.perInch} per inch`
                          : r.cutter.readsUnit
                            ? 'obeys the stated unit'
                            : 'looks at no unit in DXF'}
                      </td>
                    </>
                  ) : (
                    <>
                      <td className="figure">{r.overhang}° from the vertical</td>
                      <td className="figure">
                        {r.up.toUpperCase()} up
                        <br />
                        gap {r.clearance} mm
                        <br />
                        layer {r.layer} mm
                      </td>
                    </>
                  )}
                  <td style={{ whiteSpace: 'nowrap' }}>
                    <Link href={`/receivers/${r.id}`} data-test={`inbox-${r.id}`}>
                      <span className="figure">{counts[r.id]?.accepted ?? 0}</span> accepted
                      <br />
                      <span className="figure">{counts[r.id]?.refused ?? 0}</span> refused
                    </Link>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </main>
    </div>
  );
}
