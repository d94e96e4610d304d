import type { TypeView } from '@tantamos/contract';
import { neededOf, type Edit } from '@tantamos/core';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { queryClient } from '../app/api';
import { usePerson } from '../app/session';
import { Button, LinkButton } from '../components/Button';
import { textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { Presets } from '../job/Presets';
import { ValueInput } from '../job/ValueInput';
import { queries } from '../queries';
import { changeNow, undoNow } from '../record/small-run';

interface Props {
  type: TypeView;
  onClose: () => void;
}

/** A new record of a type: what it must have first, then what it may have; made by the same preview, run and journal. */
export default function NewRecord({ type, onClose }: Props) {
  return (
    <Sheet open onClose={onClose} title={`New: ${type.label.toLowerCase()}`} side="right" width="w-110">
      <Form type={type} onClose={onClose} />
    </Sheet>
  );
}

/** What the database says of it. */
async function whyNot(run: string): Promise<string> {
  const { records } = await queryClient
    .fetchInfiniteQuery(queries.runRecords(run, undefined, null))
    .then((r) => r.pages[0]!);
  return records[0]?.cause ?? 'It could not be made.';
}

function Form({ type, onClose }: Props) {
  const navigate = useNavigate();
  const { workspace } = usePerson();
  const needed = neededOf(type).filter((f) => !f.hidden);
  const open = type.fields.filter(
    (f) => !f.hidden && !f.generated && f.base !== 'list' && (f.notEditable === null || type.key.includes(f.name)),
  );
  // What the database fills in by itself comes last.
  const order = [
    ...needed,
    ...open.filter((f) => !needed.includes(f) && f.default === null),
    ...open.filter((f) => f.default !== null),
  ];
  const [values, setValues] = useState<Readonly<Record<string, string>>>({});
  const [computed, setComputed] = useState<readonly Edit[]>([]);
  const [why, setWhy] = useState('');
  const edits: Edit[] = [
    ...Object.entries(values).flatMap(([field, value]): Edit[] =>
      value === '' ? [] : [{ kind: 'set', field, value }],
    ),
    ...computed.filter((c) => !values[c.field]),
  ];
  const missing = needed.filter((f) => !edits.some((e) => e.field === f.name));
  const make = useMutation({
    mutationFn: async () => {
      const done = await changeNow({
        selection: { type: type.id },
        act: 'create',
        from: { rows: 1 },
        edits,
        ...(why.trim() ? { why: why.trim() } : {}),
      });
      const { run, preview } = done;
      if (!run || run.totals.changed !== 1)
        throw new Error(run ? await whyNot(run.id) : (preview.causes[0]?.cause ?? 'It could not be made.'));
      await queryClient.invalidateQueries({ queryKey: queries.aboutFound(type.id) });
      return done;
    },
  });
  const undo = useMutation({
    mutationFn: async () => {
      await undoNow(make.data!.run!.id);
      await queryClient.invalidateQueries({ queryKey: queries.aboutFound(type.id) });
    },
    onSuccess: () => make.reset(),
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    if (missing.length === 0) make.mutate();
  };
  if (make.data)
    return (
      <div className="space-y-3 p-4" role="status">
        <p className="font-medium">It is made.</p>
        <p className="flex flex-wrap gap-3">
          <Button main autoFocus onClick={() => void navigate(`/runs/${make.data.run!.id}`)}>
            Look at it
          </Button>
          <Button onClick={() => make.reset()}>Another one</Button>
          <Button busy={undo.isPending} onClick={() => undo.mutate()}>
            Undo
          </Button>
          <Button onClick={onClose}>Close</Button>
        </p>
        <Problems error={undo.error} />
      </div>
    );
  return (
    <form className="flex min-h-0 flex-1 flex-col" onSubmit={submit}>
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <Presets
          into={type}
          edits={edits}
          onTake={(taken) => {
            const plain = taken.filter((e) => e.kind === 'set');
            setValues({ ...values, ...Object.fromEntries(plain.map((e) => [e.field, String(e.value)])) });
            setComputed(taken.filter((e) => e.kind !== 'set'));
          }}
        />
        {order.map((f) => (
          <div key={f.name} className="grid grid-cols-[9rem_1fr] items-center gap-2">
            <span>
              {f.label}
              {needed.includes(f) && <span className="text-trouble"> *</span>}
              <span className="sr-only">{needed.includes(f) ? 'required' : ''}</span>
            </span>
            <span className="min-w-0">
              <ValueInput
                field={f}
                value={values[f.name] ?? ''}
                onChange={(value) => setValues({ ...values, [f.name]: value })}
              />
              {f.default !== null && !values[f.name] && (
                <span className="block text-xs text-quiet">filled by itself where nothing is said</span>
              )}
              {computed
                .filter((c) => c.field === f.name && !values[f.name])
                .map((c) => (
                  <span key={c.field} className="block text-xs text-quiet">
                    {c.kind === 'compute' ? c.formula : ''}{' '}
                    <LinkButton onClick={() => setComputed(computed.filter((other) => other !== c))}>
                      leave out
                    </LinkButton>
                  </span>
                ))}
            </span>
          </div>
        ))}
        {workspace.whyRequired && (
          <input
            aria-label="Why"
            className={textInput}
            placeholder="Why"
            value={why}
            onChange={(e) => setWhy(e.target.value)}
          />
        )}
        <Problems error={make.error} />
      </div>
      <div className="flex items-center gap-3 border-t border-line px-4 py-3">
        <span className="flex-1 text-xs text-quiet">
          {missing.length > 0 && `Still needed: ${missing.map((f) => f.label.toLowerCase()).join(', ')}`}
        </span>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          type="submit"
          main
          disabled={missing.length > 0 || (workspace.whyRequired && !why.trim())}
          busy={make.isPending}
        >
          Make it
        </Button>
      </div>
    </form>
  );
}
