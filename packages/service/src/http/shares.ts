import { fail } from '@tantamos/core';
import type { Route } from '@tantamos/contract';
import type { RequestHandler, Response } from 'express';
import { PlacesEach } from '../places';
import { heavyBody } from './heavy-requests';
import { personOf } from './security';

/** What one person may have under way at once; so many more wait, in their order, for so long, in ms. */
interface Share {
  readonly most: number;
  readonly waiting: number;
  readonly wait: number;
  readonly words: string;
}

/** So that no person, nor what runs in a person's name, takes all there is from the others. */
const searches: Share = { most: 3, waiting: 50, wait: 15_000, words: 'searches' };
const files: Share = { most: 2, waiting: 4, wait: 5_000, words: 'downloads' };
const events: Share = { most: 30, waiting: 0, wait: 0, words: 'watchers of previews and runs' };
/** What comes with a body of more bytes than this: to read it, and what it says, is work by itself. */
const large: Share = { most: 1, waiting: 20, wait: 30_000, words: 'large request' };

/** After so many seconds it may be tried again. */
const tryAgainAfter = 5;

/** What lets a person's requests on when they are within the person's share; `busy` when they would have to wait for too long. */
export function fairShares(): (route: Route) => RequestHandler[] {
  const [search, file, event, heavy] = [searches, files, events, large].map(admitting) as [Admit, Admit, Admit, Admit];
  const ofLarge: RequestHandler = async (req, res, next) => {
    // A body whose length is not said may be any.
    const length = Number(req.headers['content-length'] ?? (req.headers['transfer-encoding'] ? Infinity : 0));
    if (length > heavyBody) await heavy(res);
    next();
  };
  const of =
    (admit: Admit): RequestHandler =>
    async (_req, res, next) => {
      await admit(res);
      next();
    };
  return (route) => [
    ...(route.events ? [of(event)] : route.takes || (route.answer === null && route.files) ? [of(file)] : []),
    ...(route.searches ? [of(search)] : []),
    ...(route.body ? [ofLarge] : []),
  ];
}

type Admit = (res: Response) => Promise<void>;

function admitting(share: Share): Admit {
  const all = new PlacesEach(share.most);
  return async (res) => {
    const who = personOf(res).id;
    const mine = all.of(who);
    if (mine.isFull && mine.waiting >= share.waiting) refuse(share);
    const gone = new Promise<void>((resolve) => res.once('close', resolve));
    let timer: NodeJS.Timeout | undefined;
    const late = new Promise<void>((resolve) => (timer = setTimeout(resolve, share.wait)));
    const isIn = await mine.enter(Promise.race([gone, late]));
    clearTimeout(timer);
    if (!isIn) {
      all.tidy(who);
      refuse(share);
    }
    void gone.then(() => {
      mine.leave();
      all.tidy(who);
    });
  };
}

function refuse({ most, words }: Share): never {
  fail('busy', `You have ${most} ${words} under way, and more waiting; wait until some of them are done.`, {
    retryAfter: tryAgainAfter,
  });
}
