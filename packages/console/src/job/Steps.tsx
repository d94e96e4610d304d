import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { LinkButton } from '../components/Button';
import { valueText } from '../components/format';
import { Problems } from '../components/Problems';
import { queries } from '../queries';
import type { Result } from './edits/form';

interface Props {
  readonly type: string;
  readonly results: readonly Result[];
  readonly formula: string;
}

/** A formula taken apart for one of the records in sight, where somebody asks for it. */
export default function Steps({ type, results, formula }: Props) {
  const [key, setKey] = useState<string | null>(null);
  if (key === null) return <LinkButton onClick={() => setKey(results[0]!.key)}>Step by step</LinkButton>;
  const shown = results.find((r) => r.key === key) ?? results[0]!;
  return (
    <div className="space-y-1 rounded border border-line bg-sheet px-2 py-1.5 text-xs">
      <div className="flex items-center justify-between gap-2">
        <span className="flex min-w-0 items-center gap-1.5">
          For
          <select
            aria-label="Record that it is worked out for"
            className="h-6 min-w-0 rounded border border-line-strong bg-sheet px-1"
            value={shown.key}
            onChange={(e) => setKey(e.target.value)}
          >
            {results.map((r) => (
              <option key={r.key} value={r.key}>
                {r.record}
              </option>
            ))}
          </select>
        </span>
        <LinkButton onClick={() => setKey(null)}>Close</LinkButton>
      </div>
      <Parts type={type} of={shown.key} formula={formula} />
    </div>
  );
}

function Parts({ type, of, formula }: { type: string; of: string; formula: string }) {
  const steps = useQuery(queries.formulaSteps(type, of, formula));
  if (steps.isPending) return <p className="text-quiet">Working it out …</p>;
  if (steps.isError) return <Problems error={steps.error} />;
  return (
    <table className="w-full" aria-label="The formula, step by step">
      <tbody>
        {steps.data.map(({ text, value }, i) => (
          <tr
            key={text}
            className={`border-t border-line align-top ${i === steps.data.length - 1 ? 'font-medium' : ''}`}
          >
            <td className="py-0.5 pr-2 font-mono break-all">{text}</td>
            <td className="py-0.5 text-right break-words">
              {value.value === null ? <i className="text-quiet">blank</i> : (value.label ?? plain(value.value))}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Days and moments as the person reads them; a number may be a year, and stays as it is. */
function plain(text: string): string {
  return text === '' ? 'the empty text' : valueText(text, /^\d{4}-\d\d-\d\d$/.test(text) ? 'date' : 'moment');
}
