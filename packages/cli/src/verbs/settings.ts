import type { FieldSettingsBody, TypeSettingsBody } from '@tantamos/contract';
import type { NewKeys } from '@tantamos/core';
import { ask, hasTerminal } from '../ask';
import { moment, print, readFormat, talk } from '../output';
import { client } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';
import { commas, wholeNumber } from '../options';

interface TypeOptions extends Omit<
  TypeSettingsBody,
  'ownerFields' | 'fieldOrder' | 'openWhen' | 'newKeys' | 'hidden' | 'refusesInactive'
> {
  readonly refuseInactive?: string;
  readonly ownerFields?: string;
  readonly fieldOrder?: string;
  readonly openWhen?: string;
  readonly newKeys?: string;
  readonly hide?: true;
  readonly reveal?: true;
}
interface FieldOptions {
  readonly label?: string;
  readonly hide?: true;
  readonly reveal?: true;
  readonly protect?: true;
  readonly unprotect?: true;
  readonly leaveOut?: true;
  readonly takeIn?: true;
}

interface WorkspaceOptions {
  readonly name?: string;
  readonly whyRequired?: string;
  readonly previewHours?: number;
  readonly previewMinutes?: number;
  readonly keepMonths?: string;
  readonly timeZone?: string;
}

export const settings: Verb = (program) => {
  const group = program.command('settings').description('settings of types, fields and the workspace (administrators)');

  group
    .command('type')
    .argument('<type>')
    .description('label, name field, owner fields, bounds for runs')
    .option('--label <text>', 'how it is called')
    .option('--name-field <field>', 'the field that names a record')
    .option('--owner-fields <list>', 'the fields that say who answers for it: a,b')
    .option('--field-order <list>', 'the fields in the order of forms, the first ones named: a,b')
    .option('--active-field <field>', 'the yes/no field that says who is not to be chosen any more')
    .option('--open-when <filter>', 'which records count as open, such as "state <> \'done\'"; empty: all of them')
    .option('--new-keys <how>', 'how keys are made where the database makes none: highest, uuid or none')
    .option('--refuse-inactive <yesno>', 'whether those may not be chosen at all: yes or no (else one is warned)')
    .option('--most-records <n>', 'no run may change more', wholeNumber('--most-records'))
    .option('--typed-from <n>', 'from so many on, the number must be said', wholeNumber('--typed-from'))
    .option('--largest-batch <n>', 'no batch may be larger', wholeNumber('--largest-batch'))
    .option('--usual-batch <n>', 'records in a batch where a job does not say', wholeNumber('--usual-batch'))
    .option('--usual-at-once <n>', 'batches at once where a job does not say', wholeNumber('--usual-at-once'))
    .option('--usual-pace <percent>', 'share of the time where a job does not say', wholeNumber('--usual-pace'))
    .option('--most-at-once <n>', 'no job may have more batches at once', wholeNumber('--most-at-once'))
    .option('--most-pace <percent>', 'no job may work a larger share of the time', wholeNumber('--most-pace'))
    .option('--hide', 'show it to administrators only')
    .option('--reveal', 'show it to everyone')
    .action(
      acting(
        async (
          type: string,
          { ownerFields, fieldOrder, openWhen, newKeys, hide, reveal, refuseInactive, ...plain }: TypeOptions,
        ) => {
          const refusesInactive =
            refuseInactive === undefined ? undefined : yesOrNo('--refuse-inactive', refuseInactive);
          const hidden = hide ? true : reveal ? false : undefined;
          const body = {
            ...plain,
            ...(ownerFields === undefined ? {} : { ownerFields: commas(ownerFields) }),
            ...(fieldOrder === undefined ? {} : { fieldOrder: fieldOrder.trim() ? commas(fieldOrder) : null }),
            ...(openWhen === undefined ? {} : { openWhen: openWhen.trim() || null }),
            ...(newKeys === undefined ? {} : { newKeys: newKeys === 'none' ? null : (newKeys as NewKeys) }),
            ...(hidden === undefined ? {} : { hidden }),
            ...(refusesInactive === undefined ? {} : { refusesInactive }),
          };
          const view = await client().setType(type, body);
          const { label, nameField, bounds, hidden: isHidden } = view;
          print(
            {
              columns: ['setting', 'value'],
              rows: Object.entries({
                label,
                nameField,
                ownerFields: view.ownerFields.join(', '),
                activeField: view.activeField,
                openWhen: view.openWhen,
                newKeys: view.newKeys,
                refusesInactive: view.refusesInactive,
                ...bounds,
                hidden: isHidden,
              }),
            },
            'table',
          );
        },
      ),
    );

  group
    .command('field')
    .arguments('<type> <field>')
    .description('label, hidden, protected, left out of forms')
    .option('--label <text>', 'how it is called')
    .option('--hide', 'nobody sees it')
    .option('--reveal', 'it is seen again')
    .option('--protect', 'nobody changes it')
    .option('--unprotect', 'it may be changed again')
    .option('--leave-out', 'the form for several records has it only where a rule asks for it')
    .option('--take-in', 'the form for several records has it again')
    .action(
      acting(async (type: string, field: string, o: FieldOptions) => {
        const body: FieldSettingsBody = {};
        if (o.label !== undefined) body.label = o.label;
        if (o.hide || o.reveal) body.hidden = Boolean(o.hide);
        if (o.protect || o.unprotect) body.protected = Boolean(o.protect);
        if (o.leaveOut || o.takeIn) body.leftOut = Boolean(o.leaveOut);
        const view = await client().setField(type, field, body);
        const f = view.fields.find((x) => x.name === field)!;
        print(
          {
            columns: ['setting', 'value'],
            rows: Object.entries({
              label: f.label,
              hidden: f.hidden,
              protected: f.protected,
              leftOut: f.leftOut ?? false,
            }),
          },
          'table',
        );
      }),
    );

  group
    .command('workspace')
    .description('what holds for everybody')
    .option('--name <text>', 'how the workspace is called')
    .option('--why-required <yesno>', 'whether every job must say why: yes or no')
    .option('--preview-hours <n>', 'how long a preview may be started', wholeNumber('--preview-hours'))
    .option('--preview-minutes <n>', 'how long a preview may be worked out', wholeNumber('--preview-minutes'))
    .option('--keep-months <n>', 'how many months journals are kept, or “always”')
    .option('--journal-gb <n>', 'how many gigabytes of journals are kept', wholeNumber('--journal-gb'))
    .option('--time-zone <name>', 'IANA name, such as Europe/Berlin: what TODAY and the day of a moment mean')
    .action(
      acting(async (o: WorkspaceOptions) => {
        const { whyRequired, keepMonths, ...rest } = o;
        const { warnings, ...settings } = await client().setWorkspace({
          ...rest,
          ...(whyRequired === undefined ? {} : { whyRequired: yesOrNo('--why-required', whyRequired) }),
          ...(keepMonths === undefined
            ? {}
            : { keepMonths: keepMonths === 'always' ? null : wholeNumber('--keep-months')(keepMonths) }),
        });
        print(
          {
            columns: ['setting', 'value'],
            rows: Object.entries({ ...settings, keepMonths: settings.keepMonths ?? 'always' }),
          },
          'table',
        );
        for (const warning of warnings) talk(`Warning: ${warning}`);
      }),
    );
  group
    .command('history')
    .description('what was changed in settings, accounts, tokens and rights, by whom and when')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().settingChanges();
        const rows = all.flatMap((c) =>
          c.changes.map((x) => [
            moment(c.at),
            c.by,
            c.of,
            c.done === 'changed' ? x.setting : `${x.setting} (${c.done})`,
            x.was,
            x.became,
          ]),
        );
        print({ columns: ['when', 'by', 'of', 'setting', 'was', 'became'], rows }, readFormat(o.format), all);
        if (rows.length === 0) talk('Nothing has been changed yet.');
      }),
    );
  atHome(group);
};

