import type { Me } from '@tantamos/core';

/** The holder of an account. */
export interface Person {
  readonly id: string;
  readonly login: string;
  readonly name: string;
  readonly role: string;
  readonly roleLabel: string;
  /** The record of a person that the account stands for: what `me()` means; null: none. */
  readonly record: Me | null;
  /** How the person reads numbers and times (BCP 47); null: nothing is said of it. */
  readonly locale: string | null;
}
