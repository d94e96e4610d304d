import type { Routes } from '@tantamos/contract';
import { accountHandlers } from '../accounts/http';
import { countHandlers } from '../counts/http';
import { draftHandlers } from '../drafts/http';
import { exploringHandlers } from '../exploring/http';
import { exportHandlers } from '../export/http';
import { fileHandlers } from '../files/http';
import { handoverHandlers } from '../handovers/http';
import { jobHandlers } from '../jobs/http';
import { listHandlers } from '../lists/http';
import { presetHandlers } from '../presets/http';
import { previewHandlers } from '../previews/http';
import { recordHandlers } from '../records/http';
import { rightHandlers } from '../rights/http';
import { ruleHandlers } from '../rules/http';
import { changeHandlers } from '../changes/http';
import { runHandlers } from '../runs/http';
import { savedJobHandlers } from '../saved-jobs/http';
import { selectionHandlers } from '../selections/http';
import { typeHandlers } from '../types/http';
import { workspaceHandlers } from '../workspace/http';
import type { Handlers } from './handler';

/** What answers each route: one line a noun. A route without an answer does not compile. */
export const handlers: Handlers<Routes> = {
  ...workspaceHandlers,
  ...accountHandlers,
  ...rightHandlers,
  ...typeHandlers,
  ...ruleHandlers,
  ...recordHandlers,
  ...exploringHandlers,
  ...exportHandlers,
  ...listHandlers,
  ...selectionHandlers,
  ...countHandlers,
  ...jobHandlers,
  ...savedJobHandlers,
  ...draftHandlers,
  ...previewHandlers,
  ...runHandlers,
  ...changeHandlers,
  ...handoverHandlers,
  ...presetHandlers,
  ...fileHandlers,
};
