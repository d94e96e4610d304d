import { runScript } from '../testing/script';

describe('a minute of everything going wrong at once', () => {
  it('leaves records, outcomes, journal and audit agreeing', async () => {
    const said = await runScript('chaos.mjs', '--built', '--minutes', '1', '--kill', '2500', '--crash', '8000');
    const told = JSON.parse(said) as Record<string, number> & { wrong: string[] };
    expect(told.wrong).toEqual([]);
    for (const what of [
      'runs',
      'changed',
      'handEdits',
      'locks',
      'cuts',
      'serviceKills',
      'crashes',
      'made',
      'deleted',
      'handed',
      'recoded',
      'freezes',
    ])
      expect([what, told[what]! > 0]).toEqual([what, true]);
  }, 600_000);
});
