import type { TypeView } from '@tantamos/contract';
import { useQueries } from '@tanstack/react-query';
import { Columns3 } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { api } from '../app/api';
import { textInput } from '../components/inputs';

interface Props {
  type: TypeView;
  columns: readonly string[];
  onChange: (columns: readonly string[]) => void;
}

/** Which fields are shown, those of related records among them. */
export function ColumnsMenu({ type, columns, onChange }: Props) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  const references = type.fields.filter((f) => f.refersTo !== null && !f.hidden);
  const related = useQueries({
    queries: references.map((f) => ({
      queryKey: ['type', f.refersTo],
      queryFn: () => api.type(f.refersTo!),
      enabled: open,
    })),
  });
  const own = type.fields.filter((f) => !f.hidden).map((f) => ({ name: f.name, label: f.label }));
  const through = references.flatMap((f, i) =>
    (related[i]?.data?.fields ?? [])
      .filter((t) => !t.hidden && t.kind !== 'key')
      .map((t) => ({ name: `${f.name}.${t.name}`, label: `${f.label} › ${t.label}` })),
  );
  const found = [...own, ...through].filter((o) => `${o.label} ${o.name}`.toLowerCase().includes(text.toLowerCase()));
  const toggle = (name: string): void =>
    onChange(columns.includes(name) ? columns.filter((c) => c !== name) : [...columns, name]);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="inline-flex h-8 items-center gap-1.5 rounded border border-line-strong bg-sheet px-2.5 hover:bg-sunken">
        <Columns3 className="size-4 text-quiet" aria-hidden="true" /> Columns
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          className="z-40 w-72 rounded border border-line-strong bg-sheet p-1.5 shadow-lg"
        >
          <input
            aria-label="Search columns"
            className={textInput}
            placeholder="Type to search"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <ul className="mt-1.5 max-h-80 overflow-auto">
            {found.map((o) => (
              <li key={o.name}>
                <label className="flex items-center gap-2 rounded px-2 py-1 hover:bg-accent-soft">
                  <input
                    type="checkbox"
                    className="accent-accent"
                    checked={columns.includes(o.name)}
                    onChange={() => toggle(o.name)}
                  />
                  {o.label}
                </label>
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
