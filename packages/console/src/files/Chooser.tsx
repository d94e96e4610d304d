import { FileSpreadsheet } from 'lucide-react';
import { useRef, type DragEvent } from 'react';
import { Button } from '../components/Button';

interface Props {
  file: File | null;
  busy: boolean;
  onFile: (file: File) => void;
  /** Is it what one comes for? */
  isFirst?: boolean;
}

/** Chooses a file of values, or takes one that is dropped on it. */
export function Chooser({ file, busy, onFile, isFirst = false }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const drop = (event: DragEvent): void => {
    event.preventDefault();
    const dropped = event.dataTransfer.files[0];
    if (dropped) onFile(dropped);
  };
  return (
    <div className="flex items-center gap-3" onDragOver={(e) => e.preventDefault()} onDrop={drop}>
      <input
        ref={input}
        type="file"
        aria-label="File of values"
        className="sr-only"
        tabIndex={-1}
        accept=".csv,.tsv,.txt,.xlsx,.jsonl,.ndjson"
        onChange={(e) => {
          const picked = e.target.files?.[0];
          if (picked) onFile(picked);
          // The same file may be chosen again, after it was mended.
          e.target.value = '';
        }}
      />
      <Button autoFocus={isFirst} busy={busy} onClick={() => input.current?.click()}>
        <FileSpreadsheet className="size-4 text-quiet" aria-hidden="true" /> {file ? 'Another file' : 'Choose a file'}
      </Button>
      {file && <b className="min-w-0 truncate font-medium">{file.name}</b>}
    </div>
  );
}
