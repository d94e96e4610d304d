import { outcomeWords } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate, useParams } from 'react-router';
import { Button } from '../components/Button';
import { inLines } from '../components/json';
import { Change, Shown } from '../components/Change';
import { cellOf } from '../components/kinds';
import { keyWords, moment, number } from '../components/format';
import { menuItem } from '../components/Menu';
import { Trouble, Working } from '../components/states';
import { everything } from '../job/draft';
import { useDraft } from '../job/DraftKeeper';
import { queries } from '../queries';

/** One record: its values now, and what runs changed on it, when and why. */
export function RecordPage() {
  const { type = '', key = '' } = useParams();
  const navigate = useNavigate();
  const { change } = useDraft();
  const show = (to: string, field: string): void => {
    change({ ...everything, type: to, related: { of: { type, keys: [key] }, how: 'pointing_at', field } });
    void navigate(`/records/${encodeURIComponent(to)}`);
  };
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
      </header>
      <div className="flex min-h-0 flex-1">
        <section aria-label="Fields" className="w-110 shrink-0 overflow-auto border-r border-line bg-sheet">
          <dl>
            {record.data.fields.map((f) => (
              <div key={f.name} className="flex min-h-8 gap-3 border-b border-line px-4 py-1.5">
                <dt className="w-36 shrink-0 text-quiet">{f.label}</dt>
                <dd className={`min-w-0 flex-1 break-words ${cellOf(f.kind).right ? 'text-right tabular-nums' : ''}`}>
                  {f.kind === 'json' && f.value.value !== null ? (
                    <pre className="font-mono text-xs break-words whitespace-pre-wrap">{inLines(f.value.value)}</pre>
                  ) : (
                    <Shown value={f.value} kind={f.kind} />
                  )}
                </dd>
              </div>
            ))}
          </dl>
        </section>
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
