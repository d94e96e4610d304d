import type { ruleRoutes } from '@tantamos/contract';
import { gone } from '../http/gone';
import type { Handlers } from '../http/handler';

export const ruleHandlers: Handlers<typeof ruleRoutes> = {
  async rules({ services, seen, query }) {
    return services.rules.list(seen, query.type);
  },

  async rule({ services, seen, params }) {
    return services.rules.get(seen, params.name!);
  },

  async ruleVersions({ services, seen, params }) {
    return services.rules.versions(seen, params.name!);
  },

  async saveRule({ services, seen, body }) {
    return services.rules.save(seen, body);
  },

  async switchRule({ services, seen, params, body }) {
    return services.rules.switch(seen, params.name!, body.isOn, body.version ?? null);
  },

  async countRule({ services, seen, params, res }) {
    return services.rules.count(seen, params.name!, gone(res));
  },

  async dropRule({ services, seen, params }) {
    await services.rules.drop(seen, params.name!);
  },
};
