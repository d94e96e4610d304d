import { draftOf, emptyDraft, isWork, partsOf, pickedPartsOf, type Draft } from './draft';
import { jobOf } from './job-of';

const draft = (more: Partial<Draft>): Draft => ({ ...emptyDraft, type: 'bookings', ...more });

describe('an unfinished job', () => {
  it('is work as soon as there is something a person would miss, and not before', () => {
    expect(isWork(draft({ filterOpen: false, panel: true, views: { bookings: { sort: ['id'] } } }))).toBe(false);
    expect(isWork(draft({ filter: '  ', why: ' ' }))).toBe(false);
    for (const more of [
      { filter: 'hives > 0' },
      { picked: ['1'] },
      { dropped: ['1'] },
      { edits: [{ kind: 'set' as const }] },
      { why: 'Spring round' },
    ])
      expect(isWork(draft(more))).toBe(true);
  });

  it('sends only what is filled in, and of an edit only what its kind takes', () => {
    const job = jobOf(
      draft({
        filter: 'hives > 0',
        edits: [
          { kind: 'set' },
          { kind: 'set', field: 'status' },
          { kind: 'set', field: 'note', value: '' },
          // The value of another action, still there to go back to.
          { kind: 'clear', field: 'region', value: 'North' } as Draft['edits'][number],
          { kind: 'fill', field: 'hives', value: '7' },
          { kind: 'put', field: 'start_on', values: { 1: '2026-05-01' } },
        ],
        why: '  Spring round ',
        safety: { askAfter: 5, atMost: 200 },
      }),
      'bookings',
    );
    expect(job).toEqual({
      selection: { type: 'bookings', filter: 'hives > 0' },
      edits: [
        { kind: 'set', field: 'note', value: '' },
        { kind: 'clear', field: 'region' },
        { kind: 'fill', field: 'hives', value: '7' },
        { kind: 'put', field: 'start_on', values: { 1: '2026-05-01' } },
      ],
      safety: { askAfter: 5, atMost: 200 },
      why: 'Spring round',
    });
    expect(jobOf(draft({ safety: {} }), 'bookings')).toEqual({
      selection: { type: 'bookings' },
      edits: [],
      safety: {},
    });
  });

  it('what is picked and dropped goes with the job, not with the grid', () => {
    const one = draft({ filter: 'hives > 0', picked: ['1', '2'], dropped: ['3'] });
    expect(partsOf(one)).toEqual({ filter: 'hives > 0' });
    expect(pickedPartsOf(one)).toEqual({ filter: 'hives > 0', keys: ['1', '2'], drop: ['3'] });
  });

  it('is read as any earlier version of the page kept it', () => {
    const kept = {
      type: 'bookings',
      edits: [
        { kind: 'set', field: null, value: '' },
        { kind: 'set', field: 'status', value: 'placed' },
        { kind: 'fill', field: 'region', value: '' },
        { kind: 'set', field: 'hives', value: '', values: { 1: '2' } },
        { kind: 'set', field: 'note', value: '' },
      ],
    };
    expect(draftOf(kept).edits).toEqual([
      { kind: 'set' },
      { kind: 'set', field: 'status', value: 'placed' },
      { kind: 'fill', field: 'region' },
      { kind: 'put', field: 'hives', values: { 1: '2' } },
      { kind: 'set', field: 'note', value: '' },
    ]);
    // What that version did not know begins as it would in a new one.
    expect(draftOf({})).toEqual(emptyDraft);
    expect(draftOf(kept)).toMatchObject({ filterMode: 'rows', safety: { askAfter: 5 }, views: {} });
  });
});
