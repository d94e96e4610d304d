import { useQuery } from '@tanstack/react-query';
import { Dialog } from 'radix-ui';
import { useId, useState } from 'react';
import { useMatch, useNavigate } from 'react-router';
import { number } from '../components/format';
import { textInput } from '../components/inputs';
import { fitting } from '../components/Picker';
import { useArrows } from '../components/useArrows';
import { everything, partsFrom } from '../job/draft';
import { useDraft } from '../job/DraftKeeper';
import { queries } from '../queries';
import { usePerson } from './session';
import { useTheme } from './theme';

interface Command {
  readonly id: string;
  readonly label: string;
  readonly more?: string;
  readonly note: string;
  run(): void;
}

/** Everything there is to go to or to do here, found by typing: pages, types, saved selections, runs, what this page does. */
export default function Commands({ onClose }: { onClose: () => void }) {
  const all = useCommands();
  const [text, setText] = useState('');
  const id = useId();
  const found = fitting(all, text).slice(0, 50);
  const run = (command: Command | undefined): void => {
    if (!command) return;
    onClose();
    command.run();
  };
  const { at, setAt, list, onKey } = useArrows(found.length, (i) => run(found[i]));
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[12vh] left-1/2 z-40 flex max-h-[70vh] w-140 max-w-[calc(100vw-2rem)] -translate-x-1/2 flex-col rounded-md border border-line-strong bg-sheet p-2 shadow-xl"
        >
          <Dialog.Title className="sr-only">Go to, or do</Dialog.Title>
          <input
            role="combobox"
            aria-label="Go to, or do"
            aria-expanded="true"
            aria-controls={id}
            aria-activedescendant={found[at] ? `${id}-${at}` : undefined}
            className={`${textInput} h-9!`}
            placeholder="A page, a type, a saved selection, a run, or what to do"
            value={text}
            onChange={(e) => {
              setText(e.target.value);
              setAt(0);
            }}
            onKeyDown={onKey}
          />
          <ul ref={list} id={id} role="listbox" aria-label="What there is" className="mt-2 overflow-auto">
            {found.map((c, i) => (
              <li
                key={c.id}
                id={`${id}-${i}`}
                role="option"
                aria-selected={i === at}
                onClick={() => run(c)}
                onMouseMove={() => setAt(i)}
                className={`flex cursor-pointer justify-between gap-4 rounded px-2 py-1.5 ${i === at ? 'bg-accent-soft' : ''}`}
              >
                <span className="min-w-0 truncate">{c.label}</span>
                <span className="shrink-0 text-quiet">{c.note}</span>
              </li>
            ))}
            {found.length === 0 && <li className="px-2 py-1.5 text-quiet">Nothing fits “{text}”.</li>}
          </ul>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function useCommands(): Command[] {
  const person = usePerson();
  const navigate = useNavigate();
  const { change } = useDraft();
  const [theme, setTheme] = useTheme();
  const types = useQuery(queries.types());
  const saved = useQuery(queries.selections());
  const runs = useQuery(queries.newestRuns());
  const here = useMatch('/records/:type')?.params.type;
  const go = (to: string) => () => void navigate(to);
  const pages = [
    ['/start', 'Start'],
    ['/records', 'Records'],
    ['/jobs', 'Jobs'],
    ['/rules', 'Rules'],
    ['/handover', 'Hand over from a person'],
    ['/runs', 'Runs'],
    ['/account', 'My account'],
    ...(person.may.includes('administer') ? ([['/settings', 'Settings']] as const) : []),
  ] as const;
  const other = theme === 'light' ? 'dark' : 'light';
  const doings: Command[] = [
    ...(here === undefined
      ? []
      : [
          { id: 'do change', label: 'Change these records', note: 'do', run: () => change({ panel: true }) },
          { id: 'do filter', label: 'Open the filter', note: 'do', run: () => change({ filterOpen: true }) },
          {
            id: 'do all',
            label: 'Every record: clear filter, list and picks',
            note: 'do',
            // The edits stay: only which records is begun anew.
            run: () => change({ ...partsFrom({ type: here }), allPicked: false }),
          },
        ]),
    { id: 'do theme', label: `Use the ${other} theme`, note: 'do', run: () => setTheme(other) },
  ];
  return [
    ...pages.map(([to, label]): Command => ({ id: to, label, note: 'page', run: go(to) })),
    ...doings,
    ...(types.data ?? [])
      .filter((t) => t.notReadable === null)
      .map((t): Command => ({
        id: `type ${t.id}`,
        label: t.label,
        more: `${t.id} ${t.comment ?? ''}`,
        note: `type, about ${number(t.about)}`,
        run: go(`/records/${encodeURIComponent(t.id)}`),
      })),
    ...(saved.data ?? []).map((s): Command => ({
      id: `selection ${s.name}`,
      label: s.name,
      more: s.note ?? '',
      note: `selection of ${s.type}`,
      run: () => {
        const { type } = s.selection;
        change({ ...everything, type, ...partsFrom(s.selection) });
        void navigate(`/records/${encodeURIComponent(type)}`);
      },
    })),
    ...(runs.data ?? []).map((r): Command => ({
      id: `run ${r.id}`,
      label: r.sentence,
      more: `${r.id} ${r.why ?? ''}`,
      note: `run by ${r.startedBy}`,
      run: go(`/runs/${r.id}`),
    })),
  ];
}
