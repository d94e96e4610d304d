import { Type } from '@sinclair/typebox';
import { IsBoolean, IsInt, IsNotEmpty, IsOptional, IsString, IsTimeZone, Max, MaxLength, Min } from 'class-validator';
import { Nullable } from './body';
import { routesOf } from './route';
import { count, flag, moment, named, nullable, oneOf, text, type Answer } from './shape';

export class WorkspaceBody {
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(200) name?: string;
  @IsOptional() @IsBoolean() whyRequired?: boolean;
  /** How long a preview may be started, in hours. */
  @IsOptional() @IsInt() @Min(1) @Max(720) previewHours?: number;
  /** How long a preview may be worked out, in minutes. */
  @IsOptional() @IsInt() @Min(1) @Max(720) previewMinutes?: number;
  /** How many months journals are kept; null: for good. */
  @Nullable() @IsInt() @Min(1) @Max(240) keepMonths?: number | null;
  /** How many gigabytes of journals are kept; no more previews are made then. */
  @IsOptional() @IsInt() @Min(1) @Max(100_000) journalGb?: number;
  /** IANA name, such as Europe/Berlin: what TODAY, the day of a moment and so on mean. */
  @IsOptional() @IsTimeZone() timeZone?: string;
}

export class DetachBody {
  /** Name of the database, said to confirm. */
  @IsString() @IsNotEmpty() @MaxLength(200) database!: string;
}

export const Health = named('Health', { ok: flag, version: text });
export type Health = Answer<typeof Health>;

export const Workspace = named('Workspace', {
  name: text,
  whyRequired: flag,
  previewHours: count,
  previewMinutes: count,
  keepMonths: nullable(count, 'months that journals are kept; null: for good'),
  journalGb: Type.Integer({ description: 'gigabytes of journals that are kept at most' }),
  timeZone: text,
  database: Type.String({ description: 'name of the database' }),
  readOnly: nullable(text, 'why nothing can be changed in it; null where it can'),
  warnings: Type.Array(text, { description: 'limits of which four fifths are used' }),
  isCopy: Type.Boolean({ description: 'it is a copy, and an administrator may say that it is at home here' }),
});
export type Workspace = Answer<typeof Workspace>;

export const SettingChangeView = named('SettingChangeView', {
  at: moment,
  by: nullable(text),
  what: oneOf(['workspace', 'type', 'field', 'account', 'token', 'role', 'right']),
  type: nullable(text),
  field: nullable(text),
  subject: nullable(text, 'login of the account, or the role, that it is about'),
  of: Type.String({ description: 'what it is about, in words: type growers, right of editor' }),
  done: oneOf(['added', 'changed', 'taken away']),
  changes: Type.Array(
    Type.Object({
      setting: text,
      was: nullable(text, 'null where it had not been set'),
      became: nullable(text),
    }),
  ),
});
export type SettingChangeView = Answer<typeof SettingChangeView>;

export const workspaceRoutes = routesOf({
  health: {
    method: 'get',
    path: '/api/health',
    summary: 'Is the service up, and does its database answer?',
    answer: Health,
    open: true,
  },
  setWorkspace: {
    method: 'patch',
    path: '/api/workspace',
    summary: 'Change the settings of the workspace',
    answer: Workspace,
    body: WorkspaceBody,
  },
  settingChanges: {
    method: 'get',
    path: '/api/settings/changes',
    summary:
      'Changes of settings of the workspace, types and fields, and of who may what, with who and when: the newest 500',
    answer: Type.Array(SettingChangeView),
  },
  settle: {
    method: 'post',
    path: '/api/at-home',
    summary: 'Say that a copy of a database is at home here now: what was under way in it is paused, and work goes on',
    answer: Workspace,
  },
  detach: {
    method: 'post',
    path: '/api/detach',
    summary: 'Take Tantamos away from its database: its schema is dropped, records stay as they are, the service ends',
    answer: null,
    status: 204,
    body: DetachBody,
  },
});
