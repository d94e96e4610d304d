import { Others, ownPace, restAfter } from './pace';

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

it('without a pace it gives way to others, where nobody asked for several batches at once', () => {
  const run = { pace: null, per_second: null, at_once: 1, batch_size: 5000 };
  expect(restAfter(100, run)).toBe(100);
  expect(restAfter(100, run, true)).toBe((100 * (100 - ownPace.besideOthers)) / ownPace.besideOthers);
  expect(restAfter(100, { ...run, at_once: 2 }, true)).toBe(100);
  expect(restAfter(100, { ...run, pace: 80 }, true)).toBe(25);
});

it('others are at work while the database numbers many transactions that are not its own', () => {
  const others = new Others();
  others.see(1000n, 0);
  expect(others.write).toBe(false);
  // The service itself writes a little.
  others.see(1002n, 100);
  expect(others.write).toBe(false);
  others.lookAway();
  others.see(2000n, 5000);
  others.see(2010n, 5100);
  expect(others.write).toBe(true);
  let at = 5100;
  for (; others.write && at < 60_000; at += 250) others.see(2010n, at);
  expect(at - 5100).toBeLessThan(5000);
  // What it did itself meanwhile does not count, nor a number that goes backwards after another server took over.
  others.lookAway();
  others.see(9000n, at);
  others.see(3n, at + 100);
  expect(others.write).toBe(false);
});
