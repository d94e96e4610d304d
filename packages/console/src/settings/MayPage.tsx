import type { MayView } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { Check, Minus, X } from 'lucide-react';
import { useState } from 'react';
import { useParams } from 'react-router';
import { usePerson } from '../app/session';
import { textInput } from '../components/inputs';
import { Trouble, Working } from '../components/states';
import { tableCell } from '../components/Table';
import { queries } from '../queries';
import { Lines } from './Lines';

type Verdict = MayView['general'][number];

const inBrief: Record<Verdict['may'], string> = { all: 'yes', some: 'partly', none: 'no' };

/** What a person may do, type by type, and by which line. */
export function MayPage() {
  const me = usePerson();
  const { login = me.login } = useParams();
  const may = useQuery(queries.may(login));
  if (may.isPending) return <Working what="Working it out" />;
  if (!may.data) return <Trouble error={may.error} onRetry={() => void may.refetch()} />;
  return <May key={login} may={may.data} />;
}

export function May({ may }: { may: MayView }) {
  const [search, setSearch] = useState('');
  const [shown, setShown] = useState<{ of: string; verdict: Verdict } | null>(null);
  const wanted = search.trim().toLowerCase();
  const types = may.types.filter((t) => `${t.type} ${t.label}`.toLowerCase().includes(wanted));
  const acts = may.types[0]?.acts.map((a) => a.act) ?? [];
  const numberOf = (id: string): number => may.lines.findIndex((l) => l.id === id) + 1;
  return (
    <div className="space-y-5">
      <header>
        <h1 className="text-base font-semibold">What {may.name} may do</h1>
        <p className="text-quiet">
          Login {may.login}, {may.roleLabel.toLowerCase()}
          {!may.active && ', not active: cannot sign in'}
        </p>
      </header>
      <section>
        <h2 className="mb-1.5 font-medium">Everywhere</h2>
        <ul className="flex flex-wrap gap-x-6 gap-y-1">
          {may.general.map((g) => (
            <li key={g.act} className="flex items-center gap-1.5">
              <Sign may={g.may} /> {g.words}
            </li>
          ))}
        </ul>
      </section>
      <section className="space-y-2">
        <div className="flex items-center justify-between gap-4">
          <h2 className="font-medium">By type</h2>
          <input
            aria-label="Search types"
            placeholder="Search types"
            className={`${textInput} w-56!`}
            value={search}
            onChange={(e) => setSearch(e.target.value)}
          />
        </div>
        <div className="overflow-x-auto" role="region" aria-label="Rights by type" tabIndex={0}>
          <table className="w-full border-separate border-spacing-0 border border-line bg-sheet">
            <thead className="bg-sunken">
              <tr>
                <th className={`${tableCell} text-left font-medium`}>Type</th>
                {acts.map((act) => (
                  <th key={act} className={`${tableCell} text-left font-medium`}>
                    {act.replaceAll('_', ' ')}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {types.map((t) => (
                <tr key={t.type} className="hover:bg-paper">
                  <td className={`${tableCell} font-medium`}>{t.label}</td>
                  {t.acts.map((a) => (
                    <td key={a.act} className={tableCell}>
                      <button
                        type="button"
                        title={a.words}
                        aria-label={`${t.label}: ${inBrief[a.may]}, ${a.words}`}
                        aria-pressed={shown?.of === t.label && shown.verdict === a}
                        className="flex h-7 items-center gap-1.5 rounded px-1.5 hover:bg-sunken aria-pressed:bg-accent-soft"
                        onClick={() => setShown({ of: t.label, verdict: a })}
                      >
                        <Sign may={a.may} /> {inBrief[a.may]}
                      </button>
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
        {may.types.length === 0 && <p className="text-quiet">No type may be seen.</p>}
        <p role="status" className="min-h-5">
          {shown ? (
            <>
              <b className="font-medium">{shown.of}:</b> {shown.verdict.words}
              {may.lines.length > 0 && shown.verdict.lines.length > 0 && (
                <span className="text-quiet"> (line {shown.verdict.lines.map(numberOf).join(', ')})</span>
              )}
              .
            </>
          ) : (
            <span className="text-quiet">Press one to see what exactly, and by which line.</span>
          )}
        </p>
      </section>
      {may.lines.length > 0 && (
        <section className="space-y-2">
          <h2 className="font-medium">The lines that speak of {may.name}</h2>
          <Lines lines={may.lines} />
        </section>
      )}
    </div>
  );
}

function Sign({ may }: { may: Verdict['may'] }) {
  if (may === 'all') return <Check className="size-4 text-accent" aria-hidden="true" />;
  if (may === 'some') return <Minus className="size-4 text-pending" aria-hidden="true" />;
  return <X className="size-4 text-trouble" aria-hidden="true" />;
}
