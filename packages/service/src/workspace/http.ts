import type { workspaceRoutes } from '@tantamos/contract';
import { detach } from '../detach';
import type { Handlers } from '../http/handler';
import { version } from '../version';
import { settingChanges } from './history';
import { workspaceOf } from './workspace';

export const workspaceHandlers: Handlers<typeof workspaceRoutes> = {
  async health({ services }) {
    await services.database.rows('select 1');
    return { ok: true, version };
  },

  async setWorkspace({ services, seen, body }) {
    seen.must('administer');
    await services.database.rows(
      `update tantamos.workspace set name = coalesce($1, name), why_required = coalesce($2, why_required),
         preview_hours = coalesce($3, preview_hours),
         preview_minutes = coalesce($5, preview_minutes), keep_months = case when $7 then $6 else keep_months end,
         time_zone = coalesce($4, time_zone), journal_gb = coalesce($9, journal_gb), changed_by = $8`,
      [
        body.name,
        body.whyRequired,
        body.previewHours,
        body.timeZone,
        body.previewMinutes,
        body.keepMonths ?? null,
        body.keepMonths !== undefined,
        seen.person.id,
        body.journalGb,
      ],
    );
    services.catalogs.refresh();
    services.room.refresh();
    return workspaceOf(services, seen);
  },

  async settingChanges({ services, seen }) {
    seen.must('administer');
    return settingChanges(services.database);
  },

  async settle({ services, seen }) {
    seen.must('administer');
    await services.settle();
    return workspaceOf(services, seen);
  },

  async detach({ services, seen, body, res }) {
    seen.must('administer');
    await detach(services, body.database);
    res.once('finish', services.gone);
  },
};
