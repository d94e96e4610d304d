import type { Explained } from '@tantamos/contract';
import { LinkButton } from '../components/Button';
import { number } from '../components/format';
import { Empty } from '../components/states';
import { conditionsOf, joinConditions } from './conditions';

interface Props {
  label: string;
  filter: string;
  explained: Explained | undefined;
  onFilter: (filter: string) => void;
}

/** Where the set became empty, what each condition costs, and what does occur. */
export function NothingMatched({ label, filter, explained, onFilter }: Props) {
  const texts = conditionsOf(filter);
  const rows = explained?.conditions ?? [];
  const without = (i: number): string => joinConditions(texts.filter((_, j) => j !== i));
  const instead = (i: number, text: string): string => joinConditions(texts.map((t, j) => (j === i ? text : t)));
  return (
    <Empty title={`No ${label.toLowerCase()} match.`} wide>
      {!explained ? (
        <p role="status">Looking for the reason …</p>
      ) : rows.length === 0 ? (
        <p>
          {explained.base === 0 ? 'There are none to begin with.' : 'What was pasted, taken or picked leaves none.'}
        </p>
      ) : (
        <table className="w-full text-left text-ink">
          <caption className="sr-only">Each condition, and what is left with and without it</caption>
          <thead className="text-xs text-quiet">
            <tr>
              <th className="py-1 font-normal">Condition</th>
              <th className="px-3 py-1 text-right font-normal">Left after it</th>
              <th className="px-3 py-1 text-right font-normal">Alone</th>
              <th className="py-1 text-right font-normal">Without it</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((c, i) => (
              <tr key={i} className="border-t border-line align-top">
                <td className="py-1.5">
                  <code className="font-mono text-xs break-all">{texts[i] ?? c.text}</code>
                  {c.alone === 0 && (
                    <p className="mt-0.5">
                      No record has it.
                      {c.nearest.length > 0 && (
                        <>
                          {' '}
                          What does occur:{' '}
                          {c.nearest.map((n, j) => (
                            <span key={n.text}>
                              {j > 0 && ', '}
                              <LinkButton onClick={() => onFilter(instead(i, n.text))}>{n.value}</LinkButton>
                            </span>
                          ))}
                        </>
                      )}
                    </p>
                  )}
                </td>
                <td className={`px-3 py-1.5 text-right ${c.after === 0 ? 'font-medium text-trouble' : ''}`}>
                  {number(c.after)}
                </td>
                <td className="px-3 py-1.5 text-right">{number(c.alone)}</td>
                <td className="py-1.5 text-right">
                  {c.without > 0 ? (
                    <LinkButton
                      onClick={() => onFilter(without(i))}
                      aria-label={`${number(c.without)} match without ${texts[i] ?? c.text}`}
                    >
                      {number(c.without)}
                    </LinkButton>
                  ) : (
                    '0'
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Empty>
  );
}
