import type { FileColumnView, FilePlanBody, FilePlanSaid, TypeView } from '@tantamos/contract';

/** What a file's rows are to do, as far as it has been said. */
export type DraftPlan = FilePlanSaid;

/** As the service takes it; null while something is missing. */
export function completePlan(plan: DraftPlan): FilePlanBody | null {
  const match = plan.match.filter((m) => m.column !== '' && m.field !== '');
  const take = plan.take.filter((t) => t.field !== '' && (t.column || t.formula?.trim()));
  if ((match.length === 0 && plan.signed === undefined) || take.length === 0) return null;
  return {
    ...plan,
    match: match.map((m) => ({ ...m })),
    take: take.map((t) => ({ ...t })),
    ...(plan.readings ? { readings: { ...plan.readings } } : {}),
  };
}

/** Are its cells taken as dates that can be read in two ways, and nobody has said which? */
export function isAmbiguous(column: FileColumnView, plan: FilePlanBody, type: TypeView): boolean {
  if (column.order !== null || plan.readings?.[column.name]?.dates) return false;
  return plan.take.some((t) => t.column === column.name && isTime(type, t.field));
}

export function isTime(type: TypeView, field: string): boolean {
  const base = type.fields.find((f) => f.name === field)?.base;
  return base === 'date' || base === 'moment';
}
