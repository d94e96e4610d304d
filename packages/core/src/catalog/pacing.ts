/** What an administrator says of runs on a type: how they go where a job does not say, and what a job may say at most. */
export interface Pacing {
  readonly usualBatch: number | null;
  readonly usualAtOnce: number | null;
  readonly usualPace: number | null;
  readonly mostAtOnce: number | null;
  readonly mostPace: number | null;
}
export const noPacing: Pacing = {
  usualBatch: null,
  usualAtOnce: null,
  usualPace: null,
  mostAtOnce: null,
  mostPace: null,
};
