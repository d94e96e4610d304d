import type { FoundRecord, TypeView } from '@tantamos/contract';
import { doneWords } from '@tantamos/core';
import { X } from 'lucide-react';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { usePerson } from '../app/session';
import { Button, LinkButton } from '../components/Button';
import { Shown } from '../components/Change';
import { counted, keyWords, number } from '../components/format';
import { textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { restoredWords } from '../record/small-run';
import { isInSight, type Cells, type Conflict } from './useCells';
import { keysOf, listed, mostNow, withoutCells, type ListedCell } from './cells';

interface Props {
  type: TypeView;
  records: readonly FoundRecord[];
  nameOf: (key: string) => string | null;
  cells: Cells;
  /** Why some of what was pasted was not taken. */
  left: readonly string[];
}

/** What was edited in the grid and is not written yet, beneath it: how much, each to be withdrawn, and the ways on. */
export function CellsBar(props: Props) {
  const { cells: held, left } = props;
  const { change, undo, undone, conflicts } = held;
  const isPending = keysOf(held.cells).length > 0;
  if (!isPending && !change.data && !undone && left.length === 0) return null;
  return (
    <section aria-label="Edited cells" className="space-y-2 border-t border-line-strong bg-paper px-4 py-2.5">
      {conflicts.length > 0 && <Conflicts conflicts={conflicts} {...props} onSettle={held.settle} />}
      {isPending && <Pending {...props} />}
      {left.length > 0 && (
        <p role="status" className="text-pending">
          {counted(left.length, 'cell')} not taken: {[...new Set(left)].slice(0, 3).join(' ')}
          {new Set(left).size > 3 && ' …'}
        </p>
      )}
      {change.data && change.data.conflicts.length === 0 && <Done {...props} />}
      {undone && <p role="status">{restoredWords(undone, number)}</p>}
      <Problems error={change.error ?? undo.error} />
    </section>
  );
}

function Pending({ type, records, nameOf, cells: held }: Props) {
  const { cells, why, setWhy, change, look, put } = held;
  const { workspace } = usePerson();
  const navigate = useNavigate();
  const [open, setOpen] = useState(false);
  const all = listed(cells);
  const keys = keysOf(cells);
  const preview = (): void =>
    look.mutate(undefined, { onSuccess: (seen) => seen.preview && void navigate(`/previews/${seen.preview.id}`) });
  const isNow = keys.length <= mostNow && isInSight(cells, records);
  const missing = workspace.whyRequired && why.trim() === '';
  return (
    <>
      <div className="flex flex-wrap items-center gap-3">
        <p role="status">
          <b className="font-semibold">{counted(all.length, 'cell')}</b> in {counted(keys.length, 'record')} edited, not
          written yet
        </p>
        <LinkButton aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'Fold' : 'Show them'}
        </LinkButton>
        <span className="flex-1" />
        {workspace.whyRequired && (
          <input
            aria-label="Why"
            className={`${textInput} w-60!`}
            placeholder="Why (required)"
            value={why}
            onChange={(e) => setWhy(e.target.value)}
          />
        )}
        <Button onClick={() => put({})}>Withdraw {all.length === 1 ? 'it' : 'all'}</Button>
        <Button main={!isNow} disabled={missing} busy={look.isPending} onClick={preview}>
          Preview {number(keys.length)}
        </Button>
        {isNow && (
          <Button main disabled={missing} busy={change.isPending} onClick={() => change.mutate(null)}>
            Change {number(keys.length)} now
          </Button>
        )}
      </div>
      <Problems error={look.error} />
      {open && (
        <ul aria-label="Edited cells, one by one" className="max-h-40 overflow-auto">
          {all.map((cell) => (
            <Listed
              key={`${cell.field} ${cell.key}`}
              type={type}
              cell={cell}
              name={nameOf(cell.key) ?? keyWords(cell.key)}
              onWithdraw={() => put(withoutCells(cells, (k, f) => k === cell.key && f === cell.field))}
            />
          ))}
        </ul>
      )}
    </>
  );
}

function Listed({
  type,
  cell,
  name,
  onWithdraw,
}: {
  type: TypeView;
  cell: ListedCell;
  name: string;
  onWithdraw: () => void;
}) {
  const label = type.fields.find((f) => f.name === cell.field)?.label ?? cell.field;
  return (
    <li className="flex items-center gap-2 border-b border-line py-0.5 last:border-b-0">
      <span className="min-w-0 truncate">
        {name}, {label.toLowerCase()}: <b className="font-medium">{cell.shown ?? <em>blank</em>}</b>
      </span>
      <button
        type="button"
        aria-label={`Withdraw ${label} of ${name}`}
        onClick={onWithdraw}
        className="grid size-6 shrink-0 place-items-center rounded text-quiet hover:bg-sunken hover:text-trouble"
      >
        <X className="size-3.5" aria-hidden="true" />
      </button>
    </li>
  );
}

/** What others have made of cells that were edited here: nothing is written before each is settled. */
function Conflicts({
  conflicts,
  type,
  cells: { cells },
  onSettle,
}: Props & { conflicts: readonly Conflict[]; onSettle: (conflict: Conflict, mine: boolean) => void }) {
  const open = conflicts.filter((c) => cells[c.field]?.[c.key] && cells[c.field]![c.key]!.was !== c.now.value);
  if (open.length === 0) return null;
  return (
    <div role="alert" className="space-y-1">
      <p className="text-trouble">
        Nothing was written: somebody else has changed {open.length === 1 ? 'a cell' : `${number(open.length)} cells`}{' '}
        since you edited {open.length === 1 ? 'it' : 'them'}.
      </p>
      <ul>
        {open.map((c) => {
          const label = type.fields.find((f) => f.name === c.field)?.label ?? c.field;
          return (
            <li key={`${c.field} ${c.key}`} className="flex flex-wrap items-center gap-x-3">
              <span>
                {c.record}, {label.toLowerCase()}: now{' '}
                <b className="font-medium">
                  <Shown value={c.now} />
                </b>
                , yours {cells[c.field]![c.key]!.shown ?? <em>blank</em>}
              </span>
              <LinkButton onClick={() => onSettle(c, false)}>Leave theirs</LinkButton>
              <LinkButton onClick={() => onSettle(c, true)}>Mine all the same</LinkButton>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

function Done({ cells: { change, undo } }: Props) {
  const { run, alreadyRight, left } = change.data!;
  return (
    <div className="space-y-1">
      <p role="status" className="flex items-center gap-3">
        {run && run.totals.changed > 0 ? (
          <>
            <span>
              <b className="font-semibold">{doneWords(run.parts, number)}.</b>
              {alreadyRight > 0 && ` ${number(alreadyRight)} already right.`}
              {left.length > 0 && ` ${number(left.length)} not changed.`}
            </span>
            <Button busy={undo.isPending} onClick={() => undo.mutate(run.id)}>
              Undo
            </Button>
            <Link to={`/runs/${run.id}`} className="text-quiet underline underline-offset-2">
              Its run
            </Link>
          </>
        ) : left.length === 0 ? (
          'They have these values already.'
        ) : (
          `Nothing was changed.${alreadyRight > 0 ? ` ${number(alreadyRight)} already right.` : ''}`
        )}
        <button
          type="button"
          aria-label="Put this message away"
          onClick={() => change.reset()}
          className="grid size-6 place-items-center rounded text-quiet hover:bg-sunken"
        >
          <X className="size-3.5" aria-hidden="true" />
        </button>
      </p>
      {left.map((l) => (
        <p key={l.key} className="text-trouble">
          {l.record} was left as it is: {l.why}
        </p>
      ))}
    </div>
  );
}
