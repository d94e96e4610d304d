import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { Working } from '../components/states';
import { usePerson } from '../app/session';
import { queries } from '../queries';

/** What a new person may try first, on this workspace's own types: nothing of it changes anything. */
export function FirstSteps() {
  const { may } = usePerson();
  const types = useQuery(queries.types());
  const largest = [...(types.data ?? [])]
    .filter((t) => t.notReadable === null && !t.hidden)
    .sort((a, b) => b.about - a.about)[0];
  const owned = (types.data ?? []).find((t) => t.ownerFields.length > 0 && t.notReadable === null);
  if (types.isPending) return <Working what="Reading the types" />;
  const steps = [
    largest && {
      to: `/records/${encodeURIComponent(largest.id)}`,
      title: `Look at ${largest.label.toLowerCase()}`,
      words: 'Narrow them by a condition, or by a value of a cell (keys = and !). Counts stand beside each step.',
    },
    owned && {
      to: `/records/${encodeURIComponent(owned.id)}`,
      title: `Work out a change of ${owned.label.toLowerCase()}, and see it before it happens`,
      words: 'Unfold Change…, choose a field and what to do: old → new stands in the grid. A preview changes nothing.',
    },
    {
      to: '/rules',
      title: may.includes('administer') ? 'Say what must hold' : 'See what must hold',
      words: 'Rules show how many records break them today, and mend them.',
    },
  ].filter((s) => s !== undefined);
  return (
    <section className="mb-5 max-w-3xl space-y-2">
      <h2 className="font-medium">To begin with</h2>
      <ol className="divide-y divide-line border border-line bg-sheet">
        {steps.map((s, i) => (
          <li key={s.title} className="flex gap-3 px-3 py-2.5 hover:bg-paper">
            <span className="text-quiet">{i + 1}</span>
            <div>
              <Link to={s.to} className="font-medium hover:text-accent hover:underline">
                {s.title}
              </Link>
              <p className="text-quiet">{s.words}</p>
            </div>
          </li>
        ))}
      </ol>
    </section>
  );
}
