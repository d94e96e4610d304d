import { Bookmark, Columns3, GitBranch, ListFilter, type LucideIcon } from 'lucide-react';
import { lazy, Suspense, type ComponentType, type ReactNode } from 'react';
import { Menu } from '../components/Menu';
import { Working } from '../components/states';
import type { ColumnsProps } from './ColumnsChoice';
import type { RelatedProps } from './RelatedChoices';
import type { SavedProps } from './SavedPanel';
import type { TakeProps } from './TakeForm';

// The menus of the bar: their buttons are there at once, what is in them is read when one is opened.

function read<P extends object, N extends string>(
  from: () => Promise<{ readonly [K in N]: ComponentType<P> }>,
  name: N,
) {
  return lazy(async () => ({ default: (await from())[name] }));
}
const ColumnsChoice = read<ColumnsProps, 'ColumnsChoice'>(() => import('./ColumnsChoice'), 'ColumnsChoice');
const RelatedChoices = read<RelatedProps, 'RelatedChoices'>(() => import('./RelatedChoices'), 'RelatedChoices');
const SavedPanel = read<SavedProps, 'SavedPanel'>(() => import('./SavedPanel'), 'SavedPanel');
const TakeForm = read<TakeProps, 'TakeForm'>(() => import('./TakeForm'), 'TakeForm');

function BarMenu({
  label,
  icon: Icon,
  width,
  children,
}: {
  label: string;
  icon: LucideIcon;
  width?: string;
  children: (close: () => void) => ReactNode;
}) {
  return (
    <Menu label={label} icon={<Icon className="size-4 text-quiet" aria-hidden="true" />} width={width}>
      {(close) => <Suspense fallback={<Working what="Opening" />}>{children(close)}</Suspense>}
    </Menu>
  );
}

export function ColumnsMenu(props: ColumnsProps) {
  return (
    <BarMenu label="Columns" icon={Columns3}>
      {() => <ColumnsChoice {...props} />}
    </BarMenu>
  );
}

export function RelatedMenu({ onGo, ...props }: RelatedProps) {
  return (
    <BarMenu label="Related" icon={GitBranch} width="w-88">
      {(close) => <RelatedChoices {...props} onGo={(type, related) => (onGo(type, related), close())} />}
    </BarMenu>
  );
}

export function TakeMenu({ onTake, ...props }: TakeProps) {
  return (
    <BarMenu label="First…" icon={ListFilter}>
      {(close) => <TakeForm {...props} onTake={(take) => (onTake(take), close())} />}
    </BarMenu>
  );
}

export function SavedMenu({ onOpen, onOnlyIn, ...props }: SavedProps) {
  return (
    <BarMenu label="Saved" icon={Bookmark} width="w-110">
      {(close) => (
        <SavedPanel
          {...props}
          onOpen={(saved) => (onOpen(saved), close())}
          onOnlyIn={(name) => (onOnlyIn(name), close())}
        />
      )}
    </BarMenu>
  );
}
