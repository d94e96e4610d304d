import type { SettingChangeView } from '@tantamos/contract';
import type { Database } from '../database/database';

const mostTold = 500;

interface Row {
  readonly changed_at: Date;
  readonly by: string | null;
  readonly what: SettingChangeView['what'];
  readonly type: string | null;
  readonly field: string | null;
  readonly subject: string | null;
  readonly was: Readonly<Record<string, unknown>> | null;
  readonly became: Readonly<Record<string, unknown>> | null;
}

/** What was changed in settings, the newest first. Of a first change, what was given a value. */
export async function settingChanges(database: Database): Promise<SettingChangeView[]> {
  const rows = await database.rows<Row & Record<string, unknown>>(
    `select c.*, a.name as by from tantamos.setting_change c left join tantamos.account a on a.id = c.changed_by
     order by c.id desc limit $1`,
    [mostTold],
  );
  return rows.map(({ changed_at, by, what, type, field, subject, was, became }) => ({
    at: changed_at.toISOString(),
    by,
    what,
    type,
    field,
    subject,
    of: inWords(what, [type, field].filter(Boolean).join('.') || (subject ?? '')),
    done: was === null && !laidOver.includes(what) ? 'added' : became === null ? 'taken away' : 'changed',
    changes: [...new Set([...Object.keys(was ?? {}), ...Object.keys(became ?? {})])]
      .filter((setting) => was !== null || isSet(became![setting]))
      .map((setting) => ({
        setting: setting.replaceAll('_', ' '),
        was: said(was?.[setting]),
        became: said(became?.[setting]),
      })),
  }));
}

/** Settings of what is there anyway: there is no adding them, only a first change. */
const laidOver: readonly SettingChangeView['what'][] = ['workspace', 'type', 'field'];

function inWords(what: SettingChangeView['what'], whose: string): string {
  if (what === 'workspace') return 'the workspace';
  return what === 'right' || what === 'token' ? `${what} of ${whose}` : `${what} ${whose}`;
}

function isSet(value: unknown): boolean {
  return value !== null && value !== undefined && value !== false;
}

function said(value: unknown): string | null {
  if (value === null || value === undefined) return null;
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return Array.isArray(value) ? value.join(', ') : String(value);
}
