import { firstDraft } from '../job/DraftKeeper';
import { queries } from '../queries';
import { queryClient } from './api';

/**
 * What the first page asks for anyhow, one after another as it comes to need it, is asked for at once, before anything is
 * drawn. Who is not signed in is told so by each of them, and asks again once signed in.
 */
export function askAhead(): void {
  void queryClient.prefetchQuery(queries.me());
  void queryClient.prefetchQuery(firstDraft());
  void queryClient.prefetchQuery(queries.types());
  const type = /^\/records\/([^/%]+)$/.exec(location.pathname)?.[1];
  if (type) void queryClient.prefetchQuery(queries.type(type));
}
