import { pairsShown } from './pairs';

const pairs = (...counts: number[]) => counts.map((count) => ({ count }));
const of = (...given: Parameters<typeof pairsShown>): [number, boolean] => {
  const { shown, isMore } = pairsShown(...given);
  return [shown.length, isMore];
};

it('shows the usual changes, and of changes that are each its own a few', () => {
  expect(of(pairs(9, 5, 1), false, 20)).toEqual([3, false]);
  expect(of(pairs(9, 5, 4, 3, 2, 2, 1), false, 5)).toEqual([5, true]);
  expect(of(pairs(1, 1, 1, 1, 1, 1, 1), false, 20)).toEqual([5, true]);
  expect(of(pairs(1, 1), false, 20)).toEqual([2, false]);
  expect(of(pairs(9, 8, 7, 6, 5, 4, 3), true, 20)).toEqual([5, true]);
  expect(of([], false, 20)).toEqual([0, false]);
});
