import type { HandoverLineView, HandoverView } from '@tantamos/contract';
import { isTicked, shortId, stateWords, type HandoverRest, type RunState } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { api } from '../app/api';
import { Button } from '../components/Button';
import { moment, number } from '../components/format';
import { textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { Trouble, Working } from '../components/states';
import { ReferenceInput } from '../job/ValueInput';
import { queries } from '../queries';
import { useAllTypes } from '../records/all-types';
import { Receivers, type Receiving } from './Receivers';

/** Everything that points at a person, given to others: choose the person, tick what goes, say to whom. */
export function HandoverPage() {
  const { type, person } = useParams();
  return (
    <main className="h-full space-y-4 overflow-auto p-4">
      <Giver type={type} person={person} />
      {type !== undefined && person !== undefined && <From key={`${type} ${person}`} type={type} person={person} />}
    </main>
  );
}

/** Which person: of the types that owners are records of. */
function Giver({ type, person }: { type?: string; person?: string }) {
  const navigate = useNavigate();
  const types = useAllTypes();
  const peopleTypes = [
    ...new Set(
      types.flatMap((t) => t.fields.flatMap((f) => (t.ownerFields.includes(f.name) ? (f.refersTo ?? []) : []))),
    ),
  ];
  const [chosen, setChosen] = useState(type);
  const of = chosen ?? peopleTypes[0];
  return (
    <header className="flex flex-wrap items-end gap-3">
      <div>
        <h1 className="text-base font-semibold">Hand over</h1>
        <p className="text-quiet">Everything that points at a person, of every type, given to others in one run.</p>
      </div>
      <div className="ml-auto flex items-center gap-2">
        <span>from</span>
        {peopleTypes.length > 1 && (
          <select
            aria-label="Type of person"
            className={`${textInput} w-36!`}
            value={of}
            onChange={(e) => setChosen(e.target.value)}
          >
            {peopleTypes.map((t) => (
              <option key={t} value={t}>
                {types.find((x) => x.id === t)?.label ?? t}
              </option>
            ))}
          </select>
        )}
        {of !== undefined && (
          <div className="w-72">
            <ReferenceInput
              typeId={of}
              label="From whom"
              value={person ?? ''}
              onChange={(key) => void navigate(`/handover/${encodeURIComponent(of)}/${encodeURIComponent(key)}`)}
            />
          </div>
        )}
      </div>
    </header>
  );
}

function From({ type, person }: { type: string; person: string }) {
  const view = useQuery(queries.handover(type, person));
  if (view.isPending) return <Working what="Counting what points at this person" />;
  if (view.isError) return <Trouble error={view.error} onRetry={() => void view.refetch()} />;
  return <Lines view={view.data} />;
}

/** What of a line is handed over, and how. */
interface Chosen {
  readonly ticked: boolean;
  readonly which: 'open' | 'all';
  readonly follow: string;
  readonly rest: HandoverRest;
}

function Lines({ view }: { view: HandoverView }) {
  const navigate = useNavigate();
  const { lines, last, name } = view;
  const [said, setSaid] = useState<Readonly<Record<string, Partial<Chosen>>>>({});
  const [receiving, setReceiving] = useState<Receiving>({ how: 'evenly', people: [{ to: '', weight: 1 }] });
  const [why, setWhy] = useState('');
  const chosen = (l: HandoverLineView): Chosen => ({
    ticked: isTicked(l, 'open'),
    which: 'open',
    follow: '',
    rest: 'theirs',
    ...said[idOf(l)],
  });
  const set = (l: HandoverLineView, next: Partial<Chosen>): void =>
    setSaid({ ...said, [idOf(l)]: { ...said[idOf(l)], ...next } });
  const going = lines.filter((l) => chosen(l).ticked);
  const count = going.reduce((n, l) => n + (chosen(l).which === 'open' ? l.open : l.total), 0);
  const among = receiving.people.filter((p) => p.to !== '');
  const make = useMutation({
    mutationFn: () =>
      api.makeHandover(view.type, view.key, {
        lines: going.map((l) => {
          const { which, follow, rest } = chosen(l);
          return { type: l.type, field: l.field, which, ...(follow ? { follow, rest } : {}) };
        }),
        among: among.map(({ to, weight }) => (receiving.how === 'weights' ? { to, weight } : { to })),
        ...(receiving.how === 'level' ? { level: true } : {}),
        ...(why.trim() ? { why: why.trim() } : {}),
      }),
    onSuccess: (p) => navigate(`/previews/${p.id}`),
  });
  const needsPeople = going.some((l) => chosen(l).follow === '' || chosen(l).rest !== 'theirs');
  return (
    <>
      <p>
        <b className="font-medium">{name}</b> <span className="text-quiet">key {view.key}</span>
        {view.isActive === false && <span className="text-pending"> · not active any more</span>}
        {last && (
          <span className="text-quiet">
            {' '}
            · handed over {moment(last.at)} by {last.by}:{' '}
            <Link to={`/runs/${last.run}`} className="text-accent underline underline-offset-2">
              run {shortId(last.run)}, {stateWords(last.state as RunState).toLowerCase()}
            </Link>
          </span>
        )}
      </p>
      {lines.length === 0 ? (
        <p className="border border-line bg-sheet p-4">Nothing points at {name}.</p>
      ) : (
        <table className="w-full border border-line bg-sheet" aria-label={`What points at ${name}`}>
          <thead className="bg-sunken">
            <tr>
              {[
                'Hand over',
                'What',
                ...(last ? ['Open before', 'All before'] : []),
                last ? 'Open now' : 'Open',
                last ? 'All now' : 'All',
                'Which',
                'To',
              ].map((head) => (
                <th key={head} className={`h-9 px-3 font-medium ${/Open|All/.test(head) ? 'text-right' : 'text-left'}`}>
                  {head}
                </th>
              ))}
              {last && <th className="h-9 px-3 text-left font-medium">Still there, because</th>}
            </tr>
          </thead>
          <tbody>
            {lines.map((l) => {
              const c = chosen(l);
              const label = `${l.label}: ${l.fieldLabel.toLowerCase()}`;
              return (
                <tr key={idOf(l)} className="border-t border-line">
                  <td className="px-3 py-1.5">
                    <input
                      type="checkbox"
                      aria-label={`Hand over ${label}`}
                      className="block accent-accent"
                      checked={c.ticked}
                      disabled={l.not !== null || l.total === 0}
                      onChange={(e) => set(l, { ticked: e.target.checked })}
                    />
                  </td>
                  <td className="px-3 py-1.5">
                    {l.label} <span className="text-quiet">by {l.fieldLabel.toLowerCase()}</span>
                    {!l.isOwner && <span className="block text-xs text-quiet">says who did something</span>}
                    {l.not !== null && <span className="block text-xs text-pending">Not changeable: {l.not}</span>}
                  </td>
                  {last && <td className={was}>{l.before ? number(l.before.open) : '–'}</td>}
                  {last && <td className={was}>{l.before ? number(l.before.total) : '–'}</td>}
                  <td className="px-3 py-1.5 text-right font-medium tabular-nums">{number(l.open)}</td>
                  <td className="px-3 py-1.5 text-right tabular-nums">{number(l.total)}</td>
                  <td className="px-3 py-1.5">
                    {l.open < l.total ? (
                      <select
                        aria-label={`Which ${label}`}
                        className={`${textInput} w-32!`}
                        value={c.which}
                        disabled={!c.ticked}
                        onChange={(e) => set(l, { which: e.target.value as Chosen['which'] })}
                      >
                        <option value="open">open only</option>
                        <option value="all">all</option>
                      </select>
                    ) : (
                      <span className="text-quiet">all are open</span>
                    )}
                  </td>
                  <td className="px-3 py-1.5">
                    {l.follows.length > 0 ? (
                      <>
                        <select
                          aria-label={`To whom ${label}`}
                          className={`${textInput} w-52!`}
                          value={c.follow}
                          disabled={!c.ticked}
                          onChange={(e) => set(l, { follow: e.target.value })}
                        >
                          <option value="">whom is said below</option>
                          {l.follows.map((f) => (
                            <option key={f.field} value={f.field}>
                              whom their {f.label.toLowerCase()} gets
                            </option>
                          ))}
                        </select>
                        {c.follow !== '' && (
                          <label className="mt-1 flex items-center gap-1.5 text-xs text-quiet">
                            where that is nobody of those below:
                            <select
                              className={`${textInput} w-auto! text-xs`}
                              value={c.rest}
                              disabled={!c.ticked}
                              onChange={(e) => set(l, { rest: e.target.value as HandoverRest })}
                            >
                              <option value="theirs">whom it has</option>
                              <option value="split">one of those below</option>
                              <option value="leave">leave it</option>
                            </select>
                          </label>
                        )}
                      </>
                    ) : (
                      <span className="text-quiet">whom is said below</span>
                    )}
                  </td>
                  {last && <td className="px-3 py-1.5 text-quiet">{l.why.join('; ')}</td>}
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {lines.length > 0 && (
        <form
          className="max-w-3xl space-y-3"
          onSubmit={(e) => {
            e.preventDefault();
            make.mutate();
          }}
        >
          <Receivers type={view.type} receiving={receiving} onChange={setReceiving} />
          <label className="flex items-center gap-3">
            <span className="w-20 shrink-0">Why</span>
            <input
              className={textInput}
              placeholder="A note that stays with the run"
              value={why}
              maxLength={2000}
              onChange={(e) => setWhy(e.target.value)}
            />
          </label>
          <Problems error={make.error} />
          <p className="flex items-center gap-3">
            <Button
              main
              type="submit"
              busy={make.isPending}
              disabled={going.length === 0 || (needsPeople && among.length === 0)}
            >
              Preview {number(count)}
            </Button>
            <span className="text-quiet">
              {going.length === 0
                ? 'Tick what is to be handed over.'
                : needsPeople && among.length === 0
                  ? 'Say to whom.'
                  : 'The preview shows what each will have, of every type. Nothing changes before you run it.'}
            </span>
          </p>
        </form>
      )}
    </>
  );
}

const was = 'px-3 py-1.5 text-right text-quiet tabular-nums';

function idOf({ type, field }: HandoverLineView): string {
  return `${type}.${field}`;
}
