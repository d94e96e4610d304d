import { accountRoutes } from './accounts';
import { countRoutes } from './counts';
import { draftRoutes } from './drafts';
import { exploringRoutes } from './exploring';
import { exportRoutes } from './export';
import { fileRoutes } from './files';
import { handoverRoutes } from './handovers';
import { jobRoutes } from './jobs';
import { listRoutes } from './lists';
import { presetRoutes } from './presets';
import { previewRoutes } from './previews';
import { recordRoutes } from './records';
import { rightRoutes } from './rights';
import { ruleRoutes } from './rules';
import { changeRoutes } from './changes';
import { runRoutes } from './runs';
import { savedJobRoutes } from './saved-jobs';
import { selectionRoutes } from './selections';
import { typeRoutes } from './types';
import { workspaceRoutes } from './workspace';

/** Every call there is, by its name; each noun has its own list. */
export const routes = {
  ...workspaceRoutes,
  ...accountRoutes,
  ...rightRoutes,
  ...typeRoutes,
  ...ruleRoutes,
  ...recordRoutes,
  ...exploringRoutes,
  ...exportRoutes,
  ...listRoutes,
  ...selectionRoutes,
  ...countRoutes,
  ...jobRoutes,
  ...savedJobRoutes,
  ...draftRoutes,
  ...previewRoutes,
  ...runRoutes,
  ...changeRoutes,
  ...handoverRoutes,
  ...presetRoutes,
  ...fileRoutes,
} as const;
export type Routes = typeof routes;
export type RouteName = keyof Routes;
