import type { FieldView, SelectionParts, TypeView } from '@tantamos/contract';
import { editHelp, type Edit, type Problem } from '@tantamos/core';
import { X } from 'lucide-react';
import { lazy, Suspense, useRef } from 'react';
import { LinkButton } from '../components/Button';
import { Picker } from '../components/Picker';
import { ProblemList } from '../components/Problems';
import type { FieldChoice } from '../records/fields';
import { editActions, formOf, isLink, type DraftEdit, type Result } from './edits';

const ExpressionBox = lazy(() => import('../components/ExpressionBox'));

interface Props {
  type: TypeView;
  /** Fields that expressions may name. */
  fields: readonly FieldChoice[];
  selection: SelectionParts;
  edit: DraftEdit;
  /** What it would make of a few records in sight. */
  results: readonly Result[];
  before: readonly Result[];
  /** Fields that other edits change already. */
  taken: readonly string[];
  problems: readonly Problem[];
  onChange: (next: DraftEdit) => void;
  onRemove: () => void;
  /** Just added: its field is being looked for. */
  isNew?: boolean;
}

const firstControl = 'input, select, textarea, button, [contenteditable="true"]';

/** One edit as a card: field ▸ action ▸ value, and where it is to be done only. */
export function EditCard(props: Props) {
  const { type, fields, selection, edit, results, before, taken, problems, onChange, onRemove, isNew = false } = props;
  const field = changeable(type).find((f) => f.name === edit.field);
  const named = field ? ` of ${field.label}` : '';
  const shape = formOf(edit.kind);
  const { action, Form } = shape;
  const isWide = field !== undefined && (shape.isWide?.(field) ?? false);
  const filled = useRef<HTMLDivElement>(null);
  const next = (): HTMLElement | null | undefined => filled.current?.querySelector<HTMLElement>(firstControl);
  const set = (members: object): void => onChange({ ...edit, ...members });
  const take = (problem: Problem, suggestion: string): void => {
    const member = /\.(value|formula|from|where)$/.exec(problem.where ?? '')?.[1];
    const text = member && edit[member as keyof DraftEdit];
    if (!member || text === undefined) return;
    const { span: at } = problem;
    set({ [member]: at ? text.slice(0, at.start) + suggestion + text.slice(at.end) : suggestion });
  };
  const form = field && (
    <div ref={filled} className="contents">
      <Form
        type={type}
        field={field}
        fields={fields}
        selection={selection}
        edit={edit}
        problems={problems}
        results={results}
        before={before}
        onChange={set}
      />
    </div>
  );
  return (
    <div className="space-y-2 rounded border border-line bg-paper p-2.5">
      <div className="flex gap-2">
        <Picker
          label={field ? 'Field' : 'Field to change'}
          shown={field ? field.label : <span className="text-quiet">Choose a field</span>}
          className="flex-1"
          isNew={isNew && !field}
          hint="A field, or a field and what to do"
          value={edit.field ?? null}
          options={changeable(type).map((f) => ({
            id: f.name,
            label: f.label,
            more: f.comment ?? '',
            note: isLink(f) ? 'list of records' : f.kind.replace('_', '/'),
            not: whyNot(f, taken),
          }))}
          next={next}
          further={() => withActions(type, taken)}
          // A value of another field is no value of this one; what each record was given stays.
          onPick={(picked) => {
            const [name, kind] = picked.split(between) as [string, Edit['kind'] | undefined];
            if (kind) onChange({ ...edit, ...begun(kind, name, type) } as DraftEdit);
            else onChange(action === null ? { ...edit, field: name } : begun(edit.kind, name, type));
          }}
        />
        <button
          type="button"
          aria-label={`Remove the edit${named}`}
          onClick={onRemove}
          className="grid size-8 shrink-0 place-items-center rounded text-quiet hover:bg-sunken hover:text-trouble"
        >
          <X className="size-4" aria-hidden="true" />
        </button>
      </div>
      {field && (
        <div className="flex gap-2">
          {action !== null && (
            <ActionPicker
              field={field}
              kind={edit.kind}
              next={next}
              onPick={(kind) => onChange({ ...edit, kind } as DraftEdit)}
            />
          )}
          {!isWide && form}
        </div>
      )}
      {isWide && form}
      {field && (
        <OnlyWhere
          type={type}
          fields={fields}
          field={field}
          where={edit.where}
          problems={problems}
          onWhere={(where) => set({ where })}
        />
      )}
      <ProblemList problems={problems} onTake={take} />
    </div>
  );
}

