/**
 * Which records. The parts narrow the set in this order, each what is left by those before it: relatives of another
 * selection, a condition, a pasted list, the first or a sample of these, picked records, records dropped by hand.
 */
export interface Selection {
  readonly type: string;
  readonly related?: Related;
  /** CQL2 text; absent or blank means every record. */
  readonly filter?: string;
  readonly list?: ListChoice;
  readonly take?: Take;
  /** Keys of picked records, as text. */
  readonly keys?: readonly string[];
  /** Keys of records left out by hand. */
  readonly drop?: readonly string[];
}

/** A pasted list that was matched before, and what to do about entries that fit no record or several. */
export interface ListChoice {
  readonly id: string;
  /** Entries that several records fit: all of them, none, or only as chosen one by one (default: all). */
  readonly several?: 'all' | 'none';
  /** Entries that no record fits: stop and say so, or go on without them (default: stop). */
  readonly unknown?: 'stop' | 'skip';
  /** The name of the file whose rows it is made of, where it is. */
  readonly file?: string;
}

/** The first `count` by an order, or at random; of each value of a field where `per` is given. */
export interface Take {
  readonly count: number;
  /** Field names or paths, `-` before one for descending; without it the key's order. */
  readonly order?: readonly string[];
  /** Any text: the same seed takes the same records at random. */
  readonly seed?: string;
  readonly per?: string;
}

export const relatedHows = ['pointing_at', 'pointed_at', 'siblings', 'descendants', 'ancestors'] as const;

/**
 * From a selection to its relatives. `pointing_at`: records whose `field` points at those of `of` (the bookings of these
 * growers); `pointed_at`: records that `field` of those of `of` points at (the growers of these invoices); `siblings`:
 * records with the same value of the reference `field`; `descendants` and `ancestors`: along the self-reference `field`.
 */
export interface Related {
  readonly of: Selection;
  readonly how: (typeof relatedHows)[number];
  readonly field: string;
  /** Are the records of `of` themselves in it? Only for siblings, descendants and ancestors; default: no. */
  readonly self?: boolean;
  /** Steps at most, for descendants and ancestors; default and most: 100. */
  readonly depth?: number;
}
