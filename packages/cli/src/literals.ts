import type { Client } from '@tantamos/client';
import type { JobBody } from '@tantamos/contract';
import { readsLike, type Edit } from '@tantamos/core';
import { ask, hasTerminal } from './ask';
import { talk } from './output';
import { UsageError } from './trouble';

/** Asks about texts that read like a formula or a field, where somebody can be asked; the preview warns of them anyway. */
export async function askAboutLiterals(api: Client, job: JobBody): Promise<void> {
  const said = job.edits.filter((e) => 'value' in e && typeof e.value === 'string') as (Edit & { value: string })[];
  if (said.length === 0 || !hasTerminal()) return;
  const type = await api.type(job.selection.type).catch(() => null);
  const isText = (field: string): boolean => type?.fields.some((f) => f.name === field && f.base === 'text') ?? false;
  for (const { value, ...edit } of said) {
    if (!('field' in edit) || !isText(edit.field) || !readsLike(value, type!.fields)) continue;
    talk(`“${value}” reads like a formula or a field. It would be written as it stands, as a text.`);
    if (!/^y(es)?$/i.test(await ask(`Write the text “${value}”? [y/N] `)))
      throw new UsageError('Nothing was worked out.');
  }
}
