import { noPacing } from '../catalog/pacing';
import { exceededOf, exceededWords, limitNames, restAfter, safetyOf, type Standing } from './safety';

const calm: Standing = { failures: 0, editedSince: 0, minutes: 0, slowdown: null, lag: null, waiting: null };
const type = (bounds: object = {}) => ({ label: 'Bookings', bounds: { ...noPacing, largestBatch: 100, ...bounds } });

it('what is not said is as the types have it, the most careful of them', () => {
  expect(safetyOf({}, [type({ usualPace: 40 }), type({ usualPace: 20, usualAtOnce: 3 }), type()])).toMatchObject({
    pace: 20,
    atOnce: 3,
    batchSize: null,
    first: 'in_order',
  });
  // A bound holds for what is usual as well.
  expect(safetyOf({}, [type({ mostPace: 10 })])).toMatchObject({ pace: 10 });
  expect(safetyOf({ pace: 70 }, [type({ usualPace: 40 })])).toMatchObject({ pace: 70 });
});

it('nothing is said beyond what a type allows', () => {
  expect(() => safetyOf({ pace: 70 }, [type(), type({ mostPace: 60 })])).toThrow('60');
  expect(() => safetyOf({ atOnce: 3 }, [type({ mostAtOnce: 2 })])).toThrow('up to 2');
  expect(() => safetyOf({ batchSize: 101 }, [type()])).toThrow('may hold 100');
});

it('a limit is exceeded by more than it allows, and by nothing that is not known', () => {
  expect(exceededOf({ failures: 2 }, { ...calm, failures: 2 })).toBeNull();
  expect(exceededOf({ failures: 2 }, { ...calm, failures: 3 })).toEqual({ limit: 'failures', allowed: 2, found: 3 });
  expect(exceededOf({ slowdown: 1 }, calm)).toBeNull();
  expect(exceededOf({ lag: null }, { ...calm, lag: 1000 })).toBeNull();
  for (const limit of limitNames) expect(exceededWords({ limit, allowed: 2, found: 3.25 })).toMatch(/3\.3.*2|2.*3\.3/);
});

it('a lane rests for its pace within bounds, and for the records a second as long as they ask for', () => {
  const run = { pace: 50, per_second: null, at_once: 1, batch_size: 5000 };
  expect(restAfter(200, run)).toBe(200);
  expect(restAfter(90_000, run)).toBe(30_000);
  expect(restAfter(200, { ...run, pace: 100 })).toBe(0);
  // 5,000 at ten a second are 500 seconds, work and all; of two lanes each has half.
  expect(restAfter(200, { ...run, per_second: 10 })).toBe(499_800);
  expect(restAfter(200, { ...run, per_second: 10, at_once: 2 })).toBe(999_800);
  expect(restAfter(2000, { ...run, per_second: 1_000_000 })).toBe(2000);
});
