import { pino } from 'pino';
import { Recurring } from './recurring';

describe('a trouble that is met again and again', () => {
  it('is said when it begins, once a minute, and when it is over', () => {
    const lines: { level: number; msg: string; times: number; seconds?: number }[] = [];
    const log = pino({ base: null, timestamp: false }, { write: (line) => void lines.push(JSON.parse(line)) });
    let now = 0;
    const trouble = new Recurring(log, 'no answer', () => now);
    const said = () => lines.splice(0).map(({ level, msg, times, seconds }) => [level, msg, times, seconds]);
    trouble.over();
    expect(said()).toEqual([]);
    // Twice a second, for a hundred seconds.
    for (; now < 100_000; now += 500) trouble.met(new Error('refused'));
    expect(said()).toEqual([
      [40, 'no answer', 1, undefined],
      [40, 'no answer', 121, undefined],
    ]);
    trouble.over();
    trouble.over();
    expect(said()).toEqual([[30, 'no answer: over', 200, 100]]);
    // What begins anew is said at once.
    trouble.met(new Error('refused'));
    expect(said()).toEqual([[40, 'no answer', 1, undefined]]);
  });
});
