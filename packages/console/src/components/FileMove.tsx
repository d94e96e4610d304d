import { AnswerError } from '@tantamos/client';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Button } from './Button';
import { Problems } from './Problems';

interface Props<F> {
  /** Where the file of all of them is had. */
  href: string;
  /** Takes all of a file, or nothing; the names of what was taken. */
  onTake: (file: F, taken: 'refuse' | 'skip' | 'replace') => Promise<readonly string[]>;
}

/** What is saved under names goes out as a file and comes in again; names that are taken are asked about. */
export function FileMove<F>({ href, onTake }: Props<F>) {
  const [file, setFile] = useState<F | null>(null);
  const take = useMutation({
    mutationFn: async (taken: 'refuse' | 'skip' | 'replace') => {
      if (file === null) throw new Error('This file is not JSON.');
      return onTake(file, taken);
    },
  });
  const read = async (chosen: File | undefined): Promise<void> => {
    take.reset();
    setFile(
      chosen
        ? await chosen
            .text()
            .then((t) => JSON.parse(t) as F)
            .catch(() => null)
        : null,
    );
  };
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
      {file && (
        <p className="flex gap-2">
          <Button busy={take.isPending} onClick={() => take.mutate('refuse')}>
            Take these
          </Button>
          {clash && <Button onClick={() => take.mutate('skip')}>Without the taken names</Button>}
          {clash && <Button onClick={() => take.mutate('replace')}>As new versions</Button>}
        </p>
      )}
      {take.data && (
        <p role="status">{take.data.length === 0 ? 'Nothing was taken.' : `Taken: ${take.data.join(', ')}.`}</p>
      )}
      <Problems error={take.error} />
    </div>
  );
}
