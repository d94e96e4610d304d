import { number, print, readFormat } from '../output';
import { client } from '../session';
import { acting, type Verb } from './verb';

export const types: Verb = (program) => {
  program
    .command('types')
    .description('all record types')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().types();
        const rows = all.map((t) => [
          t.id,
          t.label,
          t.notReadable === null ? `about ${number(t.about)}` : '',
          t.nameField,
          t.ownerFields.join(', '),
          t.notChangeable ?? 'can be changed',
        ]);
        print(
          {
            columns: ['type', 'label', 'records', 'name field', 'owner', 'changes'],
            numbers: ['records'],
            whole: ['changes'],
            rows,
          },
          readFormat(o.format),
          all,
        );
      }),
    );

  program
    .command('fields')
    .argument('<type>')
    .description('the fields of a type: kind, limits, and why one cannot be changed')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (type: string, o: { format: string }) => {
        const view = await client().type(type);
        const rows = view.fields.map((f) => {
          const limits = [
            f.required ? 'required' : null,
            f.unique ? 'unique' : null,
            f.maxLength ? `${f.maxLength} characters` : null,
            f.scale ? `${f.scale} decimals` : null,
            f.refersTo ? `→ ${f.refersTo}` : null,
            f.choices ? f.choices.map((c) => c.value).join(' | ') : null,
          ];
          return [
            f.name,
            f.label,
            f.kind,
            limits.filter(Boolean).join(', '),
            f.notEditable ? `no: ${f.notEditable}` : 'yes',
          ];
        });
        for (const l of view.links)
          rows.push([
            l.name,
            l.label,
            'list',
            `records → ${l.refersTo}`,
            l.notEditable ? `no: ${l.notEditable}` : 'yes: add, remove',
          ]);
        for (const f of view.unreadable) rows.push([f.name, f.label, '', '', `cannot be read: ${f.reason}`]);
        const columns = ['field', 'label', 'kind', 'limits', 'can be changed'];
        print({ columns, whole: ['limits', 'can be changed'], rows }, readFormat(o.format), [
          ...view.fields,
          ...view.links,
          ...view.unreadable,
        ]);
      }),
    );
};
