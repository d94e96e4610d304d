import { noPacing } from '../catalog/pacing';
import { exceededOf, exceededWords, limitNames, safetyOf, type Standing } from './safety';

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
  expect(safetyOf({}, [type({ mostPace: 60 })])).toMatchObject({ pace: null });
  expect(safetyOf({}, [type({ mostPace: 60, usualPace: 80 })])).toMatchObject({ pace: 60 });
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
