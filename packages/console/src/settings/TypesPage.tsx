import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { number } from '../components/format';
import { Line } from '../components/inputs';
import { fitting } from '../components/Picker';
import { Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import { queries } from '../queries';

/** Every type, to say how it is called, what names a record, and how careful runs on it are. */
export function TypesPage() {
  const types = useQuery(queries.types());
  const [text, setText] = useState('');
  if (types.isPending) return <Working what="Reading the types" />;
  if (types.isError) return <Trouble error={types.error} onRetry={() => void types.refetch()} />;
  const found = fitting(
    types.data.map((t) => ({ ...t, more: `${t.id} ${t.comment ?? ''}` })),
    text,
  );
  return (
    <>
      <h1 className="text-base font-semibold">Types and fields</h1>
      <div className="max-w-sm">
        <Line label="Search" value={text} onChange={setText} placeholder="name, label or comment" />
      </div>
      <Table
        label="Types"
        heads={['Type', 'Table', 'Name field', 'Owner fields', 'Records', 'Shown'].map((label) => ({
          label,
          right: label === 'Records',
        }))}
      >
        {found.slice(0, mostShown).map((t) => (
          <tr key={t.id} className="hover:bg-paper">
            <td className={`${tableCell} w-full max-w-0 truncate`}>
              {t.notReadable === null ? (
                <Link
                  className="text-accent-strong underline decoration-1 underline-offset-2"
                  to={`/settings/types/${encodeURIComponent(t.id)}`}
                >
                  {t.label}
                </Link>
              ) : (
                <>
                  {t.label} <span className="text-quiet">{t.notReadable}</span>
                </>
              )}
            </td>
            <td className={`${tableCell} font-mono text-xs`}>{t.id}</td>
            <td className={tableCell}>{t.nameField ?? <span className="text-quiet">none</span>}</td>
            <td className={tableCell}>{t.ownerFields.join(', ') || <span className="text-quiet">none</span>}</td>
            <td className={`${tableCell} text-right`}>{number(t.about)}</td>
            <td className={tableCell}>{t.hidden ? 'to administrators' : 'to all'}</td>
          </tr>
        ))}
      </Table>
      {found.length > mostShown && (
        <p className="text-quiet">{number(found.length - mostShown)} more. Type part of the name.</p>
      )}
    </>
  );
}

const mostShown = 200;
