import type { FieldFigures, LoadsView } from '@tantamos/contract';
import { Shown } from '../components/Change';
import { counted, number, valueText } from '../components/format';

/** What a field's values come to, before and after: “sum 12,040 → 13,244, from 3–120 to 4–126”. */
export function FiguresLine({ figures: f }: { figures: FieldFigures }) {
  const shown = (value: string | null): string => (value === null ? 'none' : valueText(value, f.kind));
  const parts = [
    f.before.sum !== null || f.after.sum !== null ? `sum ${shown(f.before.sum)} → ${shown(f.after.sum)}` : null,
    f.after.low !== null ? `${range(f.before, shown)} → ${range(f.after, shown)}` : null,
    f.longest !== null && f.longest > 0 ? `the longest has ${counted(f.longest, 'character')}` : null,
    f.filled > 0 ? `${counted(f.filled, 'blank')} filled` : null,
    f.emptied > 0 ? `${number(f.emptied)} newly blank` : null,
  ].filter((p) => p !== null);
  if (parts.length === 0) return null;
  return <p className="pb-1 text-xs text-quiet">{parts.join(' · ')}</p>;
}

function range({ low, high }: FieldFigures['before'], shown: (value: string | null) => string): string {
  if (low === null) return 'none';
  return low === high ? shown(low) : `${shown(low)} to ${shown(high)}`;
}

/** What each person has, before and after, with bars of one scale. */
export function Loads({ loads, of }: { loads: LoadsView; of?: string }) {
  const most = Math.max(1, ...loads.people.flatMap((p) => [p.before, p.after]));
  return (
    <table
      className="w-full"
      aria-label={`${loads.label}${of ? ` of ${of.toLowerCase()}` : ''}: records before and after`}
    >
      <caption className="pb-1 text-left font-medium">
        {loads.label}
        {of && ` of ${of.toLowerCase()}`}: how many each has
      </caption>
      <thead className="text-xs text-quiet">
        <tr>
          <th className="text-left font-normal">Person</th>
          <th className="text-right font-normal">Before</th>
          <th className="text-right font-normal">After</th>
          <th className="text-right font-normal">±</th>
        </tr>
      </thead>
      <tbody>
        {loads.people.map(({ person, before, after }) => (
          <tr key={person.value} className="border-t border-line align-top">
            <td className="py-1 pr-2">
              <Shown value={person} />
              <span aria-hidden="true" className="mt-1 block space-y-0.5">
                <Bar share={before / most} className="bg-line-strong" />
                <Bar share={after / most} className="bg-accent" />
              </span>
            </td>
            <td className="py-1 text-right text-quiet">{number(before)}</td>
            <td className="py-1 pl-2 text-right font-medium">{number(after)}</td>
            <td className="py-1 pl-2 text-right">{signed(after - before)}</td>
          </tr>
        ))}
      </tbody>
      {loads.more > 0 && (
        <tfoot>
          <tr>
            <td colSpan={4} className="py-1 text-quiet">
              and {counted(loads.more, 'other person', 'other people')}
            </td>
          </tr>
        </tfoot>
      )}
    </table>
  );
}

function Bar({ share, className }: { share: number; className: string }) {
  return <span className={`block h-1 rounded-sm ${className}`} style={{ width: `${Math.max(1, 100 * share)}%` }} />;
}

const signed = (n: number): string => (n > 0 ? `+${number(n)}` : n < 0 ? `−${number(-n)}` : '0');
