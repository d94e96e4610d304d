import { functions, relatedForms } from '.';
import { groups, signatureOf } from './entry';

/** The reference page of all functions, as Markdown; docs/reference/functions.md is this text. */
export function functionsPage(): string {
  const sections = groups.map((group) => {
    const rows = functions.filter((f) => f.group === group).map((f) => row(signatureOf(f), f.doc, f.example, f.source));
    return `## ${group}\n\n${head}\n${rows.join('\n')}\n`;
  });
  const related = relatedForms.map((f) => row(f.name, f.doc, f.example, f.source));
  return `${intro}\n${sections.join('\n')}\n## Related records, the person, saved selections\n\n${head}\n${related.join('\n')}\n`;
}

const intro = `# Functions

Made from the program's own list by \`npm run functions\`; \`tantamos functions\` prints the same. Names may be written in
any case. A blank argument makes the result blank, unless the line says otherwise. Nothing stops a search or a run: what
cannot be worked out (a division by zero, a text that is no number, a date beyond the year 9999, a number from 10^100 on,
a text over 1,000,000 characters) is blank for that record. Examples are on the bookings of the demo.

_Source_ says where a function comes from: **OpenFormula** (OASIS OpenDocument 1.3 part 4) and **OGC CQL2** (21-065r2) are
the standards, **SQL** the language's own, **Tantamos** ours.

Numbers are exact decimals with at most 30 digits after the point, never floats; a quotient has 16, rounded half away
from zero; a float counts as the decimal number it is written as. Texts are ordered by code point. Days and clock times
are those of the workspace's time zone.

What a field can hold and no calculation gives (infinity, NaN, a year before 1 or after 9999, a number from 10^100 on) is
blank for every function and calculation. Comparisons and \`IS NULL\` take the field as it is, in the database's order:
minus infinity and the far past come first, the far future and infinity last, NaN after all numbers.
`;

const head = '| function | what it gives | for example | source |\n| --- | --- | --- | --- |';

function row(...cells: string[]): string {
  const [signature, doc, example, source] = cells.map((c) => c.replaceAll('|', '\\|'));
  return `| \`${signature}\` | ${doc} | \`${example}\` | ${source} |`;
}
