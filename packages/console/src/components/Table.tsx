import type { ReactNode } from 'react';

interface Props {
  label: string;
  heads: readonly { readonly label: string; readonly right?: boolean; readonly hidden?: boolean }[];
  children: ReactNode;
}

/** A plain table of the house: hairlines, a sunken head, one line a row. */
export function Table({ label, heads, children }: Props) {
  return (
    <table aria-label={label} className="w-full border-separate border-spacing-0 border border-line bg-sheet">
      <thead className="bg-sunken">
        <tr>
          {heads.map((h) => (
            <th key={h.label} className={`${tableCell} font-medium ${h.right ? 'text-right' : 'text-left'}`}>
              {h.hidden ? <span className="sr-only">{h.label}</span> : h.label}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>{children}</tbody>
    </table>
  );
}

export const tableCell = 'h-9 border-b border-line px-3 whitespace-nowrap';
