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
