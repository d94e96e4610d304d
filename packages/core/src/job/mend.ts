import type { Edit } from '../edits/edit';

/** Another job that a person may mean instead of the one they made. */
export interface Mend {
  /** As on a button: “Use Confirmed instead”. */
  readonly words: string;
  /** This filter instead. */
  readonly filter?: string;
  /** This edit in the place of the one at `at`. */
  readonly edit?: { readonly at: number; readonly edit: Edit };
  /** Leave these records out besides, by key. */
  readonly drop?: readonly string[];
}

/** What a mend changes in a job, as it is or as it is sent. */
interface Mendable {
  readonly selection: { readonly drop?: readonly string[] };
  readonly edits: readonly Edit[];
}

export function mended<J extends Mendable>(job: J, { filter, edit, drop }: Omit<Mend, 'words'>): J {
  const { selection, edits } = job;
  return {
    ...job,
    selection: {
      ...selection,
      ...(filter === undefined ? {} : { filter }),
      ...(drop ? { drop: [...new Set([...(selection.drop ?? []), ...drop])] } : {}),
    },
    edits: edit ? edits.map((e, i) => (i === edit.at ? edit.edit : e)) : edits,
  };
}