/** Fields, and lists that stand in tables of links. */
function changeable({ fields, links }: TypeView): readonly FieldView[] {
  return [...fields, ...links];
}

/** May the kind of edit be chosen for it? */
function isFor(kind: Edit['kind'], field: FieldView): boolean {
  const form = formOf(kind);
  return isLink(field) ? form.takesLinks === true : form.fits(field);
}

/** What can be done to a field, each found by the words people have for it. */
function actionsOf(field: FieldView) {
  return editActions
    .filter(([id, form]) => form.action !== null && isFor(id, field))
    .map(([id, { action }]) => ({
      id,
      label: action!,
      more: editHelp(id).words.join(' '),
      about: editHelp(id).doc,
    }));
}

/** Between a field's name and an action: no name holds it. */
const between = '\n';

/** Fields with what can be done to each: “due on postpone”. */
function withActions(type: TypeView, taken: readonly string[]) {
  return changeable(type)
    .filter((f) => whyNot(f, taken) === null)
    .flatMap((f) =>
      actionsOf(f).map((a) => ({
        id: `${f.name}${between}${a.id}`,
        label: `${f.label} ▸ ${a.label}`,
        more: a.more,
        about: a.about,
      })),
    );
}

function ActionPicker({
  field,
  kind,
  next,
  onPick,
}: {
  field: FieldView;
  kind: Edit['kind'];
  next: () => HTMLElement | null | undefined;
  onPick: (kind: Edit['kind']) => void;
}) {
  return (
    <Picker
      label={`Action of ${field.label}`}
      className="w-38 shrink-0"
      shown={formOf(kind).action}
      value={kind}
      options={actionsOf(field)}
      next={next}
      onPick={(id) => onPick(id as Edit['kind'])}
    />
  );
}

/** A condition of the edit’s own. */
function OnlyWhere({
  type,
  fields,
  field,
  where,
  problems,
  onWhere,
}: {
  type: TypeView;
  fields: readonly FieldChoice[];
  field: FieldView;
  where: string | undefined;
  problems: readonly Problem[];
  onWhere: (where: string | undefined) => void;
}) {
  if (where === undefined)
    return (
      <LinkButton className="text-xs" onClick={() => onWhere('')}>
        Only where…
      </LinkButton>
    );
  return (
    <div className="flex items-start gap-2">
      <span className="pt-1.5 text-xs whitespace-nowrap text-quiet">Only where</span>
      <Suspense fallback={<div className="h-8 flex-1 rounded border border-line-strong bg-sheet" />}>
        <ExpressionBox
          type={type}
          fields={fields}
          text={where}
          onText={onWhere}
          problems={problems.filter((p) => p.where?.endsWith('.where'))}
          label={`Only where, for ${field.label}`}
          example="a condition"
        />
      </Suspense>
      <button
        type="button"
        aria-label={`Everywhere, for ${field.label}`}
        onClick={() => onWhere(undefined)}
        className="grid size-7 shrink-0 place-items-center rounded text-quiet hover:bg-sunken"
      >
        <X className="size-3.5" aria-hidden="true" />
      </button>
    </div>
  );
}

/** The same action on another field, where it may be chosen for it. */
function begun(kind: Edit['kind'], name: string, type: TypeView): DraftEdit {
  const field = changeable(type).find((f) => f.name === name);
  const usual = field && isLink(field) ? 'add' : 'set';
  return { kind: field && isFor(kind, field) ? kind : usual, field: name };
}

function whyNot(field: FieldView, taken: readonly string[]): string | null {
  // Of a list one goes in while another comes out.
  if (taken.includes(field.name) && !isLink(field)) return 'Another edit changes it already.';
  return field.notEditable && `Not changeable: ${field.notEditable}`;
}
