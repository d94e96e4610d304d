import type { SavedSelectionView, SelectionBody, TypeSummary, TypeView } from '@tantamos/contract';
import type { Expression } from '@tantamos/core';
import { ClipboardList, Ellipsis, FileSpreadsheet, Plus } from 'lucide-react';
import { useNavigate } from 'react-router';
import { usePerson } from '../app/session';
import { Button } from '../components/Button';
import { Menu } from '../components/Menu';
import { useWide } from '../components/useWide';
import { partsFrom, pickedPartsOf, type Draft, type View } from '../job/draft';
import { usualColumns } from './columns';
import { inSelection } from './conditions';
import { ExportMenu } from './ExportMenu';
import type { FieldChoice } from './fields';
import { ColumnsMenu, RelatedMenu, SavedMenu, TakeMenu } from './menus';
import { TypePicker } from './TypePicker';

interface Props {
  type: TypeView;
  types: readonly TypeSummary[];
  fields: readonly FieldChoice[];
  draft: Draft;
  view: View;
  /** In the grid: those chosen, and what is being changed. */
  columns: readonly string[];
  chosen: readonly string[];
  onChange: (next: Partial<Draft>) => void;
  onView: (next: Partial<View>) => void;
  onPaste: () => void;
  onFile: () => void;
  onNew: () => void;
  onNarrow: (condition: Expression) => void;
  /** To another type, or another selection of this one. */
  onGo: (type: string, start: Partial<Draft>) => void;
}

/** The first band: type, pasted lists, saved selections, relatives, a part of them, columns, files; in a menu where it is narrow. */
export function Bar(props: Props) {
  const {
    type,
    types,
    fields,
    draft,
    view,
    columns,
    chosen,
    onChange,
    onView,
    onPaste,
    onFile,
    onNew,
    onNarrow,
    onGo,
  } = props;
  const navigate = useNavigate();
  const { may } = usePerson();
  const isWide = useWide();
  const selection: SelectionBody = { type: type.id, ...pickedPartsOf(draft) };
  const openSaved = ({ selection: saved }: SavedSelectionView): void => onGo(saved.type, partsFrom(saved));
  const tools = (
    <>
      {type.key.length > 0 && (
        <>
          <Button onClick={onPaste}>
            <ClipboardList className="size-4 text-quiet" aria-hidden="true" /> Paste a list
          </Button>
          {type.notChangeable === null && (
            <Button onClick={onFile}>
              <FileSpreadsheet className="size-4 text-quiet" aria-hidden="true" /> Values from a file
            </Button>
          )}
          {type.notChangeable === null && may.includes('create') && (
            <Button onClick={onNew}>
              <Plus className="size-4 text-quiet" aria-hidden="true" /> New
            </Button>
          )}
          <SavedMenu selection={selection} onOpen={openSaved} onOnlyIn={(name) => onNarrow(inSelection(name))} />
          <RelatedMenu
            type={type}
            types={types}
            onGo={(to, related) => onGo(to, { related: { of: selection, ...related } })}
          />
          <TakeMenu take={draft.take} fields={fields} onTake={(take) => onChange({ take })} />
        </>
      )}
      <ColumnsMenu
        fields={fields}
        unreadable={type.unreadable}
        columns={chosen}
        onChange={(next) => onView({ columns: next.length > 0 ? next : usualColumns(type) })}
        onReset={() => onView({ columns: undefined, widths: undefined, sort: undefined })}
      />
      <ExportMenu
        type={type.id}
        parts={pickedPartsOf(draft)}
        columns={columns}
        sort={view.sort ?? []}
        printPage={`/records/${encodeURIComponent(type.id)}/print`}
      />
    </>
  );
  return (
    <div className="flex flex-wrap items-center gap-2">
      <h1 className="sr-only">{type.label}</h1>
      <TypePicker type={type} types={types} onPick={(id) => void navigate(`/records/${encodeURIComponent(id)}`)} />
      <span className="hidden min-w-0 flex-1 truncate text-quiet xl:inline">{type.comment}</span>
      <span className="flex-1 xl:hidden" />
      {isWide ? (
        tools
      ) : (
        <Menu label="More" width="w-56" icon={<Ellipsis className="size-4 text-quiet" aria-hidden="true" />}>
          {() => <div className="flex flex-col items-stretch gap-2">{tools}</div>}
        </Menu>
      )}
    </div>
  );
}
