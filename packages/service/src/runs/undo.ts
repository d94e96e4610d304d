import type { UndoBody } from '@tantamos/contract';
import { clip, fail, fieldNamed, inside, typeNow } from '@tantamos/core';
import type { Compiler } from '../jobs/compiler';
import type { UndoWhich } from '../previews/preview-row';
import type { Seen } from '../rights/seen';
import type { RunRow } from './runs';

/**
 * Which part of a run is to be taken back, checked; null: all of it. Chosen records are of one type, that which the run is of
 * where none is said; what it did to others stays.
 */
export async function undoWhich(compiler: Compiler, r: RunRow, seen: Seen, body: UndoBody): Promise<UndoWhich | null> {
  const { keys, filter, fields, overwrite, leaveEdited } = body;
  const ids = [...new Set(r.work_order.parts.map((part) => part.type))];
  const isChosen = body.type !== undefined || keys !== undefined || (filter ?? '').trim() !== '';
  const only = isChosen ? (body.type ?? r.type) : null;
  if (body.type !== undefined && !ids.includes(body.type))
    fail('unknown_type', `This run did nothing to records of “${clip(body.type)}”.`, {
      where: 'type',
      suggestions: ids.filter((id) => seen.catalog.find(id)?.hidden === false),
    });
  const types = (only === null ? ids : [only]).map((id) => typeNow(seen.catalog, id));
  const parts = r.work_order.parts.filter((part) => only === null || part.type === only);
  if (overwrite) {
    const related = parts.flatMap((part) => part.along.map((a) => typeNow(seen.catalog, a.type)));
    [...types, ...related].forEach((type) => seen.must('overwrite', type));
  }
  if (filter !== undefined && filter.trim() !== '') {
    // Made again or gone, a record answers no filter.
    if (parts.some((part) => part.act === 'delete'))
      fail('bad_value', 'What this run deleted is chosen by keys; a filter finds only what is there.', {
        where: 'filter',
      });
    await compiler.selection(seen, { type: only!, filter });
  }
  const written = [...new Set(parts.flatMap((part) => (part.act === 'update' ? part.writes : [])))].filter((name) =>
    types.some((type) => fieldNamed(type, name)?.hidden === false),
  );
  for (const [i, name] of (fields ?? []).entries())
    if (!written.includes(name))
      inside(`fields[${i}]`, () =>
        fail('unknown_field', `This run changed no field “${clip(name)}”.`, { suggestions: written }),
      );
  if (fields && parts.some((part) => part.act !== 'update'))
    fail('bad_value', 'What this run made or deleted is taken back whole, not field by field.', { where: 'fields' });
  const which: UndoWhich = {
    ...(body.type === undefined || ids.length === 1 ? {} : { type: body.type }),
    ...(keys ? { keys } : {}),
    ...(filter?.trim() ? { filter } : {}),
    ...(fields ? { fields } : {}),
    ...(overwrite ? { overwrite } : {}),
    ...(leaveEdited ? { leaveEdited } : {}),
  };
  return Object.keys(which).length > 0 ? which : null;
}
