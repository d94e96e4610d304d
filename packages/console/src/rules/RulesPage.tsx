import type { RuleView } from '@tantamos/contract';
import { jobOfRule } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { lazy, Suspense, useState } from 'react';
import { api, queryClient } from '../app/api';
import { usePerson } from '../app/session';
import { Button, LinkButton } from '../components/Button';
import { moment, number } from '../components/format';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import type { DraftEdit } from '../job/edits';
import { useNewJob } from '../job/useNewJob';
import { queries } from '../queries';
import { Trend } from './Trend';

const RuleForm = lazy(() => import('./RuleForm'));
const RuleVersions = lazy(() => import('./RuleVersions'));

/** What must hold for records, with how many break each rule now, and what mends them. */
export function RulesPage() {
  const { may } = usePerson();
  const rules = useQuery(queries.rules());
  const [open, setOpen] = useState<RuleView | 'new' | null>(null);
  const [versions, setVersions] = useState<RuleView | null>(null);
  const count = useMutation({ mutationFn: countAll, onSettled: rulesChanged });
  if (rules.isPending) return <Working what="Reading the rules" />;
  if (rules.isError) return <Trouble error={rules.error} onRetry={() => void rules.refetch()} />;
  const own = rules.data.filter((r) => r.source === 'own');
  const checks = rules.data.filter((r) => r.source === 'database');
  const isAdmin = may.includes('administer');
  const heads = ['Rule', 'Records', 'State', 'Break it now', 'By day', 'What to do'].map((label) => ({
    label,
    right: label === 'Break it now',
    hidden: label === 'What to do',
  }));
  return (
    <main className="h-full space-y-4 overflow-auto p-4">
      <div className="flex flex-wrap items-center justify-between gap-3">
        <div>
          <h1 className="text-base font-semibold">Rules</h1>
          <p className="text-quiet">
            What must hold for records. A rule that is on stops every job that would break it; what broke it before is
            stopped only where its fields are changed.
          </p>
        </div>
        <div className="flex gap-2">
          {own.some(isCounted) && (
            <Button onClick={() => count.mutate(own)} busy={count.isPending}>
              Count all now
            </Button>
          )}
          {isAdmin && (
            <Button main onClick={() => setOpen('new')}>
              <Plus className="size-4" aria-hidden="true" /> New rule
            </Button>
          )}
        </div>
      </div>
      <Problems error={count.error} />
      {own.length === 0 ? (
        <p className="border border-line bg-sheet p-4">
          No rule of your own yet.{' '}
          {isAdmin
            ? 'Say what must hold, such as: where status is Active, kind is not Reseller. It is off until you have seen who breaks it.'
            : 'Administrators make them.'}
        </p>
      ) : (
        <Table label="Rules of the workspace" heads={heads}>
          {own.map((rule) => (
            <OwnRule
              key={rule.name}
              rule={rule}
              isAdmin={isAdmin}
              onEdit={() => setOpen(rule)}
              onVersions={() => setVersions(rule)}
            />
          ))}
        </Table>
      )}
      <section className="space-y-2">
        <h2 className="font-medium">Checks of the database</h2>
        <Table label="Checks of the database" heads={[{ label: 'It says' }, { label: 'Records' }, { label: 'Holds' }]}>
          {checks.map((r) => (
            <tr key={`${r.type} ${r.name}`}>
              <td className={`${tableCell} w-full max-w-0 truncate`} title={`${r.message} ${r.words}`}>
                {r.message}
              </td>
              <td className={tableCell}>{r.typeLabel}</td>
              <td className={tableCell}>
                {r.broken === 0 ? 'for all' : 'for what is written; old records may break it'}
              </td>
            </tr>
          ))}
        </Table>
      </section>
      <Sheet
        open={open !== null}
        onClose={() => setOpen(null)}
        side="right"
        width="w-130"
        title={open === 'new' ? 'New rule' : `Rule “${open?.name ?? ''}”`}
      >
        <Suspense>
          {open && (
            <RuleForm
              rule={open === 'new' ? null : open}
              onDone={() => {
                setOpen(null);
                void rulesChanged();
              }}
            />
          )}
        </Suspense>
      </Sheet>
      <Suspense>
        {versions && (
          <RuleVersions rule={versions} onClose={() => setVersions(null)} onBack={() => void rulesChanged()} />
        )}
      </Suspense>
    </main>
  );
}

