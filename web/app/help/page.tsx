import { formats } from 'tall-kite/formats/registry';
import { claimsInWords } from 'tall-kite/prove/claims';
import { formatNames } from 'tall-kite/receivers/receivers';
import { HelpPage } from '@/help/HelpPage.tsx';

export default function Page() {
  const written = new Set<string>(Object.values(formatNames));
  const opened = formats.map(({ id, endings, bare, unit }) => ({
    name: id,
    opened: endings.map((e) => `.${e}`).join(', '),
    written: written.delete(id),
    unit: unit === 'stated' ? 'stated in the file' : bare ? `stated, or else ${bare.words}` : 'not stated: a person says it',
  }));
  const claims = claimsInWords.map((c) => ({ claim: c.names.join(', '), of: c.of, tolerance: c.tolerance }));
  return <HelpPage formats={opened} claims={claims} />;
}
