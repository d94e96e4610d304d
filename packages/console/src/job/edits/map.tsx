import type { FieldValues, FieldView, KeptValuesView, SelectionParts } from '@tantamos/contract';
import { mostMapped } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useState } from 'react';
import { api } from '../../app/api';
import { LinkButton } from '../../components/Button';
import { number } from '../../components/format';
import { textInput } from '../../components/inputs';
import { Problems } from '../../components/Problems';
import { queries } from '../../queries';
import { ValueInput } from '../ValueInput';
import { isNumber, isTime, type DraftEdit, type EditForm, type FormProps } from './form';
import { Lines } from './Lines';
import { ChoiceRow, FieldRow, Row } from './parts';

const PasteLines = lazy(() => import('./PasteLines'));

type Pair = NonNullable<DraftEdit<'map'>['pairs']>[number];
type Range = NonNullable<DraftEdit<'map'>['ranges']>[number];
const emptyPair: Pair = { old: '', new: '' };
const emptyRange: Range = { new: '' };
/** How old and new values are said, when they are said otherwise. */
const nothing = { pairs: undefined, ranges: undefined, given: undefined } as const;
const isSaid = (line: Pair | Range): boolean => String(line.new) !== '';

/** Old values into new ones. */
export const map: EditForm<'map'> = {
  action: 'Map values',
  isWide: () => true,
  fits: (field) => field.base !== 'list',
  complete({ field, from, pairs, ranges, given, otherwise, rest }) {
    const [all, spans] = [(pairs ?? []).filter(isSaid), (ranges ?? []).filter(isSaid)];
    const by = given ? { given } : ranges ? { ranges: spans } : { pairs: all };
    const isEmpty = !given && (ranges ? spans : all).length === 0;
    if (field === undefined || isEmpty || otherwise === '') return null;
    return {
      kind: 'map',
      field,
      ...by,
      ...(from && { from }),
      ...(otherwise !== undefined && { otherwise }),
      ...(rest && { rest }),
    };
  },
  Form(props) {
    const { field, fields, edit, onChange } = props;
    const source = edit.from === undefined ? field : fields.find((f) => f.path === edit.from)?.field;
    const others = edit.otherwise !== undefined ? 'give' : (edit.rest ?? 'leave');
    return (
      <div className="space-y-1.5">
        <FieldRow
          label="Old values of"
          none={`${field.label} itself`}
          value={edit.from}
          fields={fields.filter((f) => f.path !== field.name && f.field.base !== 'list')}
          onChange={(from) => onChange({ ...nothing, from })}
        />
        {source && (isNumber(source) || isTime(source)) && (
          <ChoiceRow
            label="By"
            value={edit.ranges ? 'ranges' : 'pairs'}
            options={{ pairs: 'value', ranges: 'range' }}
            onChange={(by) => onChange({ ...nothing, ranges: by === 'ranges' ? [emptyRange] : undefined })}
          />
        )}
        {edit.given ? (
          <p className="rounded border border-line bg-sunken px-2 py-1.5">
            {number(edit.given.count)} old values and what becomes of each, out of a file.{' '}
            <LinkButton onClick={() => onChange(nothing)}>Take them out</LinkButton>
          </p>
        ) : edit.ranges ? (
          <Ranges {...props} ranges={edit.ranges} />
        ) : (
          <Pairs {...props} />
        )}
        <ChoiceRow
          label="All others"
          value={others}
          options={{ leave: 'stay as they are', give: 'become one value', refuse: 'are not allowed' }}
          onChange={(how) =>
            onChange(how === 'give' ? { otherwise: '', rest: undefined } : { otherwise: undefined, rest: how })
          }
        />
        {edit.otherwise !== undefined && (
          <Row label="Become">
            {() => (
              <ValueInput
                field={field}
                value={String(edit.otherwise)}
                onChange={(otherwise) => onChange({ otherwise })}
              />
            )}
          </Row>
        )}
      </div>
    );
  },
};

