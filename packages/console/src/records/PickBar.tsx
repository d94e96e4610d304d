import type { FoundRecord } from '@tantamos/contract';
import { Button, LinkButton } from '../components/Button';
import { counted, number } from '../components/format';
import type { Draft } from '../job/draft';

interface Props {
  draft: Draft;
  /** How many match before picking; undefined while it is counted. */
  matching: number | undefined;
  loaded: readonly FoundRecord[];
  onChange: (next: Partial<Draft>) => void;
  /** Opens a form for several fields of them; null where nothing can be changed. */
  onFields: (() => void) | null;
}

/** What is picked by hand, and what can be done with it. */
export function PickBar({ draft, matching, loaded, onChange, onFields }: Props) {
  const { picked, allPicked, dropped } = draft;
  if (picked.length === 0 && !allPicked && dropped.length === 0) return null;
  const seen = new Set(loaded.map((r) => r.key));
  const unseen = picked.filter((k) => !seen.has(k)).length;
  const none = { picked: [], allPicked: false, dropped: [] };
  const words =
    picked.length > 0
      ? `${counted(picked.length, 'record')} picked${unseen > 0 ? ` (${number(unseen)} not in sight)` : ''}`
      : `${matching === undefined ? 'All' : `All ${number(matching)}`} that match${dropped.length > 0 ? `, ${number(dropped.length)} dropped` : ' are picked'}`;
  return (
    <div
      role="status"
      className="absolute bottom-3 left-1/2 flex -translate-x-1/2 items-center gap-3 rounded border border-line-strong bg-sheet px-3 py-1.5 whitespace-nowrap shadow-lg"
    >
      <span>{words}</span>
      {onFields && <Button onClick={onFields}>Edit fields…</Button>}
      <Button onClick={() => onChange({ panel: true })}>Change…</Button>
      {picked.length > 0 && (
        <>
          <LinkButton
            onClick={() => onChange({ picked: [], allPicked: true, dropped: [...new Set([...dropped, ...picked])] })}
          >
            Drop {picked.length === 1 ? 'it' : 'them'}
          </LinkButton>
          {matching !== undefined && matching > picked.length && (
            <LinkButton onClick={() => onChange({ picked: [], allPicked: true, dropped: [] })}>
              Pick all {number(matching)} that match
            </LinkButton>
          )}
        </>
      )}
      <LinkButton onClick={() => onChange(none)}>Clear</LinkButton>
    </div>
  );
}
