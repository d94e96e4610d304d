import { outcomeWords, quote } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import type { RecordView, TypeView } from '@tantamos/contract';
import { Link, useNavigate, useParams } from 'react-router';
import { usePerson } from '../app/session';
import { Button, LinkButton } from '../components/Button';
import { Change, Shown } from '../components/Change';
import { keyWords, moment, number } from '../components/format';
import { Menu, menuItem } from '../components/Menu';
import { Trouble, Working } from '../components/states';
import { everything, type Draft } from '../job/draft';
import { useDraft } from '../job/DraftKeeper';
import { queries } from '../queries';
import { useAllTypes } from '../records/all-types';
import { Fields } from './Fields';

/** One record: its values now, and what runs changed on it, when and why. */
export function RecordPage() {
  const { type = '', key = '' } = useParams();
  const navigate = useNavigate();
  const { change } = useDraft();
  const { may } = usePerson();
  const types = useAllTypes();
  const go = (to: string, start: Partial<Draft>): void => {
    change({ ...everything, type: to, filterMode: 'text', ...start });
    void navigate(`/records/${encodeURIComponent(to)}`);
  };
  const show = (to: string, field: string, filter = ''): void =>
    go(to, { related: { of: { type, keys: [key] }, how: 'pointing_at', field }, filter });
  const openWhen = (of: string): string | null => types.find((t) => t.id === of)?.openWhen ?? null;
  // Of those whose owners are records of this type.
  const isPerson = types.some((t) => t.fields.some((f) => t.ownerFields.includes(f.name) && f.refersTo === type));
  const record = useQuery(queries.record(type, key));
  const view = useQuery(queries.type(type));
  const history = useQuery(queries.history(type, key));
  const pointers = useQuery(queries.pointers(type, key));
  if (record.isPending || view.isPending) return <Working what="Reading the record" />;
  if (!record.data || !view.data) return <Trouble error={record.error ?? view.error} />;
  return (
    <main className="flex h-full flex-col">
      <header className="flex items-center gap-4 border-b border-line px-4 py-2.5">
        <Button onClick={() => navigate(-1)}>Back</Button>
        <div>
          <h1 className="text-lg leading-6 font-medium">{record.data.name ?? keyWords(record.data.key)}</h1>
          <p className="text-quiet">
            {view.data.label}, key {keyWords(record.data.key)}
          </p>
        </div>
        <p className="ml-auto flex flex-wrap items-center justify-end gap-2">
          <LikeThis type={view.data} record={record.data} onGo={(filter) => go(type, { filter, panel: true })} />
          {view.data.notChangeable === null && (
            <Button onClick={() => go(type, { picked: [key], panel: true })}>A job on it…</Button>
          )}
          {isPerson && (
            <Button onClick={() => navigate(`/handover/${encodeURIComponent(type)}/${encodeURIComponent(key)}`)}>
              Hand over…
            </Button>
          )}
          {view.data.notChangeable === null && may.includes('delete') && (
            <Button grave onClick={() => go(type, { picked: [key], act: 'delete', panel: true })}>
              Delete…
            </Button>
          )}
        </p>
      </header>
      <div className="flex min-h-0 flex-1">
        <Fields key={`${type} ${key}`} record={record.data} type={view.data} />
        <section aria-label="What points here" className="w-72 shrink-0 overflow-auto border-r border-line p-4">
          <h2 className="mb-3 text-base font-semibold">What points here</h2>
          {pointers.isPending && <p className="text-quiet">…</p>}
          {pointers.data?.length === 0 && <p className="text-quiet">Nothing points at this record.</p>}
          <ul>
            {pointers.data?.map((p) => (
              <li key={`${p.type}.${p.field}`}>
                <button type="button" className={menuItem} onClick={() => show(p.type, p.field)}>
                  <span>
                    {p.label} <span className="text-quiet">by {p.fieldLabel.toLowerCase()}</span>
                  </span>
                  <span className="font-medium">{number(p.count)}</span>
                </button>
                {openWhen(p.type) !== null && (
                  <LinkButton className="px-2 text-xs" onClick={() => show(p.type, p.field, openWhen(p.type)!)}>
                    only its open {p.label.toLowerCase()}
                  </LinkButton>
                )}
              </li>
            ))}
          </ul>
        </section>
        <section aria-label="History" className="min-w-0 flex-1 overflow-auto p-4">
          <h2 className="mb-3 text-base font-semibold">What runs did here</h2>
          {history.isPending && <p className="text-quiet">…</p>}
          {history.data?.length === 0 && <p className="text-quiet">No run has touched this record.</p>}
          <ol className="space-y-3">
            {history.data?.map((h) => (
              <li key={h.run} className="rounded border border-line bg-sheet p-3">
                <p className="flex flex-wrap items-baseline gap-x-2">
                  <b className="font-medium">{moment(h.at)}</b>
                  <span>
                    {h.kind === 'undo' ? 'undo' : 'run'} by {h.by}: {outcomeWords(h.outcome)}
                  </span>
                  {h.cause && <span className="text-trouble">{h.cause}</span>}
                </p>
                {h.why && <p>Why: {h.why}</p>}
                <dl className="my-1.5">
                  {h.changes.map((c) => (
                    <div key={c.field} className="flex gap-3">
                      <dt className="w-36 shrink-0 text-quiet">{c.label}</dt>
                      <dd>
                        {h.outcome === 'changed' ? (
                          <Change old={c.old} now={c.new} kind={c.kind} />
                        ) : (
                          <Shown value={c.old} kind={c.kind} />
                        )}
                      </dd>
                    </div>
                  ))}
                </dl>
                <Link to={`/runs/${h.run}`} className="text-quiet hover:text-accent hover:underline">
                  {h.sentence}
                </Link>
              </li>
            ))}
          </ol>
        </section>
      </div>
    </main>
  );
}

/** All records with the same value of a field as this one. */
function LikeThis({ type, record, onGo }: { type: TypeView; record: RecordView; onGo: (filter: string) => void }) {
  const told = record.fields.flatMap((f) => {
    const field = type.fields.find((x) => x.name === f.name);
    const isShared =
      field && !field.unique && (field.choices !== null || field.refersTo !== null || field.base === 'yes_no');
    return isShared && field.kind !== 'key' && f.value.value !== null ? [{ field, value: f.value }] : [];
  });
  if (told.length === 0) return null;
  return (
    <Menu label="All like this one…">
      {(close) => (
        <ul aria-label="All with the same">
          {told.map(({ field, value }) => (
            <li key={field.name}>
              <button
                type="button"
                className={menuItem}
                onClick={() => {
                  close();
                  onGo(
                    field.base === 'yes_no'
                      ? `${field.name} = ${value.value}`
                      : `${field.name} = ${quote(value.value!)}`,
                  );
                }}
              >
                <span className="text-quiet">{field.label}</span>
                <span className="min-w-0 truncate">
                  <Shown value={value} kind={field.kind} />
                </span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </Menu>
  );
}
