import { useQuery } from '@tanstack/react-query';
import { moment } from '../components/format';
import { Empty, Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import { queries } from '../queries';

/** Every change of a setting: who, when, from what to what. */
export function HistoryPage() {
  const changes = useQuery(queries.settingChanges());
  if (changes.isPending) return <Working what="Reading what was changed" />;
  if (changes.isError) return <Trouble error={changes.error} onRetry={() => void changes.refetch()} />;
  if (changes.data.length === 0) return <Empty title="Nothing has been changed yet." />;
  return (
    <>
      <div>
        <h1 className="text-base font-semibold">History of settings</h1>
        <p className="text-quiet">
          Of the workspace, types and fields. Rules and saved jobs keep versions of their own.
        </p>
      </div>
      <Table
        label="Changes of settings"
        heads={['When', 'By', 'Of', 'Setting', 'From → to'].map((label) => ({ label }))}
      >
        {changes.data.flatMap((c, i) =>
          c.changes.map((x) => (
            <tr key={`${i} ${x.setting}`}>
              <td className={tableCell}>{moment(c.at)}</td>
              <td className={tableCell}>{c.by ?? <span className="text-quiet">the program</span>}</td>
              <td className={tableCell}>
                {c.what === 'workspace' ? 'the workspace' : `${c.what} ${[c.type, c.field].filter(Boolean).join('.')}`}
              </td>
              <td className={tableCell}>{x.setting}</td>
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
