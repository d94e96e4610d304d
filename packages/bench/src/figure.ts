/** One figure of a bench. */
export interface Figure {
  readonly what: string;
  readonly value: number;
  readonly unit: 's' | 'ms' | 'MB';
  /** Beside what, and how many times that. */
  readonly beside?: string;
  readonly ratio?: number;
  readonly wanted?: string;
}
