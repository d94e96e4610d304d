import type { PreviewView, RuleView, RunView, SavedJobView } from '@tantamos/contract';
import { doneShort, isOver, willWords, type RunState } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { usePerson } from '../app/session';
import { moment, number } from '../components/format';
import { Problems } from '../components/Problems';
import { Working } from '../components/states';
import { queries } from '../queries';
import { StateMark } from '../runs/StateMark';
import { FirstSteps } from './FirstSteps';

/** States in which a run goes on only when somebody says so. */
const waiting: readonly RunState[] = ['waiting_for_you', 'paused'];
const mostShown = 8;

/** What waits for the person, what ran since they were here, their jobs, and rules with how many break them. */
export function StartPage() {
  const { name, login } = usePerson();
  const runs = useQuery(queries.newestRuns());
  const previews = useQuery(queries.previews());
  const jobs = useQuery(queries.savedJobs());
  const rules = useQuery(queries.rules());
  const since = useLastVisit(login);
  if ([runs, previews, jobs, rules].some((q) => q.isPending)) return <Working what="Looking what there is" />;
  const asking = (runs.data ?? []).filter((r) => waiting.includes(r.state) && r.verbs.includes('continue'));
  const ready = (previews.data ?? []).filter((p) => p.mine && p.state === 'ready' && !p.expired && p.run === null);
  const recent = (runs.data ?? []).filter((r) => !asking.includes(r) && r.startedAt > since);
  const own = [...(jobs.data ?? [])].sort((a, b) => (b.usedAt ?? '').localeCompare(a.usedAt ?? ''));
  const broken = (rules.data ?? []).filter(
    (r) => r.source === 'own' && (r.isOn || r.broken !== 0 || r.trouble !== null),
  );
  const isNew = [runs.data, previews.data, own].every((list) => (list ?? []).length === 0);
  return (
    <main className="h-full overflow-auto p-4">
      <h1 className="mb-4 text-lg font-semibold">{name}</h1>
      <Problems error={runs.error ?? previews.error ?? jobs.error ?? rules.error} />
      {isNew && <FirstSteps />}
      <div className="grid gap-5 lg:grid-cols-2">
        {!isNew && (
          <Part title="Waits for you" none="Nothing waits for you.">
            {[
              ...asking.map((r) => <RunLine key={r.id} run={r} more={r.reason} />),
              ...ready.slice(0, mostShown).map((p) => <PreviewLine key={p.id} preview={p} />),
            ]}
          </Part>
        )}
        {!isNew && (
          <Part title={since === never ? 'Ran lately' : `Ran since ${moment(since)}`} none="Nothing ran.">
            {recent.slice(0, mostShown).map((r) => (
              <RunLine key={r.id} run={r} more={isOver(r.state) ? changedWords(r) : null} />
            ))}
          </Part>
        )}
        {(!isNew || own.length > 0) && (
          <Part
            title="Jobs"
            to="/jobs"
            none="No saved job yet. Compose one under Records, and save it to use it again."
          >
            {own.slice(0, mostShown).map((j) => (
              <JobLine key={j.id} job={j} />
            ))}
          </Part>
        )}
        {broken.length > 0 && (
          <Part title="Rules" to="/rules" none="">
            {broken.slice(0, mostShown).map((r) => (
              <RuleLine key={r.name} rule={r} />
            ))}
          </Part>
        )}
      </div>
    </main>
  );
}

function Part({ title, to, none, children }: { title: string; to?: string; none: string; children: ReactNode[] }) {
  return (
    <section className="min-w-0 space-y-1.5">
      <h2 className="font-medium">
        {to ? (
          <Link to={to} className="hover:text-accent hover:underline">
            {title}
          </Link>
        ) : (
          title
        )}
      </h2>
      {children.length === 0 ? (
        <p className="border border-line bg-sheet px-3 py-2 text-quiet">{none}</p>
      ) : (
        <ul className="divide-y divide-line border border-line bg-sheet">{children}</ul>
      )}
    </section>
  );
}

function Item({ to, title, children }: { to: string; title: string; children: ReactNode }) {
  return (
    <li className="px-3 py-2 hover:bg-paper">
      <Link to={to} className="block truncate hover:text-accent hover:underline" title={title}>
        {title}
      </Link>
      <p className="truncate text-xs text-quiet">{children}</p>
    </li>
  );
}

function RunLine({ run, more }: { run: RunView; more: string | null }) {
  return (
    <Item to={`/runs/${run.id}`} title={run.sentence}>
      <StateMark state={run.state} /> {moment(run.startedAt)} by {run.startedBy}
      {more ? `. ${more}` : ''}
    </Item>
  );
}

function changedWords({ parts, totals }: RunView): string {
  return `${doneShort(parts, number)} of ${number(totals.matched)} matched.`;
}

function PreviewLine({ preview: p }: { preview: PreviewView }) {
  return (
    <Item to={`/previews/${p.id}`} title={p.sentence}>
      Preview: {willWords(p.parts, number)}, valid until {moment(p.expiresAt)}
    </Item>
  );
}

function JobLine({ job }: { job: SavedJobView }) {
  return (
    <Item to={`/jobs?use=${encodeURIComponent(job.name)}`} title={job.name}>
      {job.trouble === null ? job.sentence : <span className="text-trouble">Needs a look: {job.trouble}</span>}
    </Item>
  );
}

function RuleLine({ rule }: { rule: RuleView }) {
  const count = rule.ofChange
    ? 'about changes'
    : rule.broken === null
      ? 'not counted yet'
      : rule.stale
        ? 'counting…'
        : `${number(rule.broken)} ${rule.broken === 1 ? 'breaks' : 'break'} it (counted ${moment(rule.countedAt!)})`;
  return (
    <Item to="/rules" title={rule.message}>
      {rule.trouble === null ? (
        `${rule.typeLabel}: ${count}`
      ) : (
        <span className="text-trouble">In trouble: {rule.trouble}</span>
      )}
    </Item>
  );
}

const never = '';

/** So long nobody has looked here when a new visit begins, in ms. */
const away = 30 * 60_000;

/** When the person was last here in this browser, before this visit; the empty text: never. */
function useLastVisit(login: string): string {
  const place = `tantamos.visit.${login}`;
  const [since] = useState(() => {
    const [before = never, last = never] = (localStorage.getItem(place) ?? '').split(' ');
    return Date.now() - Date.parse(last || '1970-01-01') > away ? last : before;
  });
  useEffect(() => localStorage.setItem(place, `${since} ${new Date().toISOString()}`), [place, since]);
  return since;
}
