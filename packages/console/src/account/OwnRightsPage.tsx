import { MayPage } from '../settings/MayPage';

/** What I may do, as far as I see what there is. */
export function OwnRightsPage() {
  return (
    <main className="h-full overflow-auto p-4">
      <MayPage />
    </main>
  );
}
