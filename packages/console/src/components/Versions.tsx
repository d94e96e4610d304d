import { useMutation, type UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { LinkButton } from './Button';
import { moment } from './format';
import { Problems } from './Problems';
import { Sheet } from './Sheet';
import { Trouble, Working } from './states';
import { Table, tableCell } from './Table';

interface Version {
  readonly version: number;
  readonly changedAt: string;
  readonly changedBy: string;
}

interface Props<V extends Version> {
  /** What they are versions of. */
  of: string;
  versions: UseQueryResult<readonly V[]>;
  newest: number;
  /** What it says, besides who and when: a heading, and the cell of each. */
  says: string;
  cell: (version: V) => ReactNode;
  /** Brings one back, as a new version; null: the person may not. */
  onBack: ((version: V) => Promise<unknown>) | null;
  onClose: () => void;
}

/** Every version of what is kept under a name: who, when and what it says; each can be brought back. */
export function Versions<V extends Version>({ of, versions, newest, says, cell, onBack, onClose }: Props<V>) {
  const back = useMutation({ mutationFn: (v: V) => onBack!(v), onSuccess: onClose });
  const heads = ['Version', 'Saved', 'By', says, 'What to do'].map((label) => ({
    label,
    hidden: label === 'What to do',
  }));
  return (
    <Sheet open onClose={onClose} title={`Versions of “${of}”`}>
      <div className="space-y-3 overflow-auto p-4">
        <Problems error={back.error} />
        {versions.isPending ? (
          <Working what="Reading the versions" />
        ) : versions.isError ? (
          <Trouble error={versions.error} />
        ) : (
          <Table label="Versions" heads={heads}>
            {(versions.data ?? []).map((v) => (
              <tr key={v.version} className="align-baseline">
                <td className={tableCell}>{v.version}</td>
                <td className={tableCell}>{moment(v.changedAt)}</td>
                <td className={tableCell}>{v.changedBy}</td>
                <td className={`${tableCell} w-full py-2 whitespace-normal! wrap-anywhere`}>{cell(v)}</td>
                <td className={`${tableCell} text-right`}>
                  {onBack && v.version !== newest && (
                    <LinkButton aria-label={`Bring back version ${v.version}`} onClick={() => back.mutate(v)}>
                      Bring back
                    </LinkButton>
                  )}
                </td>
              </tr>
            ))}
          </Table>
        )}
      </div>
    </Sheet>
  );
}