const atHome: Verb = (group) => {
  group
    .command('at-home')
    .description(
      'say that a copy of a database is at home here now: what was under way in it is paused, and work goes on',
    )
    .action(
      acting(async () => {
        const { readOnly } = (await client().me()).workspace;
        await client().settle();
        talk(
          readOnly === null ? 'It is at home here already.' : 'At home here now; runs that were under way are paused.',
        );
      }),
    );
};

const goes = `This drops the schema “tantamos”: all runs with their journals, previews, saved selections, settings and accounts.
Nothing can be taken back through Tantamos any more. The records themselves stay as they are.`;

export const detach: Verb = (program) => {
  program
    .command('detach')
    .description('take Tantamos away from its database; the records stay as they are (administrators)')
    .option('--database <name>', 'the name of the database, to confirm; asked for if left out')
    .action(
      acting(async (o: { database?: string }) => {
        const { workspace } = await client().me();
        const named = async (): Promise<string> => {
          if (!hasTerminal()) throw new UsageError(`Confirm with --database ${workspace.database}`);
          talk(goes);
          return (await ask(`The name of the database (${workspace.database}) to go on: `)).trim();
        };
        await client().detach({ database: o.database ?? (await named()) });
        talk('Tantamos has been taken away; its service has ended.');
      }),
    );
};

function yesOrNo(option: string, said: string): boolean {
  if (!/^(yes|no)$/.test(said)) throw new UsageError(`${option} is yes or no.`);
  return said === 'yes';
}
