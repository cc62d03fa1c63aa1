import { manifestText, reportCsv } from 'tall-kite/release/manifest';
import { safeFileName } from 'tall-kite/recipe/recipe';
import { releaseDocument } from '@tall-kite/server/releases/report';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The report: ?as=csv, or the manifest with all evidence as JSON; ?as=recipe gives the recipe for the command line. */
export function GET(request: Request, { params }: { params: Promise<{ release: string }> }) {
  return answer(request, async () => {
    const { manifest, changes, made, name, recipe } = await releaseDocument(context().db, (await params).release);
    const as = new URL(request.url).searchParams.get('as');
    const give = (text: string, type: string, ending: string) =>
      new Response(text, {
        headers: { 'Content-Type': `${type}; charset=utf-8`, 'Content-Disposition': attachment(`${safeFileName(name)}${ending}`), 'Cache-Control': 'no-store' },
      });
    if (as === 'csv') return give(reportCsv(manifest, changes, made), 'text/csv', '_report.csv');
    if (as === 'recipe') return give(`${JSON.stringify(recipe, null, 2)}\n`, 'application/json', '_recipe.json');
    return give(manifestText(manifest), 'application/json', '_manifest.json');
  });
}
