import { Sheet } from '../components/Sheet';

const groups: readonly (readonly [string, readonly (readonly [string, string])[]])[] = [
  [
    'Everywhere',
    [
      ['Ctrl K, ⌘ K', 'Go to a page, type, selection or run, or do something here'],
      ['?', 'These keys'],
      ['Esc', 'Close what lies over the page'],
    ],
  ],
  [
    'In the records',
    [
      ['← ↑ → ↓', 'From cell to cell'],
      ['Space', 'Pick the record, or let it go'],
      ['Home, End', 'To the first and the last column'],
      ['Enter, F2', 'Edit the cell; typing begins anew; Esc leaves it as it was'],
      ['Shift ← ↑ → ↓', 'A block of cells'],
      ['Ctrl D, ⌘ D', 'The first row of the block into the others'],
      ['Del', 'Leave the cells blank'],
      ['=', 'Keep only this value'],
      ['!', 'Leave this value out'],
      ['Enter', 'In the filter as text: apply it'],
      ['Ctrl Enter, ⌘ Enter', 'There too, and go on to what is to change'],
      ['Ctrl C, ⌘ C', 'Copy the cell, or the block as spreadsheets take it'],
      ['Ctrl V, ⌘ V', 'Paste cells from this one on; lines alone are a list to look for, or values: it is asked'],
    ],
  ],
  [
    'In a list that opens',
    [
      ['↑ ↓', 'Move'],
      ['Enter', 'Take'],
      ['a, b, c …', 'On its button: open it and look for what is typed'],
    ],
  ],
];

/** What the keyboard does, where. */
export default function Keys({ onClose }: { onClose: () => void }) {
  return (
    <Sheet open onClose={onClose} title="Keys" width="w-130">
      <div className="space-y-4 overflow-auto p-4" tabIndex={0}>
        {groups.map(([title, keys]) => (
          <section key={title}>
            <h3 className="mb-1 text-xs font-semibold tracking-wide text-quiet uppercase">{title}</h3>
            <dl>
              {keys.map(([key, words]) => (
                <div key={key} className="flex gap-4 border-b border-line py-1 last:border-b-0">
                  <dt className="w-32 shrink-0 font-mono text-xs leading-5">{key}</dt>
                  <dd>{words}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
    </Sheet>
  );
}
