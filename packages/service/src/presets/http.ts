import type { presetRoutes } from '@tantamos/contract';
import type { Handlers } from '../http/handler';
import { dropPreset, keepPreset, presetsSeen } from './presets';

export const presetHandlers: Handlers<typeof presetRoutes> = {
  async presets({ services, seen }) {
    return presetsSeen(services.database, seen);
  },

  async keepPreset({ services, seen, body }) {
    return keepPreset(services.database, seen, body);
  },

  async dropPreset({ services, seen, params }) {
    await dropPreset(services.database, seen, params.id!);
  },
};
