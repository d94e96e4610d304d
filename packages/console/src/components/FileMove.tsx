import { AnswerError } from '@tantamos/client';
import type { Problem } from '@tantamos/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Button } from './Button';
import { textInput } from './inputs';
import { Problems, problemsOf } from './Problems';

type Taken = 'refuse' | 'skip' | 'replace';
type Meant = Readonly<Record<string, string>>;

interface Props<F> {
  /** Where the file of all of them is had. */
  href: string;
  /** Takes all of a file, or nothing; the names of what was taken. `meant`: who is meant by names that were asked about. */
  onTake: (file: F, taken: Taken, meant: Meant) => Promise<readonly string[]>;
}

/** What is saved under names goes out as a file and comes in again; names that are taken, and who is meant, are asked. */
export function FileMove<F>({ href, onTake }: Props<F>) {
  const [file, setFile] = useState<F | null>(null);
  const [meant, setMeant] = useState<Meant>({});
  const [taken, setTaken] = useState<Taken>('refuse');
  const take = useMutation({
    mutationFn: async (how: Taken) => {
      if (file === null) throw new Error('This file is not JSON.');
      setTaken(how);
      return onTake(file, how, Object.fromEntries(Object.entries(meant).filter(([, m]) => m.trim() !== '')));
    },
    // Whoever is asked about keeps their box until the file is taken.
    onError: (error) =>
      setMeant((known) => ({
        ...Object.fromEntries(problemsOf(error).flatMap((p) => (nameAsked(p) === null ? [] : [[nameAsked(p)!, '']]))),
        ...known,
      })),
    onSuccess: () => setMeant({}),
  });
  const read = async (chosen: File | undefined): Promise<void> => {
    take.reset();
    setMeant({});
    setFile(
      chosen
        ? await chosen
            .text()
            .then((t) => JSON.parse(t) as F)
            .catch(() => null)
        : null,
    );
  };
  const asked = Object.keys(meant).length > 0;
  const clash = take.error instanceof AnswerError && take.error.code === 'name_taken';
  return (
    <div className="space-y-2 border-t border-line pt-3">
      <p className="flex items-center justify-between gap-3">
        <a href={href} download className="text-accent-strong underline underline-offset-2">
          All to a file
        </a>
        <label className="flex items-center gap-2">
          From a file
          <input
            type="file"
            accept="application/json"
            className="w-40 text-xs"
            onChange={(e) => void read(e.target.files?.[0])}
          />
        </label>
      </p>
      {asked && (
        <form
          className="space-y-2"
          onSubmit={(e) => {
            e.preventDefault();
            take.mutate(taken);
          }}
        >
          {Object.entries(meant).map(([name, who], i) => (
            <label key={name} className="grid grid-cols-[12rem_1fr] items-center gap-3">
              <span className="min-w-0 truncate" title={name}>
                {name} is here
              </span>
              <input
                className={`${textInput} min-w-0`}
                value={who}
                autoFocus={i === 0}
                placeholder="name or key"
                onChange={(e) => setMeant({ ...meant, [name]: e.target.value })}
              />
            </label>
          ))}
          <Button type="submit" busy={take.isPending}>
            Take them so
          </Button>
        </form>
      )}
      {file && (
        <p className="flex gap-2">
          {!asked && (
            <Button busy={take.isPending} onClick={() => take.mutate('refuse')}>
              Take these
            </Button>
          )}
          {clash && <Button onClick={() => take.mutate('skip')}>Without the taken names</Button>}
          {clash && <Button onClick={() => take.mutate('replace')}>As new versions</Button>}
        </p>
      )}
      {take.data && (
        <p role="status">{take.data.length === 0 ? 'Nothing was taken.' : `Taken: ${take.data.join(', ')}.`}</p>
      )}
      <Problems
        error={take.error}
        onTake={(problem, who) => {
          const name = nameAsked(problem);
          if (name !== null) setMeant({ ...meant, [name]: who });
        }}
      />
    </div>
  );
}

/** The name in a file that a problem asks about. */
function nameAsked({ where }: Problem): string | null {
  return where?.startsWith('names.') ? where.slice('names.'.length) : null;
}
