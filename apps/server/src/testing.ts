import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { ApiProjectDetail, ApiRun } from '@helk/core/api/schemas';
import { setupNode } from '@helk/node';
import { makeApp } from './app';
import { makeContext, type Context } from './context';
import { configFrom, type Config } from './config';

export interface Reply<T> {
  status: number;
  data: T;
  type: string;
}

/** A whole server on a free port with a data folder of its own, for specs only. */
export class TestServer {
  constructor(private readonly settings: Partial<Config> = {}) {}

  readonly dir = mkdtempSync(join(tmpdir(), 'helk-server-'));
  context!: Context;
  base = '';
  private server!: Server;

  async up(): Promise<void> {
    setupNode();
    this.context = await makeContext({
      ...configFrom({ HELK_DATA: this.dir, HELK_WEB: 'none' }, this.dir),
      threads: 1,
      maxUpload: 60e6,
      ...this.settings,
    });
    this.server = createServer(makeApp(this.context));
    await new Promise<void>((r) => this.server.listen(0, '127.0.0.1', r));
    this.base = `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  async down(): Promise<void> {
    this.server.closeAllConnections();
    await new Promise((r) => this.server.close(r));
    await this.context.pool.close();
    await this.context.projects.close();
  }

  async remove(): Promise<void> {
    await this.down();
    rmSync(this.dir, { recursive: true, force: true });
  }

  readonly call = async <T>(path: string, verb = 'GET', body?: unknown): Promise<Reply<T>> => {
    const raw = body instanceof Uint8Array;
    const r = await fetch(this.base + path, {
      method: verb,
      ...(body === undefined
        ? {}
        : {
            body: raw ? (body as never) : JSON.stringify(body),
            headers: { 'Content-Type': raw ? 'application/octet-stream' : 'application/json' },
          }),
    });
    const text = await r.text();
    return {
      status: r.status,
      data: (text ? JSON.parse(text) : undefined) as T,
      type: r.headers.get('content-type') ?? '',
    };
  };

  readonly project = async (): Promise<string> =>
    (await this.call<{ id: string }>('/api/projects', 'POST', { name: 'A test' })).data.id;

  readonly detail = async (p: string): Promise<ApiProjectDetail> =>
    (await this.call<ApiProjectDetail>(`/api/projects/${p}`)).data;

  /** A run once it is over. */
  readonly ended = async (p: string, run: string): Promise<ApiRun> => {
    for (;;) {
      const r = (await this.call<ApiRun>(`/api/projects/${p}/runs/${run}`)).data;
      if (r.state !== 'queued' && r.state !== 'running') return r;
      await new Promise((x) => setTimeout(x, 20));
    }
  };
}

/** For specs: a GeoPackage whose one table is a view that takes longer than anybody lives and gives no row meanwhile. */
export function endlessPackage(): Uint8Array {
  const db = new Database(':memory:');
  db.exec(`CREATE TABLE gpkg_contents (table_name TEXT, data_type TEXT, identifier TEXT, srs_id INTEGER);
    INSERT INTO gpkg_contents VALUES ('v', 'attributes', 'v', 0);
    CREATE TABLE t (a INTEGER);
    CREATE VIEW v AS SELECT p.a FROM t p, t q, t r, t s WHERE p.a + q.a + r.a + s.a < 0;`);
  const insert = db.prepare('INSERT INTO t VALUES (?)');
  db.transaction(() => {
    for (let i = 0; i < 3000; i++) insert.run(i);
  })();
  const bytes = new Uint8Array(db.serialize());
  db.close();
  return bytes;
}
