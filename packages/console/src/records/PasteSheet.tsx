import type {
  ListChoiceBody,
  ListPageQuery,
  ListReportView,
  ListTargetBody,
  TypeSummary,
  TypeView,
} from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { queryClient } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { number } from '../components/format';
import { Picker } from '../components/Picker';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { useSettled } from '../components/useSettled';
import type { FieldChoice } from './fields';
import { ListLines } from './ListLines';
import { queries } from '../queries';

interface Props {
  open: boolean;
  type: TypeView;
  types: readonly TypeSummary[];
  fields: readonly FieldChoice[];
  /** A text that was pasted elsewhere. */
  text?: string;
  onUse: (type: string, list: ListChoiceBody) => void;
  onClose: () => void;
}

type Page = NonNullable<ListPageQuery['of']>;

/** Anything pasted, matched as it stands there: every line is counted once, and every count opens its lines. */
export function PasteSheet(props: Props) {
  const { open, onClose } = props;
  return (
    <Sheet
      open={open}
      onClose={onClose}
      title="Paste a list"
      about="Lines, commas, semicolons, tabs, quotes, “Name <a@b>”, page addresses: anything goes."
      width="w-280"
    >
      {open && <Paste {...props} />}
    </Sheet>
  );
}

function Paste({ type, types, fields, text: given = '', onUse, onClose }: Props) {
  const [text, setText] = useState(given);
  const [chosen, setChosen] = useState<readonly string[] | null>(null);
  const [others, setOthers] = useState<readonly ListTargetBody[]>([]);
  const [page, setPage] = useState<Page>('unknown');
  const [several, setSeveral] = useState<'all' | 'none'>('all');
  const [skip, setSkip] = useState(false);
  const mine = chosen ?? guess(text, type);
  const targets = [
    { type: type.id, fields: [...mine] },
    ...others.map((o) => ({ type: o.type, fields: [...o.fields] })),
  ];
  const asked = useSettled(JSON.stringify({ text, targets }), 400);
  const found = useQuery({
    ...queries.pasted(asked),
    enabled: text.trim() !== '' && mine.length > 0,
  });
  const report = text.trim() === '' ? undefined : found.data;
  const stale = found.isPlaceholderData || asked !== JSON.stringify({ text, targets });
  const here = report?.byType.find((t) => t.type === type.id);
  const ready = report && !stale && here && here.records > 0 && (report.different === here.found || skip);
  const use = (t: string): void => {
    onUse(t, { id: report!.id, several, unknown: 'skip' });
    onClose();
  };
  return (
    <>
      <div className="flex min-h-0 flex-1">
        <div className="flex w-90 shrink-0 flex-col gap-3 border-r border-line p-4">
          <label htmlFor="pasted" className="text-quiet">
            The list
          </label>
          <textarea
            id="pasted"
            autoFocus
            spellCheck={false}
            className="min-h-60 w-full flex-1 resize-none rounded border border-line-strong bg-sheet p-2 font-mono text-xs"
            placeholder={'one@grower.example\nSomeone <two@grower.example>; G-000123\n…'}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <fieldset className="space-y-1">
            <legend className="pb-1 text-quiet">Match with {type.label.toLowerCase()} by</legend>
            <MatchFields fields={fields} chosen={mine} onChange={setChosen} />
          </fieldset>
          {others.map((o, i) => (
            <p key={o.type} className="flex items-center justify-between text-quiet">
              <span>
                and {types.find((t) => t.id === o.type)?.label.toLowerCase()} by {o.fields.join(', ')}
              </span>
              <LinkButton onClick={() => setOthers(others.filter((_, j) => j !== i))}>remove</LinkButton>
            </p>
          ))}
          <OtherType
            types={types.filter((t) => t.id !== type.id && t.key.length > 0 && !others.some((o) => o.type === t.id))}
            text={text}
            onAdd={(o) => setOthers([...others, o])}
          />
        </div>
        <div className="flex min-w-0 flex-1 flex-col">
          <Problems error={found.error} />
          {report ? (
            <>
              <Report report={report} page={page} stale={stale} onPage={setPage} />
              <ListLines key={`${report.id} ${page}`} report={report} page={page} choosing={several === 'all'} />
            </>
          ) : (
            <p className="p-6 text-quiet">
              The count of every line appears here as soon as there is something to match.
            </p>
          )}
        </div>
      </div>
      <div className="flex items-center gap-4 border-t border-line px-4 py-3">
        {report && report.byType.some((t) => t.several > 0) && (
          <label className="flex items-center gap-1.5">
            Entries that several fit:
            <select
              className="h-7.5 rounded border border-line-strong bg-sheet px-1.5"
              value={several}
              onChange={(e) => setSeveral(e.target.value as 'all' | 'none')}
            >
              <option value="all">take all, or as chosen</option>
              <option value="none">take none of them</option>
            </select>
          </label>
        )}
        {report && here && report.different > here.found && (
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="accent-accent"
              checked={skip}
              onChange={(e) => setSkip(e.target.checked)}
            />
            Go on without the {number(report.different - here.found)} unknown
          </label>
        )}
        <span className="flex-1" />
        {report &&
          others.map((o) => {
            const t = report.byType.find((b) => b.type === o.type);
            return t && t.records > 0 ? (
              <Button key={o.type} disabled={stale} onClick={() => use(o.type)}>
                Find the {number(t.records)} {t.label.toLowerCase()}
              </Button>
            ) : null;
          })}
        <Button main disabled={!ready} onClick={() => use(type.id)}>
          {here && here.records > 0 ? `Find these ${number(here.records)}` : 'Find these'}
        </Button>
      </div>
    </>
  );
}

