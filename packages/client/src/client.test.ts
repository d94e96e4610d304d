import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { AnswerError, Client } from './client';

describe('the HTTP interface as functions', () => {
  let server: Server;
  let answer: RequestListener = () => {};
  let client: Client;
  beforeAll(async () => {
    server = createServer((req, res) => answer(req, res)).listen(0, '127.0.0.1');
    await new Promise((resolve) => server.once('listening', resolve));
    client = new Client({ base: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, token: 'secret' });
  });
  afterAll(() => {
    server.closeAllConnections();
    server.close();
  });

  const refusal = async (call: Promise<unknown>): Promise<AnswerError> => {
    const error = await call.then(
      () => undefined,
      (e: unknown) => e,
    );
    expect(error).toBeInstanceOf(AnswerError);
    return error as AnswerError;
  };

  it('sends the token, JSON and the idempotency key, and encodes what stands in a path', async () => {
    const seen: unknown[] = [];
    answer = (req, res) => {
      let body = '';
      req.on('data', (d: Buffer) => (body += d.toString()));
      req.on('end', () => {
        seen.push([req.method, req.url, req.headers.authorization, req.headers['idempotency-key'], body]);
        res.setHeader('Content-Type', 'application/json').end('{}');
      });
    };
    await client.record('odd/type', 'key with ?&');
    await client.startRun({ preview: 'p', expect: 3 }, { once: 'once' });
    await client.runRecords('r', { outcome: 'changed', limit: 5 });
    expect(seen).toEqual([
      ['GET', '/api/types/odd%2Ftype/records/key%20with%20%3F%26', 'Bearer secret', undefined, ''],
      ['POST', '/api/runs', 'Bearer secret', 'once', '{"preview":"p","expect":3}'],
      ['GET', '/api/runs/r/records?outcome=changed&limit=5', 'Bearer secret', undefined, ''],
    ]);
  });

  it('turns problem details into an error with their code and problems', async () => {
    answer = (_req, res) =>
      res
        .writeHead(400, { 'Content-Type': 'application/problem+json' })
        .end(
          '{"code":"syntax","detail":"Bad text.","status":400,"problems":[{"code":"syntax","message":"Bad text."}]}',
        );
    const error = await refusal(client.types());
    expect(error).toMatchObject({ code: 'syntax', message: 'Bad text.' });
    expect(error.details.problems).toHaveLength(1);
  });

  it('says so where the answer is no problem details, and where none comes', async () => {
    answer = (_req, res) => res.writeHead(502).end('<html>');
    expect((await refusal(client.types())).message).toBe('The service answered 502 without saying why.');
    expect(await refusal(new Client({ base: 'http://127.0.0.1:1' }).types())).toMatchObject({
      code: 'unavailable',
      message: 'The service at http://127.0.0.1:1 does not answer.',
    });
  });

  it('says so where a stream of events breaks off', async () => {
    answer = (_req, res) =>
      res
        .writeHead(200, { 'Content-Type': 'text/event-stream' })
        .write('event: state\ndata: {"state":"working"}\n\n', () => setTimeout(() => res.destroy(), 20));
    const told: string[] = [];
    const all = async (): Promise<void> => {
      for await (const { state } of client.previewEvents('p')) told.push(state);
    };
    expect(await refusal(all())).toMatchObject({
      code: 'unavailable',
      message: expect.stringContaining('has broken off'),
    });
    expect(told).toEqual(['working']);
  });

  it('reads events as they come, wherever the pieces are cut, even inside a letter', async () => {
    const text = Buffer.from(
      'event: state\ndata: {"sentence":"größer"}\n\n: still here\n\nevent: state\ndata: {"sentence":"done"}\n\n',
    );
    answer = (_req, res) => {
      res.writeHead(200, { 'Content-Type': 'text/event-stream' });
      let at = 0;
      const next = (): void => {
        if (at >= text.length) return void res.end();
        res.write(text.subarray(at, (at += 3)));
        setImmediate(next);
      };
      next();
    };
    const states: string[] = [];
    for await (const run of client.runEvents('r')) states.push(run.sentence);
    expect(states).toEqual(['größer', 'done']);
  });

  it('streams an export as text', async () => {
    answer = (_req, res) => res.end('key,name\r\n1,Bärbel\r\n');
    let text = '';
    const file = await client.files.runRecords('r', { format: 'csv' });
    for await (const piece of file.pieces()) text += piece;
    expect(text).toBe('key,name\r\n1,Bärbel\r\n');
  });

  it('stops when the person has moved on', async () => {
    answer = () => {};
    const away = new AbortController();
    const call = client.search('bookings', {}, { signal: away.signal });
    away.abort();
    await expect(call).rejects.toThrow(/abort/i);
  });
});
