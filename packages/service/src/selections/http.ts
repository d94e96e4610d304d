import type { selectionRoutes } from '@tantamos/contract';
import { countRecords } from '@tantamos/core';
import { longestSearch } from '../database/patience';
import { asProblem } from '../database/problems';
import { gone } from '../http/gone';
import { sent, type Handlers } from '../http/handler';
import { fileOf, takeFile } from './file';
import { placed, plainSelection } from './plain';

export const selectionHandlers: Handlers<typeof selectionRoutes> = {
  async selections({ services, seen }) {
    return services.saved.list(seen);
  },

  async selection({ services, seen, params }) {
    return services.saved.get(seen, params.name!);
  },

  async selectionVersions({ services, seen, params }) {
    return services.saved.versions(seen, params.name!);
  },

  async saveSelection({ services, seen, body }) {
    const said = plainSelection(body.selection.type, body.selection);
    const { name, note = null, open = false, version = null, anyway = false } = body;
    return placed(body.selection, said, () => services.saved.save(seen, { name, said, note, open, version, anyway }));
  },

  async countSelection({ services, seen, params, res }) {
    const saved = await services.saved.get(seen, params.name!);
    const { selection } = await services.compiler.selection(seen, saved.selection);
    const [counted] = await services.database
      .askWithin<{ count: number }>(countRecords(selection), longestSearch, gone(res))
      .catch(asProblem);
    const count = counted?.count ?? 0;
    // What a person sees only a part of is not kept as the count of all.
    if (seen.isWhole) await services.saved.counted(saved.id, count);
    else return { ...saved, lastCount: count, countedAt: new Date().toISOString() };
    return services.saved.get(seen, saved.name);
  },

  async dropSelection({ services, seen, params }) {
    await services.saved.drop(seen, params.name!);
  },

  async selectionsFile({ services, seen, res }) {
    res.setHeader('Content-Disposition', 'attachment; filename="selections.json"');
    res.type('application/json').send(fileOf(await services.saved.list(seen)));
    return sent;
  },

  async importSelections({ services, seen, body }) {
    return takeFile(services.saved, seen, body);
  },
};