/** Mail fields for addresses; else what names a record: key, codes, name. */
function guess(text: string, type: TypeView): string[] {
  const seen = type.fields.filter((f) => !f.hidden && f.base === 'text' && f.refersTo === null);
  const mails = seen.filter((f) => /e-?mail/i.test(`${f.name} ${f.label}`)).map((f) => f.name);
  if (text.includes('@') && mails.length > 0) return mails;
  const codes = seen.filter((f) => f.unique && !mails.includes(f.name)).map((f) => f.name);
  return [
    ...new Set([...(type.key.length === 1 ? type.key : []), ...codes, ...(type.nameField ? [type.nameField] : [])]),
  ];
}

function MatchFields({
  fields,
  chosen,
  onChange,
}: {
  fields: readonly FieldChoice[];
  chosen: readonly string[];
  onChange: (chosen: readonly string[]) => void;
}) {
  const possible = fields.filter(
    (f) =>
      f.field.kind !== 'reference' && ['text', 'number', 'uuid', 'date'].includes(f.field.base) && !f.field.choices,
  );
  return (
    <div className="flex flex-wrap items-center gap-1">
      {chosen.map((path) => (
        <span key={path} className="flex h-7 items-center gap-1 rounded border border-line bg-sunken pl-2">
          {fields.find((f) => f.path === path)?.label ?? path}
          <button
            type="button"
            aria-label={`Do not match ${path}`}
            className="px-1.5 text-quiet hover:text-trouble"
            onClick={() => onChange(chosen.filter((c) => c !== path))}
          >
            ×
          </button>
        </span>
      ))}
      <Picker
        label="Another field to match"
        className="h-7! w-28"
        value={null}
        shown={<span className="text-quiet">field…</span>}
        options={possible
          .filter((f) => !chosen.includes(f.path))
          .map((f) => ({ id: f.path, label: f.label, more: f.field.comment ?? '' }))}
        onPick={(path) => onChange([...chosen, path])}
      />
    </div>
  );
}

function OtherType({
  types,
  text,
  onAdd,
}: {
  types: readonly TypeSummary[];
  text: string;
  onAdd: (target: ListTargetBody) => void;
}) {
  const add = useMutation({
    mutationFn: (id: string) => queryClient.fetchQuery(queries.type(id)),
    onSuccess: (type) => onAdd({ type: type.id, fields: guess(text, type) }),
  });
  return (
    <Picker
      label="Match with another type too"
      value={null}
      shown={<span className="text-quiet">Match with another type too…</span>}
      options={types.map((t) => ({ id: t.id, label: t.label, more: t.comment ?? '' }))}
      onPick={(id) => add.mutate(id)}
    />
  );
}

/** “300 lines = 3 blank + …”, each number a button. */
function Report({
  report: r,
  page,
  stale,
  onPage,
}: {
  report: ListReportView;
  page: Page;
  stale: boolean;
  onPage: (page: Page) => void;
}) {
  const part = (n: number, words: string, of: Page) => (
    <button
      key={of}
      type="button"
      disabled={n === 0}
      aria-pressed={page === of}
      onClick={() => onPage(of)}
      className={`rounded px-1 whitespace-nowrap ${n === 0 ? 'text-quiet' : 'underline decoration-1 underline-offset-3 hover:text-accent-strong'} ${page === of ? 'bg-accent-soft font-medium' : ''}`}
    >
      {number(n)} {words}
    </button>
  );
  return (
    <div
      className={`space-y-0.5 border-b border-line px-4 py-2.5 ${stale ? 'text-quiet' : ''}`}
      role="status"
      data-testid="list-report"
    >
      <p>
        {part(r.lines, r.lines === 1 ? 'line' : 'lines', 'all')} = {part(r.blank, 'blank', 'blank')} +{' '}
        {part(r.notAddresses, r.notAddresses === 1 ? 'not an address' : 'not addresses', 'not_address')} +{' '}
        {part(r.repeats, r.repeats === 1 ? 'repeat' : 'repeats', 'repeat')} +{' '}
        {part(r.different, 'different', 'different')}
        {stale && ' …'}
      </p>
      <p>
        {number(r.different)} = {part(r.found, 'found', 'found')} + {part(r.unknown, 'unknown', 'unknown')}
      </p>
      {r.byType.map((t) => (
        <p key={t.type}>
          {number(t.found)} → <b className="font-semibold">{number(t.records)}</b> {t.label.toLowerCase()}
          {t.several > 0 && (
            <> ({part(t.several, t.several === 1 ? 'entry fits several' : 'entries fit several', 'several')})</>
          )}
        </p>
      ))}
      {r.elsewhere.length > 0 && (
        <p className="text-pending">
          Of the unknown,{' '}
          {r.elsewhere.map((e) => `${number(e.count)} are the ${e.field} of ${e.label.toLowerCase()}`).join(', ')}.{' '}
          <LinkButton onClick={() => onPage('elsewhere')}>show</LinkButton>
        </p>
      )}
    </div>
  );
}
