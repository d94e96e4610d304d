import type { handoverRoutes } from '@tantamos/contract';
import { Gathered, handoverJob } from '@tantamos/core';
import { answerNames } from '../catalog/names';
import { gone } from '../http/gone';
import type { Handlers } from '../http/handler';
import { settledView } from '../previews/http';
import { countsOf, giverOf, handoverOf, saidAs } from './handovers';

export const handoverHandlers: Handlers<typeof handoverRoutes> = {
  async handover({ services, seen, params, res }) {
    const { database, compiler } = services;
    const { catalog, context } = await compiler.context(seen, []);
    const giver = await giverOf(database, catalog, params.type!, params.person!);
    return handoverOf(database, seen, context, giver, gone(res));
  },

  async makeHandover(call) {
    const { services, seen, params, body, madeAs } = call;
    const { database, compiler } = services;
    const { catalog, context } = await compiler.context(seen, []);
    const giver = await giverOf(database, catalog, params.type!, params.person!);
    const { lines, among, level, safety, why } = body;
    // Said once, not for each of the parts that they stand in.
    const receivers = among.map(({ to }, i) => ({ typeId: giver.type.id, text: to, where: `among[${i}].to` }));
    const answers = await answerNames(database, catalog, receivers);
    const unclear = new Gathered();
    for (const question of receivers) unclear.gather(() => answers.key(question, catalog));
    unclear.raise();
    const job = handoverJob(
      { type: giver.type.id, person: await saidAs(database, catalog, giver) },
      { lines, among, level },
      catalog,
    );
    const before = await countsOf(database, catalog, context, giver, gone(call.res));
    const id = await services.previews.begin(
      { ...job, ...(safety ? { safety } : {}), ...(why === undefined ? {} : { why }) },
      seen,
      madeAs,
      async (connection, preview) => {
        await connection.query(
          'insert into tantamos.handover (person_type, person_key, preview, before, lines, made_by) values ($1, $2, $3, $4, $5, $6)',
          [giver.type.id, giver.key, preview, JSON.stringify(before), JSON.stringify(lines), seen.person.id],
        );
      },
    );
    return settledView(call, id);
  },
};
