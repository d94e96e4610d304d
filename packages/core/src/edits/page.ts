import { editHelp, editKinds, editMembers, type Edit } from './edit';
import type { Member } from './member';

/** The reference page of all edits, as Markdown; docs/reference/edits.md is this text. */
export function editsPage(): string {
  return `${intro}\n${editKinds.map(section).join('\n')}`;
}

const intro = `# Edits

Made from the program's own list by \`npm run functions\`. An edit is a JSON object with its \`kind\` and the members below.
On the command line it is an option of its kind: the field, then \`member=value\` one after another, all in one pair of
quotes; lists have commas, what belongs together colons, and what holds any of these, or a space, stands in quotes; a list
may come from a CSV file (\`pairs=@kinds.csv\`). \`set\`, \`fill\`, \`clear\` and \`compute\` have shorter forms:
\`--set field=text\`, \`--fill field=text\`, \`--clear field\`, \`--compute 'field = expression'\`; \`--edit FILE\` takes JSON.

All edits of a job read the record as it was before the job: their order does not matter, and no field is changed twice.
\`where\` narrows an edit to records for which a condition holds; \`--only-where\` does so for the edit said before it.

In texts \`{…}\` takes an expression, such as \`Hives for {crop} in {valley}\`: a choice gives its label, a reference the
name of its record, a blank nothing; \`{{\` is a brace. What is worked out is rounded to the decimals of its field; a value
for a choice may be its label, for a reference the name of its record or its key. A record for which nothing comes out, or
what the field does not take, is _not allowed_, with the reason; it is never left blank by accident.
`;

function section(kind: Edit['kind']): string {
  const { doc, example } = editHelp(kind);
  const rows = Object.entries(editMembers(kind))
    .filter(([name]) => name !== 'field' && name !== 'where')
    .map(([name, member]) => `| \`${name}\`${member.optional ? '' : ' (needed)'} | ${takes(member)} |`);
  const table = rows.length > 0 ? `\n| member | takes |\n| --- | --- |\n${rows.join('\n')}\n` : '';
  return `## ${kind}\n\n${doc} For example: \`${JSON.stringify(example)}\`\n${table}`;
}

/** “one of start, end”, in the words that a wrong one is refused with. */
function takes({ must }: Member): string {
  return must.replace(/\bmust be /g, '').replaceAll('|', '\\|');
}
