import type { Workspace } from '@tantamos/contract';
import type { Services } from '../services';

export async function workspaceOf({ database, readOnly, isCopy }: Services): Promise<Workspace> {
  const row = await database.one<Omit<Workspace, 'readOnly' | 'isCopy'>>(
    `select name, why_required as "whyRequired", preview_hours as "previewHours",
       preview_minutes as "previewMinutes", keep_months as "keepMonths", time_zone as "timeZone",
       current_database() as database from tantamos.workspace`,
  );
  return { ...row!, readOnly, isCopy };
}
