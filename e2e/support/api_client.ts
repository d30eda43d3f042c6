export type Json = Record<string, unknown>;

/** A running server as any program would use it: over HTTP, all answers read by hand. */
export class Client {
  readonly url: string;

  constructor(url: string) {
    this.url = url;
  }

  async bytes(path: string, init?: RequestInit): Promise<Buffer> {
    // Kept open, a connection would be closed by the server while something else is at work here.
    const answer = await fetch(this.url + path, { ...init, headers: { ...init?.headers, connection: 'close' } });
    const bytes = Buffer.from(await answer.arrayBuffer());
    if (!answer.ok) throw new Error(`${init?.method ?? 'GET'} ${path}: ${answer.status} ${bytes.toString()}`);
    return bytes;
  }

  async get<T = Json>(path: string): Promise<T> {
    return JSON.parse((await this.bytes(path)).toString()) as T;
  }

  async send<T = Json>(method: string, path: string, body?: unknown): Promise<T> {
    const bytes = await this.bytes(path, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
    return (bytes.length === 0 ? null : JSON.parse(bytes.toString())) as T;
  }

  /** The result of a job, once it has ended. */
  async job<T>(id: string): Promise<T> {
    for (;;) {
      const job = await this.get<{ state: string; error: string | null; result: T }>(`api/jobs/${id}`);
      if (job.state === 'done') return job.result;
      if (job.state !== 'running') throw new Error(`The job ended: ${job.state} ${job.error}`);
      await new Promise((done) => setTimeout(done, 20));
    }
  }

  /** Sends files. @returns the upload that they are in */
  async upload(files: Record<string, string | Buffer>): Promise<string> {
    let into = '';
    for (const [name, content] of Object.entries(files)) {
      const body = typeof content === 'string' ? content : new Uint8Array(content);
      const bytes = await this.bytes(`api/uploads?name=${encodeURIComponent(name)}${into}`, { method: 'POST', body });
      into = `&into=${(JSON.parse(bytes.toString()) as { upload: string }).upload}`;
    }
    return into.slice('&into='.length);
  }

  /** Brings files in, a layer each by the name of its file. @returns their sources */
  async bringIn(files: Record<string, string | Buffer>): Promise<number[]> {
    const upload = await this.upload(files);
    const layers = Object.keys(files).map((file) => ({ file, layer: stem(file), name: stem(file) }));
    const { id } = await this.send<{ id: string }>('POST', `api/uploads/${upload}/imports`, { layers });
    return (await this.job<{ sourceIds: number[] }>(id)).sourceIds;
  }
}

const stem = (file: string) => file.replace(/\.[^.]*$/, '');
