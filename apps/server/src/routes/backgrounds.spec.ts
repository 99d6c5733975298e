import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { PNG } from 'pngjs';
import { parseCrs, transformer } from '@helk/core';
import type { Background } from '@helk/core/render/background';
import type {
  ApiBackground,
  ApiBinned,
  ApiProblem,
  ApiProject,
  ApiProjectDetail,
  ApiServiceOffer,
} from '@helk/core/api/schemas';
import { TestServer } from '../testing';

const test = new TestServer();
const { call, project } = test;
beforeAll(() => test.up());
afterAll(() => test.remove());

/** A service of tiles that answers as it is told, and what it was asked. */
class Service {
  asked: string[] = [];
  answer: (url: string) => {
    status?: number;
    type?: string;
    body?: Buffer | string;
    headers?: Record<string, string>;
  } = () => ({ status: 404 });
  private server!: Server;
  base = '';
  async up(): Promise<void> {
    this.server = createServer((req, res) => {
      this.asked.push(req.url!);
      const { status = 200, type = 'image/png', body = '', headers = {} } = this.answer(req.url!);
      res.writeHead(status, { 'Content-Type': type, ...headers }).end(body);
    });
    await new Promise<void>((r) => this.server.listen(0, '127.0.0.1', r));
    this.base = `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }
  down = (): Promise<unknown> => new Promise((r) => this.server.close(r));
}

const picture = (): Buffer => PNG.sync.write(new PNG({ width: 4, height: 4 }));
const open = async (address: string, crs?: string): Promise<Background[]> =>
  (await call<Background[]>('/api/services/tiles', 'POST', { address, crs })).data;
const tile = async (
  p: string,
  b: string,
  at: string,
): Promise<{ status: number; type: string | null; bytes: Buffer }> => {
  const r = await fetch(`${test.base}/api/projects/${p}/backgrounds/${b}/tiles/${at}`);
  return { status: r.status, type: r.headers.get('content-type'), bytes: Buffer.from(await r.arrayBuffer()) };
};

describe('a background', () => {
  const service = new Service();
  let p: string;
  let id: string;
  beforeAll(async () => {
    await service.up();
    p = await project();
    const [b] = await open(`${service.base}/{z}/{x}/{y}.png`);
    id = (await call<ApiBackground>(`/api/projects/${p}/backgrounds`, 'POST', { background: b })).data.id;
  });
  afterAll(() => service.down());

  it('is kept with its project, goes to the bin and comes back', async () => {
    const kept = async (): Promise<string[]> =>
      (await call<ApiProjectDetail>(`/api/projects/${p}`)).data.backgrounds.map((b) => b.id);
    expect(await kept()).toEqual([id]);
    expect((await call(`/api/projects/${p}/backgrounds/${id}`, 'DELETE')).status).toBe(204);
    expect(await kept()).toEqual([]);
    expect((await tile(p, id, '0/0/0')).status).toBe(404);
    const binned = (await call<ApiBinned[]>(`/api/projects/${p}/bin`)).data;
    expect(binned.map((b) => b.what)).toEqual(['background']);
    await call(`/api/projects/${p}/bin/return`, 'POST', { ids: [id] });
    expect(await kept()).toEqual([id]);
  });

  it('fetches only the tiles that are asked for, where there are some', async () => {
    service.asked = [];
    service.answer = () => ({ body: picture() });
    const t = await tile(p, id, '3/1/2');
    expect([t.status, t.type]).toEqual([200, 'image/png']);
    expect(t.bytes.equals(picture())).toBeTrue();
    // Level 3 has eight rows; none of these is asked for.
    for (const at of ['3/8/0', '3/-1/0', '99/0/0', '3/0/1e3', 'x/0/0'])
      expect((await tile(p, id, at)).status).toBe(204);
    expect(service.asked).toEqual(['/3/2/1.png']);
  });

  it('is empty where its service has no tile', async () => {
    for (const status of [400, 404, 410]) {
      service.answer = () => ({ status, body: 'no' });
      expect((await tile(p, id, '1/0/0')).status).toBe(204);
    }
    service.answer = () => ({ body: '' });
    expect((await tile(p, id, '1/0/0')).status).toBe(204);
  });

  it('that does not come for another reason says so, and why', async () => {
    for (const status of [401, 403, 500, 503]) {
      service.answer = () => ({ status, body: 'a key is wanted', type: 'text/plain' });
      const r = await call<ApiProblem>(`/api/projects/${p}/backgrounds/${id}/tiles/1/0/0`);
      expect([r.status, r.data.code]).toEqual([502, 'service.refused']);
      expect(r.data.detail).toContain(`answered ${status}`);
    }
  });

  it('takes nothing that is no picture, whatever it is called, nor from elsewhere', async () => {
    const said = async (): Promise<string> => {
      const r = await call<ApiProblem>(`/api/projects/${p}/backgrounds/${id}/tiles/1/0/0`);
      return r.status >= 400 ? r.data.code : 'taken';
    };
    service.answer = () => ({ body: '<script>alert(1)</script>' });
    expect(await said()).toBe('service.invalid');
    service.answer = () => ({ body: '<svg xmlns="http://www.w3.org/2000/svg"/>', type: 'image/svg+xml' });
    expect(await said()).toBe('service.invalid');
    service.answer = () => ({ status: 302, headers: { Location: 'http://169.254.169.254/' } });
    expect(await said()).toBe('service.elsewhere');
    service.answer = () => ({ body: Buffer.concat([picture(), Buffer.alloc(5 * 2 ** 20)]) });
    expect(await said()).toBe('file.tooLarge');
  });

  it('of a file that somebody made elsewhere waits in the bin, and nobody is asked for it until it is taken out', async () => {
    service.asked = [];
    service.answer = () => ({ body: picture() });
    const file = new Uint8Array(await (await fetch(`${test.base}/api/projects/${p}/file`)).arrayBuffer());
    const opened = (await call<ApiProject>('/api/projects/file?name=given', 'POST', file)).data;
    expect(opened.binned).toBe(1);
    expect((await call<ApiProjectDetail>(`/api/projects/${opened.id}`)).data.backgrounds).toEqual([]);
    expect((await tile(opened.id, id, '1/0/0')).status).toBe(404);
    expect(service.asked).toEqual([]);
    await call(`/api/projects/${opened.id}/bin/return`, 'POST', { ids: [id] });
    expect((await tile(opened.id, id, '1/0/0')).status).toBe(200);
  });

  it('that nobody could draw is refused', async () => {
    const [b] = await open(`${service.base}/{z}/{x}/{y}.png`);
    const keep = async (some: object): Promise<number> =>
      (await call(`/api/projects/${p}/backgrounds`, 'POST', { background: { ...b, ...some } })).status;
    expect(await keep({ crs: { ...b!.crs, proj4: '+proj=nowhere' } })).toBe(422);
    expect(await keep({ levels: [] })).toBe(400);
    expect(await keep({ name: '' })).toBe(400);
  });
});

describe('the map of the stand-in portal', () => {
  it('is offered as tiles in its own system and in the web’s, and drawn where the island lies', async () => {
    const p = await project();
    const { address } = (await call<ApiServiceOffer[]>('/api/services')).data[0]!;
    const [own] = await open(address, 'EPSG:32627');
    const [web] = await open(address);
    expect([own!.crs.code, web!.crs.code, own!.credit]).toEqual([
      'EPSG:32627',
      'EPSG:3857',
      'Survey office of Veyra (stand-in)',
    ]);
    // Inland, north of the town.
    const [x, y] = [535_200, 6_452_000];
    const out = [0, 0];
    transformer(parseCrs('EPSG:32627'), parseCrs('EPSG:3857'))(x, y, out);
    for (const [b, at, level] of [
      [own!, [x, y], own!.levels.findIndex((l) => l.resolution === 10)],
      [web!, out, web!.levels.findIndex((l) => l.name === '12')],
    ] as const) {
      const kept = (await call<ApiBackground>(`/api/projects/${p}/backgrounds`, 'POST', { background: b })).data;
      // It may listen at another port tomorrow.
      expect(kept.background.tile).toContain('helk:here');
      const l = b.levels[level]!;
      const [column, row] = [
        Math.floor((at[0]! - l.x) / l.resolution / l.width),
        Math.floor((l.y - at[1]!) / l.resolution / l.height),
      ];
      const t = await tile(p, kept.id, `${level}/${row}/${column}`);
      expect(t.type).toBe('image/png');
      const png = PNG.sync.read(t.bytes);
      let land = 0;
      for (let k = 3; k < png.data.length; k += 4) if (png.data[k] === 255) land++;
      expect(land)
        .withContext(b.crs.name)
        .toBeGreaterThan(0.9 * 256 * 256);
      // Far out in the sea there is no tile.
      expect((await tile(p, kept.id, `${level}/${row}/0`)).status).toBe(204);
    }
  }, 240_000);
});
