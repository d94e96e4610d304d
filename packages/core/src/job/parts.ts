import { isRows } from '../file/file-type';

// What is told of the parts of a job, and of records of several of them.

const acts = { update: 'change', create: 'make', delete: 'delete' } as const;

/** “make tasks, one for each of the staff”; `madeFor`: the label of what one is made for each, of a create. */
export function partWords(part: {
  readonly act: keyof typeof acts;
  readonly label: string;
  readonly madeFor: string | null;
}): string {
  const made = part.madeFor === null ? '' : `, one for each of the ${part.madeFor.toLowerCase()}`;
  return `${acts[part.act]} ${part.label.toLowerCase()}${made}`;
}

interface Told {
  readonly type: string;
  /** The type of what is made for it, whose fields these are. */
  readonly makes: string | null;
  readonly changes: readonly { readonly field: string }[];
}

/** “grower certificates, one for each of growers” */
function named({ type, makes }: Told): string {
  const words = (id: string): string => id.replaceAll('_', ' ');
  if (makes !== null && isRows({ id: type })) return `new ${words(makes)}`;
  return makes === null ? words(type) : `${words(makes)}, one for each of ${words(type)}`;
}

/** Records one after another as groups of one type and with the same fields, each with what stands above it. */
export function alike<R extends Told>(
  records: readonly R[],
): readonly { readonly of: string; readonly records: R[] }[] {
  const groups: { of: string; kind: string; records: R[] }[] = [];
  for (const r of records) {
    const kind = JSON.stringify([r.type, r.makes, r.changes.map((c) => c.field)]);
    if (groups.at(-1)?.kind === kind) groups.at(-1)!.records.push(r);
    else groups.push({ of: named(r), kind, records: [r] });
  }
  return groups;
}
