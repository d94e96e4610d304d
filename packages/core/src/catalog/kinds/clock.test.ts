import { aheadAt, aheadOfClock, canonicalMoment } from './clock';

const hour = 3_600_000;
const at = (text: string): number => Date.parse(`${text}Z`);

describe('the clocks of a zone', () => {
  it.each([
    // In winter and in summer.
    ['2026-01-15T08:00', 'Europe/Berlin', 1],
    ['2026-07-15T08:00', 'Europe/Berlin', 2],
    ['2026-01-15T08:00', 'America/New_York', -5],
    ['2026-07-15T08:00', 'Asia/Kathmandu', 5.75],
    // The hour that clocks leap over is as before the leap, the one they show twice is the second.
    ['2026-03-29T02:30', 'Europe/Berlin', 1],
    ['2026-10-25T02:30', 'Europe/Berlin', 1],
    ['2026-03-08T02:30', 'America/New_York', -5],
    ['2026-11-01T01:30', 'America/New_York', -5],
    // Two hours ahead of their zone, in the summers of 1945 and 1947.
    ['1945-06-15T12:00', 'Europe/Berlin', 3],
    ['1947-05-11T02:30', 'Europe/Berlin', 2],
    ['1947-05-11T03:30', 'Europe/Berlin', 2],
    ['1947-05-11T04:30', 'Europe/Berlin', 3],
    // Where a day was left out, and where summer is half an hour.
    ['2011-12-29T12:00', 'Pacific/Apia', -10],
    ['2011-12-31T12:00', 'Pacific/Apia', 14],
    ['2026-01-15T12:00', 'Australia/Lord_Howe', 11],
    ['2026-07-15T12:00', 'Australia/Lord_Howe', 10.5],
  ])('%s in %s is %s hours ahead of UTC', (clock, zone, hours) =>
    expect(aheadOfClock(at(clock), zone) / hour).toBe(hours),
  );

  it('a moment shows the clock that it is written as, but in the hour that is left out', () => {
    for (const zone of ['Europe/Berlin', 'America/New_York', 'Asia/Kathmandu', 'Pacific/Apia'])
      for (let day = 0; day < 366; day += 7) {
        const shown = at('2026-01-01T12:00') + day * 24 * hour;
        const moment = shown - aheadOfClock(shown, zone);
        expect([zone, day, moment + aheadAt(moment, zone)]).toEqual([zone, day, shown]);
      }
  });

  it('writes the offset to the second where clocks had none of their zone', () => {
    expect(canonicalMoment('1880-01-01 12:00', 'Europe/Berlin')).toBe('1880-01-01 12:00:00+00:53:28');
    expect(canonicalMoment('1880-01-01 12:00', 'America/New_York')).toBe('1880-01-01 12:00:00-04:56:02');
    expect(canonicalMoment('1945-06-15 12:00', 'Europe/Berlin')).toBe('1945-06-15 12:00:00+03:00');
  });
});
