import type { typeRoutes } from '@tantamos/contract';
import { fail } from '@tantamos/core';
import type { Call, Handlers } from '../http/handler';
import { typeSummary, typeView, unreadableSummary } from './view';

export const typeHandlers: Handlers<typeof typeRoutes> = {
  async types({ seen }) {
    return [...seen.catalog.types.map(typeSummary), ...seen.catalog.unreadable.map(unreadableSummary)];
  },

  async type({ seen, params }) {
    return typeView(seen.catalog, seen.catalog.type(params.type!));
  },

  async typeSettings(call) {
    return settingsOf(call);
  },

  async setType(call) {
    const { services, seen, params, body } = call;
    seen.must('administer');
    if (Object.keys(body).length === 0) fail('bad_request', 'Say which setting to change.');
    await services.catalogs.setType(params.type!, body, seen.person.id);
    return settingsOf(call);
  },

  async setField(call) {
    const { services, seen, params, body } = call;
    seen.must('administer');
    if (Object.keys(body).length === 0) fail('bad_request', 'Say which setting to change.');
    await services.catalogs.setField(params.type!, params.field!, body, seen.person.id);
    return settingsOf(call);
  },
};

/** Where fields are hidden they are seen: by who may hide them. */
async function settingsOf({ services, seen, params }: Call) {
  seen.must('administer');
  const catalog = await services.catalogs.get();
  return typeView(catalog, catalog.type(params.type!), true);
}
