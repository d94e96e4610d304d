import type { Workspace } from '@tantamos/contract';
import type { Seen } from '../rights/seen';
import type { Services } from '../services';

export async function workspaceOf({ database, readOnly, isCopy, room }: Services, seen: Seen): Promise<Workspace> {
  const row = await database.one<Omit<Workspace, 'readOnly' | 'isCopy' | 'warnings'>>(
    `select name, why_required as "whyRequired", preview_hours as "previewHours",
       preview_minutes as "previewMinutes", keep_months as "keepMonths", journal_gb as "journalGb", time_zone as "timeZone",
       current_database() as database from tantamos.workspace`,
  );
  const warnings = await room.warnings(seen.person.id, seen.may('administer'));
  return { ...row!, readOnly, isCopy, warnings: [...warnings] };
}
