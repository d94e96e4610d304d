import type { FieldView } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import { textInput } from '../../components/inputs';
import { ValueInput } from '../ValueInput';
import { Lines } from './Lines';

export type Share = NonNullable<Extract<Edit, { kind: 'split' }>['among']>[number];

/** Values, each with how much of all it gets beside the others. */
export function Shares({
  field,
  shares,
  head,
  label = 'Among',
  weighted = true,
  onChange,
}: {
  field: FieldView;
  shares: readonly Share[];
  head: string;
  label?: string;
  weighted?: boolean;
  onChange: (shares: readonly Share[]) => void;
}) {
  return (
    <Lines<Share>
      label={label}
      heads={weighted ? [head, 'How much'] : [head]}
      widths={['', 'w-16']}
      lines={shares}
      empty={{ to: '' }}
      onChange={onChange}
      cells={(share, i, set) => [
        <ValueInput key="to" field={field} value={String(share.to)} onChange={(to) => set({ to })} />,
        ...(weighted
          ? [
              <input
                key="weight"
                aria-label={`Weight of the ${i + 1}.`}
                title="How much, beside the others"
                inputMode="decimal"
                placeholder="1"
                className={`${textInput} text-right`}
                value={share.weight ?? ''}
                onChange={(e) => {
                  const { weight: _, ...rest } = share;
                  const weight = e.target.value.trim();
                  onChange(shares.map((s, j) => (j !== i ? s : weight === '' ? rest : { ...rest, weight })));
                }}
              />,
            ]
          : []),
      ]}
    />
  );
}

/** Those that say a value. */
export const said = (shares: readonly Share[] | undefined): readonly Share[] =>
  (shares ?? []).filter((s) => String(s.to) !== '');
