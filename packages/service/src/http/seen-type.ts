import type { RecordType, Selection } from '@tantamos/core';
import { mustBeAllowed, type Person } from '../accounts/rights';
import type { Services } from '../services';

/** The type of that name, if this person may see it; every request about records goes through here. */
export async function seenType({ catalogs }: Services, person: Person, id: string): Promise<RecordType> {
  const type = (await catalogs.get()).type(id);
  mustBeAllowed(person, { act: 'see type', type });
  return type;
}

/** The type of a selection, if this person may see it and every type it goes through. */
export async function seenSelection(services: Services, person: Person, selection: Selection): Promise<RecordType> {
  if (selection.related) await seenSelection(services, person, selection.related.of);
  return seenType(services, person, selection.type);
}

/** What was done to records of a type that is there no more is read by who did it, and by administrators. */
export async function mayReadJournal(
  services: Services,
  person: Person,
  { type, made_by: maker }: { readonly type: string; readonly made_by: string },
): Promise<void> {
  const isThere = (await services.catalogs.get()).find(type) !== undefined;
  if (isThere || (person.id !== maker && person.role !== 'administrator')) await seenType(services, person, type);
}
