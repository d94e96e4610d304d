import {
  asText,
  conditionOf,
  join,
  keyText,
  namedText,
  render,
  Scope,
  signedColumn,
  sql,
  value,
  type Catalog,
  type CheckedSelection,
  type Field,
  type Sql,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { mustHaveRoom } from '../storage/room';
import type { Column } from './rows';

/** What an export held, by record, is kept for so long. */
const kept = '90 days';

/** Keeps what the records hold that are about to be written, so that a file that comes back can be told from it. Returns its id. */
export async function keepSigned(
  database: Database,
  account: string,
  selection: CheckedSelection,
  catalog: Catalog,
  fields: readonly Field[],
): Promise<string> {
  const { type } = selection;
  return database.transaction(
    'read committed',
    async (connection) => {
      await connection.query(`set local statement_timeout = 600000`);
      await connection.query(
        `with gone as (delete from tantamos.export where made_at < now() - interval '${kept}' returning id)
         delete from tantamos.export_row r using gone where r.export = gone.id`,
      );
      await mustHaveRoom(connection, 'exports', account);
      const { rows } = await connection.query<{ id: string }>(
        'insert into tantamos.export (made_by, type, fields) values ($1, $2, $3) returning id',
        [account, type.id, fields.map((f) => f.name)],
      );
      const { id } = rows[0]!;
      const scope = new Scope(type, selection.env);
      const stored = fields.map((f) => asText(scope.own(f.name)));
      const shown = fields.map((f) => shownIn(f, namedText({ through: [], type, field: f }, scope, catalog)));
      const where = conditionOf(selection, scope);
      const { text, values } = render(sql`insert into tantamos.export_row (export, key, stored, shown)
        select ${value(id)}::uuid, ${keyText(scope.keys())}, array[${join(stored, ', ')}]::text[], array[${join(shown, ', ')}]::text[] from ${scope.from()} where ${where}`);
      const written = await connection.query(text, values);
      await connection.query('update tantamos.export set rows = $2 where id = $1', [id, written.rowCount]);
      return id;
    },
    'searches',
  );
}

/** What a field shows of such a text: of a choice its label. */
export function shownIn({ choices }: Field, text: Sql): Sql {
  if (!choices || choices.length === 0) return text;
  const cases = choices.map((c) => sql`when ${value(c.value)} then ${value(c.label)}`);
  return sql`case ${text} ${join(cases, ' ')} else ${text} end`;
}

/** The last column of a signed export, of which `at` stands for the key. */
export const signature: Column = { name: signedColumn, kind: 'text', show: (text) => text };