function OwnRule({
  rule,
  isAdmin,
  onEdit,
  onVersions,
}: {
  rule: RuleView;
  isAdmin: boolean;
  onEdit: () => void;
  onVersions: () => void;
}) {
  const begin = useNewJob();
  const turn = useMutation({
    mutationFn: () => api.switchRule(rule.name, { isOn: !rule.isOn, version: rule.version }),
    onSettled: rulesChanged,
  });
  const drop = useMutation({ mutationFn: () => api.dropRule(rule.name), onSettled: rulesChanged });
  const [dropping, setDropping] = useState(false);
  const filter = `breaks_rule('${rule.name}')`;
  const look = (edits: readonly DraftEdit[], why = ''): void =>
    void begin({ type: rule.type, filter, edits, why, panel: edits.length > 0 });
  const state = rule.trouble !== null ? 'In trouble' : rule.isOn ? 'On' : 'Off';
  return (
    <tr className="hover:bg-paper">
      <td className={`${tableCell} w-full max-w-0`}>
        <p className="truncate" title={rule.message}>
          <b className="font-medium">{rule.name}</b> <span className="text-quiet">{rule.message}</span>
        </p>
        <p className="truncate pb-1 text-xs text-quiet" title={rule.words}>
          {rule.words}
        </p>
        {rule.trouble !== null && (
          <p className="pb-1 whitespace-normal text-trouble">
            It can no longer be asked, so it stops nothing: {rule.trouble}
          </p>
        )}
        <Problems error={turn.error ?? drop.error} />
      </td>
      <td className={tableCell}>{rule.typeLabel}</td>
      <td className={tableCell}>
        <span className={rule.trouble !== null ? 'text-trouble' : rule.isOn ? '' : 'text-quiet'}>{state}</span>
      </td>
      <td className={`${tableCell} text-right`}>
        {rule.ofChange ? (
          <span className="text-quiet">of changes</span>
        ) : rule.broken === null ? (
          <span className="text-quiet">not counted</span>
        ) : rule.stale ? (
          // Never an old number as if it were true now.
          <span className="text-quiet" title={`${number(rule.broken)} before the last run, ${moment(rule.countedAt!)}`}>
            counting…
          </span>
        ) : rule.broken === 0 ? (
          <span>none</span>
        ) : (
          <LinkButton
            title={`Counted ${moment(rule.countedAt!)}`}
            aria-label={`Open the ${number(rule.broken)} that break ${rule.name}`}
            onClick={() => look([])}
          >
            {number(rule.broken)}
          </LinkButton>
        )}
        {rule.countedAt !== null && !rule.stale && (
          <span className="block text-xs text-quiet">{moment(rule.countedAt)}</span>
        )}
      </td>
      <td className={tableCell}>
        <Trend counts={rule.counts} />
      </td>
      <td className={`${tableCell} space-x-3 text-right`}>
        {rule.mend && rule.broken !== 0 && rule.trouble === null && (
          <Button
            title={rule.mendWords ?? undefined}
            onClick={() => {
              const { edits, why } = jobOfRule(rule);
              look(edits, why);
            }}
          >
            Mend…
          </Button>
        )}
        {isAdmin && (
          <>
            <LinkButton
              disabled={turn.isPending}
              aria-label={`Switch ${rule.isOn ? 'off' : 'on'}: ${rule.name}`}
              onClick={() => turn.mutate()}
            >
              {rule.isOn ? 'Switch off' : 'Switch on'}
            </LinkButton>
            <LinkButton aria-label={`Change the rule ${rule.name}`} onClick={onEdit}>
              Change
            </LinkButton>
            <LinkButton aria-label={`Versions of ${rule.name}`} onClick={onVersions}>
              Versions
            </LinkButton>
            {dropping ? (
              <Button
                grave
                busy={drop.isPending}
                onClick={() => drop.mutate()}
                onBlur={() => setDropping(false)}
                autoFocus
              >
                Delete it, its versions and counts
              </Button>
            ) : (
              <LinkButton aria-label={`Delete the rule ${rule.name}`} onClick={() => setDropping(true)}>
                Delete
              </LinkButton>
            )}
          </>
        )}
      </td>
    </tr>
  );
}

const isCounted = (r: RuleView): boolean => !r.ofChange && r.trouble === null;

async function countAll(own: readonly RuleView[]): Promise<void> {
  for (const rule of own.filter(isCounted)) await api.countRule(rule.name);
}

const rulesChanged = (): Promise<void> => queryClient.invalidateQueries({ queryKey: queries.aboutRules });
