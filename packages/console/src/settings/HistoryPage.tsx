import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { moment } from '../components/format';
import { textInput } from '../components/inputs';
import { Empty, Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import { queries } from '../queries';

/** Every change of a setting: who, when, from what to what. */
export function HistoryPage() {
  const changes = useQuery(queries.settingChanges());
  const [only, setOnly] = useState('');
  if (changes.isPending) return <Working what="Reading what was changed" />;
  if (changes.isError) return <Trouble error={changes.error} onRetry={() => void changes.refetch()} />;
  if (changes.data.length === 0) return <Empty title="Nothing has been changed yet." />;
  return (
    <>
      <div className="flex flex-wrap items-end justify-between gap-3">
        <div>
          <h1 className="text-base font-semibold">History of settings</h1>
          <p className="text-quiet">
            Of the workspace, types and fields, accounts, tokens and rights. Rules and saved jobs keep versions of their
            own.
          </p>
        </div>
        <div className="w-56">
          <input
            type="search"
            className={textInput}
            aria-label="Only lines with"
            placeholder="only lines with…"
            value={only}
            onChange={(e) => setOnly(e.target.value)}
          />
        </div>
      </div>
      <Table
        label="Changes of settings"
        heads={['When', 'By', 'Of', 'Setting', 'From → to'].map((label) => ({ label }))}
      >
        {changes.data.flatMap((c, i) =>
          c.changes
            .filter((x) =>
              [c.by, c.of, x.setting, x.was, x.became].join(' ').toLowerCase().includes(only.trim().toLowerCase()),
            )
            .map((x) => (
              <tr key={`${i} ${x.setting}`}>
                <td className={tableCell}>{moment(c.at)}</td>
                <td className={tableCell}>{c.by ?? <span className="text-quiet">the program</span>}</td>
                <td className={tableCell}>{c.of}</td>
                <td className={tableCell}>
                  {x.setting}
                  {c.done !== 'changed' && <span className="text-quiet"> · {c.done}</span>}
                </td>
                <td className={`${tableCell} w-full max-w-0 truncate`}>
                  <s className="text-quiet">{x.was ?? ''}</s> →{' '}
                  <b className="font-medium text-accent-strong">{x.became ?? '–'}</b>
                </td>
              </tr>
            )),
        )}
      </Table>
    </>
  );
}