function Pairs({ type, field, fields, selection, edit, onChange }: FormProps<'map'>) {
  const [pasting, setPasting] = useState(false);
  const pairs = edit.pairs ?? [emptyPair];
  const of = fields.find((f) => f.path === (edit.from ?? field.name));
  /** Lines said before stay; of a value that is there twice the later counts. */
  const take = (more: readonly Pair[]): void => {
    const all = new Map([...pairs.filter(isSaid), ...more].map((p) => [String(p.old), p]));
    if (all.size > mostMapped) keep.mutate([...all.values()]);
    else onChange({ pairs: [...all.values()] });
  };
  // More than one request holds are sent ahead, piece by piece.
  const [sent, setSent] = useState(0);
  const keep = useMutation({
    mutationFn: async (all: readonly Pair[]) => {
      let given: KeptValuesView | undefined;
      for (let at = 0; at < all.length; at += mostMapped) {
        const some = all.slice(at, at + mostMapped);
        const piece = { type: type.id, field: field.name, by: edit.from ?? field.name };
        const lines = { keys: some.map((p) => String(p.old)), values: some.map((p) => String(p.new)) };
        given = await api.keepValues({ ...piece, ...lines, ...(given && { into: given.id }) });
        setSent(given.count);
      }
      return given!;
    },
    onSuccess: (given) => onChange({ ...nothing, given }),
  });
  return (
    <>
      <Lines<Pair>
        label="Which value becomes which"
        heads={['Old (empty: blank)', 'New']}
        widths={['w-1/2', 'w-1/2']}
        lines={pairs}
        empty={emptyPair}
        onChange={(next) => onChange({ pairs: next })}
        cells={(pair, i, set) => [
          <input
            key="old"
            aria-label={`Old value, line ${i + 1}`}
            className={textInput}
            value={String(pair.old)}
            onChange={(e) => set({ old: e.target.value })}
          />,
          <ValueInput key="new" field={field} value={String(pair.new)} onChange={(value) => set({ new: value })} />,
        ]}
      >
        <Occurring
          type={type.id}
          path={edit.from ?? field.name}
          selection={selection}
          byItself={edit.from !== undefined && edit.pairs === undefined}
          onTake={(values) => {
            const known = new Set(pairs.filter(isSaid).map((p) => String(p.old)));
            take(values.filter((v) => !known.has(v)).map((old) => ({ old, new: '' })));
          }}
        />
        <LinkButton onClick={() => setPasting(true)}>Paste or read a file…</LinkButton>
      </Lines>
      {keep.isPending && <p role="status">Sending … {number(sent)} values</p>}
      <Problems error={keep.error} />
      {pasting && (
        <Suspense>
          <PasteLines
            columns={['old', 'new']}
            headings={of ? [of.label, of.path] : []}
            onClose={() => setPasting(false)}
            onTake={(rows) => {
              take(rows.map(([old = '', fresh = '']) => ({ old, new: chosenBy(field, fresh) })));
              setPasting(false);
            }}
          />
        </Suspense>
      )}
    </>
  );
}

/** A choice may be said by its label. */
function chosenBy({ choices }: FieldView, said: string): string {
  const label = said.trim().toLowerCase();
  return choices?.find((c) => c.value === said || c.label.toLowerCase() === label)?.value ?? said;
}

function Ranges({ field, edit, ranges, onChange }: FormProps<'map'> & { ranges: readonly Range[] }) {
  const end = (which: 'from' | 'below', at: number, set: (members: Partial<Range>) => void, range: Range) => (
    <input
      key={which}
      aria-label={`${which === 'from' ? 'From' : 'Below'}, line ${at + 1}`}
      className={textInput}
      value={String(range[which] ?? '')}
      onChange={(e) => set({ [which]: e.target.value.trim() === '' ? undefined : e.target.value.trim() })}
    />
  );
  return (
    <Lines<Range>
      label={`Ranges of ${edit.from ?? field.label}`}
      heads={['From', 'Below', 'New']}
      widths={['w-1/4', 'w-1/4', 'w-1/2']}
      lines={ranges}
      // The next range begins where the last one ends.
      empty={{ ...(ranges.at(-1)?.below === undefined ? {} : { from: ranges.at(-1)!.below! }), new: '' }}
      onChange={(next) => onChange({ ranges: next })}
      cells={(range, i, set) => [
        end('from', i, set, range),
        end('below', i, set, range),
        <ValueInput key="new" field={field} value={String(range.new)} onChange={(value) => set({ new: value })} />,
      ]}
    />
  );
}

/** So few different values are filled in without being asked for, where the old values are another field's. */
const fewValues = 20;

/** Fills the left side with the values that occur. */
function Occurring({
  type,
  path,
  selection,
  byItself,
  onTake,
}: {
  type: string;
  path: string;
  selection: SelectionParts;
  byItself: boolean;
  onTake: (values: readonly string[]) => void;
}) {
  const values = useQuery({ ...queries.values(type, selection, { fields: [path], most: 200 }), enabled: byItself });
  const fill = (found: readonly FieldValues[] | undefined): void =>
    onTake((found?.[0]?.values ?? []).map((v) => (v.value === null ? '' : (v.label ?? v.value))));
  const here = values.isPlaceholderData ? undefined : values.data;
  const isFew = here !== undefined && (here[0]?.values.length ?? 0) > 0 && here[0]!.values.length <= fewValues;
  useEffect(() => {
    if (byItself && isFew) fill(here);
    // Once, when they come; what `fill` reads is what is drawn now.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [byItself, isFew]);
  return (
    <LinkButton onClick={() => void values.refetch().then(({ data }) => fill(data))}>Fill in what occurs</LinkButton>
  );
}
