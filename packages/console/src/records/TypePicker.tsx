import type { TypeSummary, TypeView } from '@tantamos/contract';
import { number } from '../components/format';
import { Picker } from '../components/Picker';

/** Which type of record: searched by name, label and comment. */
export function TypePicker({
  type,
  types,
  onPick,
}: {
  type: TypeView;
  types: readonly TypeSummary[];
  onPick: (id: string) => void;
}) {
  return (
    <Picker
      label="Type of record"
      shown={<span className="font-medium">{type.label}</span>}
      className="min-w-40! max-w-80"
      value={type.id}
      options={types.map((t) => ({
        id: t.id,
        label: t.label,
        more: t.comment ?? '',
        note: t.notReadable === null ? `about ${number(t.about)}` : null,
        not: t.notReadable,
      }))}
      onPick={onPick}
    />
  );
}
