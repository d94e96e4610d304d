import type { AccountBody, DetachBody, SignInBody, Workspace, WorkspaceBody } from '@tantamos/contract';
import { mustBeAllowed } from '../../accounts/rights';
import { detach as takeAway } from '../../detach';
import type { Services } from '../../services';
import type { Handler } from '../handler';
import { clearSessionCookie, credential, refuseCrossSite, setSessionCookie } from '../security';
import { version } from '../../version';

export const health: Handler = async ({ services }) => {
  await services.database.rows('select 1');
  return { ok: true, version };
};

export const signIn: Handler<SignInBody> = async ({ services, body, req, res }) => {
  const kind = body.kind ?? 'browser';
  if (kind === 'browser') refuseCrossSite(req);
  const session = await services.accounts.signIn(body.login, body.password, kind, body.label ?? null);
  if (kind === 'browser') setSessionCookie(req, res, session.secret, session.expiresAt);
  return { ...session.person, expiresAt: session.expiresAt, ...(kind === 'token' ? { token: session.secret } : {}) };
};

export const signOut: Handler = async ({ services, req, res }) => {
  const given = credential(req)!;
  await services.accounts.signOut(given.secret);
  if (given.by === 'cookie') clearSessionCookie(req, res);
};

export const me: Handler = async ({ services, person }) => ({
  ...person,
  workspace: await workspaceOf(services),
});

export const accounts: Handler = async ({ services, person }) => {
  mustBeAllowed(person, { act: 'accounts' });
  return services.accounts.list();
};

export const addAccount: Handler<AccountBody> = async ({ services, person, body }) => {
  mustBeAllowed(person, { act: 'accounts' });
  return { ...(await services.accounts.add(body)), active: true };
};

export const workspace: Handler<WorkspaceBody> = async ({ services, person, body }) => {
  mustBeAllowed(person, { act: 'settings' });
  await services.database.rows(
    `update tantamos.workspace set name = coalesce($1, name), why_required = coalesce($2, why_required),
       preview_hours = coalesce($3, preview_hours),
       preview_minutes = coalesce($5, preview_minutes), keep_months = case when $7 then $6 else keep_months end,
       time_zone = coalesce($4, time_zone)`,
    [
      body.name,
      body.whyRequired,
      body.previewHours,
      body.timeZone,
      body.previewMinutes,
      body.keepMonths ?? null,
      body.keepMonths !== undefined,
    ],
  );
  services.catalogs.refresh();
  return workspaceOf(services);
};

export const settle: Handler = async ({ services, person }) => {
  mustBeAllowed(person, { act: 'settings' });
  await services.settle();
  return workspaceOf(services);
};

export const detach: Handler<DetachBody> = async ({ services, person, body, res }) => {
  mustBeAllowed(person, { act: 'settings' });
  await takeAway(services, body.database);
  res.once('finish', services.gone);
};

async function workspaceOf({ database, readOnly, isCopy }: Services): Promise<Workspace> {
  const row = await database.one<Omit<Workspace, 'readOnly' | 'isCopy'>>(
    `select name, why_required as "whyRequired", preview_hours as "previewHours",
       preview_minutes as "previewMinutes", keep_months as "keepMonths", time_zone as "timeZone",
       current_database() as database from tantamos.workspace`,
  );
  return { ...row!, readOnly, isCopy };
}
