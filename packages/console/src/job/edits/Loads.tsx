import type { FieldView, TypeView } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { LinkButton } from '../../components/Button';
import { queries } from '../../queries';
import { ChoiceRow, TextRow } from './parts';

type Load = NonNullable<Extract<Edit, { kind: 'split' }>['level']>[number];
const mostLoads = 5;

/** What counts as somebody’s load: records of this type that are theirs, and of others. */
export function Loads({
  type,
  field,
  loads,
  onChange,
}: {
  type: TypeView;
  field: FieldView;
  loads: readonly Load[];
  onChange: (loads: readonly Load[]) => void;
}) {
  const types = useQuery(queries.types());
  const offered = (types.data ?? []).flatMap((t) =>
    t.notReadable !== null || t.hidden
      ? []
      : t.ownerFields.map((owner) => ({ id: JSON.stringify([t.id, owner]), type: t, owner })),
  );
  const key = (load: Load): string => JSON.stringify([load.type ?? type.id, load.field ?? field.name]);
  const counted = new Set(loads.map(key));
  const rest = offered.filter((o) => !counted.has(o.id));
  const labelOf = (load: Load): string => {
    const of = offered.find((o) => o.id === key(load));
    return (of?.type ?? type).label;
  };
  return (
    <fieldset className="space-y-1.5">
      <legend className="sr-only">What counts as load</legend>
      {loads.map((load, i) => (
        <div key={key(load)}>
          <TextRow
            label={i === 0 && load.type === undefined ? 'Counting those' : `And ${labelOf(load).toLowerCase()}`}
            value={load.filter}
            usual={`all; or a filter on ${labelOf(load).toLowerCase()}`}
            mono
            onChange={(filter) => onChange(loads.map((l, j) => (j === i ? { ...l, filter } : l)))}
          />
          {loads.length > 1 && (
            <p className="pl-26">
              <LinkButton onClick={() => onChange(loads.filter((_, j) => j !== i))}>
                Do not count {labelOf(load).toLowerCase()}
              </LinkButton>
            </p>
          )}
        </div>
      ))}
      {loads.length < mostLoads && rest.length > 0 && (
        <ChoiceRow
          label="Also count"
          value=""
          options={Object.fromEntries([
            ['', '—'],
            ...rest.map((o) => [o.id, `${o.type.label}${o.owner === 'owner' ? '' : `: ${o.owner}`}`]),
          ])}
          onChange={(id) => {
            const [of, name] = JSON.parse(id) as [string, string];
            onChange([...loads, { type: of, field: name }]);
          }}
        />
      )}
    </fieldset>
  );
}
