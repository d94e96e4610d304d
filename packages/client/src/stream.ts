import { createParser } from 'eventsource-parser';

/** Server-sent `state` events, until the service says no more will come. */
export async function* events(response: Response): AsyncGenerator<unknown> {
  const states: unknown[] = [];
  const parser = createParser({
    onEvent: (event) => event.event === 'state' && states.push(JSON.parse(event.data) as unknown),
  });
  for await (const text of readText(response)) {
    parser.feed(text);
    yield* states.splice(0);
  }
}

export async function* readText(response: Response): AsyncGenerator<string> {
  const reader = response.body!.getReader();
  const decoder = new TextDecoder();
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      yield decoder.decode(value, { stream: true });
    }
    const rest = decoder.decode();
    if (rest) yield rest;
  } finally {
    await reader.cancel().catch(() => {});
  }
}
