import { createServer, request, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

describe('watching a service that breaks off', () => {
  let w: Workspace;
  let front: Server;
  let cli: Cli;
  let cuts = 0;
  beforeAll(async () => {
    w = await openWorkspace();
    // It stands before the service and cuts the first two that listen.
    front = createServer((req, res) => {
      const { hostname, port } = new URL(w.base);
      const on = request({ hostname, port, path: req.url, method: req.method, headers: req.headers }, (answer) => {
        res.writeHead(answer.statusCode!, answer.headers);
        if (!req.url!.endsWith('/events') || ++cuts > 2) return void answer.pipe(res);
        answer.once('data', (chunk) => res.write(chunk, () => res.destroy()));
      });
      res.once('close', () => on.destroy());
      req.pipe(on);
    }).listen(0, '127.0.0.1');
    await new Promise((resolve) => front.once('listening', resolve));
    cli = await openCli(`http://127.0.0.1:${(front.address() as AddressInfo).port}`);
  });
  afterAll(async () => {
    cli.remove();
    front.closeAllConnections();
    front.close();
    await w.close();
  });

  it('asks again, and tells the end of the run', async () => {
    await cli([
      'preview',
      'bookings',
      '--filter',
      'id <= 300',
      '--set',
      'note=watched',
      '--batch-size',
      '50',
      '--per-second',
      '100',
    ]);
    const ran = await cli(['run', 'last', '--expect', '300', '--no-ask']);
    expect(cuts).toBeGreaterThan(2);
    expect(ran).toMatchObject({ code: 0, err: expect.stringContaining('it is asked again') });
    expect(ran.out).toContain('300 changed');
  });
});
