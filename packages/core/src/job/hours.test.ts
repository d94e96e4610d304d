import { hoursWords, isOpen, mustBeHours, opensAt, type Hours } from './hours';

const night: Hours = { zone: 'Europe/Lisbon', from: '20:00', to: '06:00', days: [1, 2, 3, 4, 5] };
const at = (text: string): number => Date.parse(text);

it('over midnight the days are those on which it begins', () => {
  // 2026-07-17 is a Friday; Lisbon is an hour ahead of UTC then.
  expect(isOpen(night, at('2026-07-17T18:59:00Z'))).toBe(false);
  expect(isOpen(night, at('2026-07-17T19:00:00Z'))).toBe(true);
  expect(isOpen(night, at('2026-07-18T04:59:00Z'))).toBe(true);
  expect(isOpen(night, at('2026-07-18T05:00:00Z'))).toBe(false);
  // Saturday evening is not among them, nor is Sunday before dawn.
  expect(isOpen(night, at('2026-07-18T20:00:00Z'))).toBe(false);
  expect(isOpen(night, at('2026-07-19T02:00:00Z'))).toBe(false);
});

it('opens at the next beginning, to the minute, whatever the clocks do meanwhile', () => {
  const opens = (text: string, hours = night): string => new Date(opensAt(hours, at(text))!).toISOString();
  expect(opens('2026-07-18T10:00:00Z')).toBe('2026-07-20T19:00:00.000Z');
  expect(opens('2026-07-20T12:34:56Z')).toBe('2026-07-20T19:00:00.000Z');
  expect(opens('2026-07-20T22:00:00Z')).toBe('2026-07-20T22:00:00.000Z');
  // The clocks go forward on 2026-03-29, and back on 2026-10-25.
  const noon = { zone: 'Europe/Lisbon', from: '12:00', to: '13:00', days: [7] };
  expect(opens('2026-03-28T09:00:00Z', noon)).toBe('2026-03-29T11:00:00.000Z');
  expect(opens('2026-10-24T20:00:00Z', noon)).toBe('2026-10-25T12:00:00.000Z');
  // An hour that the clocks leap over does not come on that day.
  const leapt = { zone: 'Europe/Lisbon', from: '01:10', to: '01:50' };
  expect(opens('2026-03-29T00:00:00Z', leapt)).toBe('2026-03-30T00:10:00.000Z');
});

it('the same time twice is all day, from then on', () => {
  const all = { zone: 'UTC', from: '08:00', to: '08:00', days: [3] };
  expect(isOpen(all, at('2026-07-15T07:59:00Z'))).toBe(false);
  expect(isOpen(all, at('2026-07-15T08:00:00Z'))).toBe(true);
  expect(isOpen(all, at('2026-07-16T07:59:00Z'))).toBe(true);
});

it('is said in words', () => {
  expect(hoursWords(night)).toBe('20:00 to 06:00 on Monday to Friday (Europe/Lisbon)');
  expect(hoursWords({ ...night, days: [7, 1] })).toBe('20:00 to 06:00 on Monday, Sunday (Europe/Lisbon)');
  expect(hoursWords({ ...night, days: undefined })).toBe('20:00 to 06:00 (Europe/Lisbon)');
});

it('refuses what is no zone, no time and no day', () => {
  for (const wrong of [{ zone: 'Mars' }, { from: '8:00' }, { to: '25:00' }, { days: [] }, { zone: '' }])
    expect(() => mustBeHours({ ...night, ...wrong })).toThrow();
  expect(() => mustBeHours(night)).not.toThrow();
});
