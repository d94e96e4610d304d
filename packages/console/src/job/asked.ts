import type { FieldView, RuleView, SampleView, TypeView } from '@tantamos/contract';
import type { DraftEdit } from './edits';

// What rules ask of a job while it is composed.

/** The type, its choices narrowed to what rules leave of them beside what the job sets. */
export function narrowed(type: TypeView, rules: readonly RuleView[], edits: readonly DraftEdit[]): TypeView {
  const given = (name: string): string | null => {
    const edit = edits.find((e) => e.kind === 'set' && e.field === name);
    return edit && 'value' in edit && edit.value !== undefined ? String(edit.value) : null;
  };
  const left = (field: FieldView): FieldView => {
    for (const { choices, isOn, where } of rules) {
      if (!isOn || where !== null || !field.choices || choices?.field !== field.name) continue;
      const by = given(choices.by);
      const to = by === null ? undefined : choices.allowed.find((line) => line.from === by)?.to;
      if (to) return { ...field, choices: field.choices.filter((c) => to.includes(c.value) || to.includes(c.label)) };
    }
    return field;
  };
  return { ...type, fields: type.fields.map(left) };
}

/** A rule that records in sight would break, and the fields of it that the job does not change yet. */
export interface Needed {
  readonly message: string;
  readonly fields: readonly FieldView[];
}

export function neededBy(
  rows: SampleView['rows'],
  rules: readonly RuleView[],
  type: TypeView,
  edits: readonly DraftEdit[],
): readonly Needed[] {
  const causes = new Set(rows.flatMap((r) => (r.outcome === 'not_allowed' ? (r.cause ?? []) : [])));
  const edited = new Set(edits.map((e) => e.field));
  return rules
    .filter((rule) => causes.has(rule.message))
    .map((rule) => ({
      message: rule.message,
      fields: rule.fields.flatMap(
        (name) => type.fields.find((f) => f.name === name && f.notEditable === null && !edited.has(name)) ?? [],
      ),
    }))
    .filter((needed) => needed.fields.length > 0);
}
