/** Speaks HTTP for one person: by token, or from a browser with its cookies. */
export class Asker {
  private readonly cookies = new Map<string, string>();
  private token: string | undefined;
  constructor(readonly base: string) {}

  /** Signs in from this browser. */
  async enter(login: string, password: string): Promise<void> {
    const answer = await fetch(`${this.base}/api/sessions`, {
      method: 'POST',
      headers: this.headers(),
      body: JSON.stringify({ login, password }),
    });
    for (const cookie of answer.headers.getSetCookie()) {
      const [name, value] = cookie.split(';')[0]!.split('=') as [string, string];
      this.cookies.set(name, value);
    }
    if (!answer.ok) throw new Error(`${login} was not let in: ${answer.status} ${await answer.text()}`);
    await answer.arrayBuffer();
  }

  /** Takes a token, so that no cookie is needed. */
  async takeToken(login: string, password: string): Promise<this> {
    const { token } = await this.ask<{ token: string }>('/api/sessions', { login, password, kind: 'token' });
    this.token = token;
    return this;
  }

  /** The JSON answered; throws where it is refused. */
  async ask<T = unknown>(path: string, body?: object): Promise<T> {
    const answer = await this.send(path, body && JSON.stringify(body));
    if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
    return (await answer.json()) as T;
  }

  send(path: string, body?: string | Buffer<ArrayBuffer>, signal?: AbortSignal): Promise<Response> {
    return fetch(this.base + path, {
      method: body === undefined ? 'GET' : 'POST',
      headers: this.headers(),
      body,
      signal,
    });
  }

  headers(): Record<string, string> {
    return {
      'Content-Type': 'application/json',
      Origin: this.base,
      ...(this.token ? { Authorization: `Bearer ${this.token}` } : {}),
      ...(this.cookies.size > 0 ? { Cookie: [...this.cookies].map((c) => c.join('=')).join('; ') } : {}),
    };
  }
}
