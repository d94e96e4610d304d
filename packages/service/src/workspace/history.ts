import type { SettingChangeView } from '@tantamos/contract';
import type { Database } from '../database/database';

const mostTold = 500;

interface Row {
  readonly changed_at: Date;
  readonly by: string | null;
  readonly what: SettingChangeView['what'];
  readonly type: string | null;
  readonly field: string | null;
  readonly was: Readonly<Record<string, unknown>> | null;
  readonly became: Readonly<Record<string, unknown>>;
}

/** What was changed in settings, the newest first. Of a first change, what was given a value. */
export async function settingChanges(database: Database): Promise<SettingChangeView[]> {
  const rows = await database.rows<Row & Record<string, unknown>>(
    `select c.*, a.name as by from tantamos.setting_change c left join tantamos.account a on a.id = c.changed_by
     order by c.id desc limit $1`,
    [mostTold],
  );
  return rows.map(({ changed_at, by, what, type, field, was, became }) => ({
    at: changed_at.toISOString(),
    by,
    what,
    type,
    field,
    changes: Object.entries(became)
      .filter(([, value]) => was !== null || (value !== null && value !== false))
      .map(([setting, value]) => ({
        setting: setting.replaceAll('_', ' '),
        was: was === null ? null : said(was[setting]),
        became: said(value),
      })),
  }));
}

function said(value: unknown): string | null {
  if (value === null || value === undefined) return null;
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return Array.isArray(value) ? value.join(', ') : String(value as string | number);
}
