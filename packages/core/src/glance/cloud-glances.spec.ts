import { setupNode } from '@helk/node';
import { attributeOf, classesOf, placesOf, takePoints, type Cloud } from '../data/cloud';
import { cloudInfo } from '../data/cloud-facts';
import { packCloud, StoredCloud, type CloudHandle } from '../data/cloud-store';
import type { PieceStore } from '../data/handle';
import { handleOn } from '../data/kinds';
import { LocalJob } from '../method/job';
import { methodOf } from '../method/registry';
import { runMethod } from '../method/run';
import { suggestCell } from '../methods/cloud/common';
import { smallScene } from '../methods/cloud/scene-fixture';
import { refusalOf } from '../testing';
import type { Spread } from './cloud-spread';
import { windowAbout, type Tried } from './cloud-window';
import { glanceAt } from './glance';
import { glanceOf } from './registry';

setupNode();

const { cloud, bare } = smallScene(60_000);
const ask = async <A>(id: string, on: Cloud | CloudHandle, params: Record<string, unknown>): Promise<A> =>
  (await glanceAt(glanceOf(id), { cloud: 'load' in on ? on : handleOn(on) }, params, new LocalJob())) as A;

async function stored(c: Cloud): Promise<CloudHandle> {
  const held = new Map<string, Uint8Array>();
  const store: PieceStore = {
    get: (a, l, k) => Promise.resolve(held.get(`${a}/${l}/${k}`)),
    put: (a, l, k, bytes) => {
      held.set(`${a}/${l}/${k}`, bytes);
      return Promise.resolve();
    },
  };
  const info = cloudInfo(c);
  await packCloud(c, info, store, () => undefined);
  return new StoredCloud(info, store);
}

const box: [number, number, number, number] = [400_020, 6_459_920, 400_065, 6_459_965];

describe('a part of a stored cloud', () => {
  it('is the points within a box, with all they have, in their order', async () => {
    const part = await (await stored(cloud)).within(box, 1e6);
    const same = await handleOnCloud(cloud).within(box, 1e6);
    expect(part.x.length).toBeGreaterThan(3000);
    expect(part).toEqual(same);
    const at = placesOf(cloud);
    let n = 0;
    for (let i = 0; i < at.x.length; i++)
      if (at.x[i]! >= box[0] && at.x[i]! <= box[2] && at.y[i]! >= box[1] && at.y[i]! <= box[3]) n++;
    expect(part.x.length).toBe(n);
    expect((await refusalOf((await stored(cloud)).within(box, 100))).message).toContain('smaller');
  });
  it('comes chunk by chunk and is all of it', async () => {
    let [n, sum] = [0, 0];
    for await (const p of (await stored(cloud)).parts(['classification'])) {
      expect(p.attributes.map((a) => a.name)).toEqual(['classification']);
      n += p.x.length;
      for (const z of p.z) sum += z;
    }
    expect(n).toBe(cloud.x.length);
    expect(sum).toBe(cloud.z.reduce((s, z) => s + z, 0));
  });
});

const handleOnCloud = (c: Cloud): CloudHandle => handleOn(c) as CloudHandle;

describe('a method tried in a window', () => {
  it('says what it does to the points there, with the settings that the whole suggests', async () => {
    // Denser in the window than elsewhere.
    const at = placesOf(cloud);
    const dense = (i: number): boolean => at.x[i]! < box[2] + 1 && at.y[i]! < box[3] + 1;
    const uneven = takePoints(
      cloud,
      [...at.x.keys()].filter((i) => dense(i) || i % 6 === 0),
    );
    const t = await ask<Tried>('cloud.window', uneven, { method: 'cloud.trees', params: { minHeight: '3 m' }, box });
    const part = await handleOnCloud(uneven).within(box, 1e6);
    const cellSize = suggestCell(cloudInfo(uneven))!.value as string;
    expect(cellSize).not.toBe(suggestCell(cloudInfo(part))!.value as string);
    const run = await runMethod(methodOf('cloud.trees'), { cloud: [part] }, { minHeight: '3 m', cellSize });
    expect(t.points).toBe(part.x.length);
    expect(t.figures).toEqual(run.figures);
    expect(t.figures['trees'] as number).toBeGreaterThan(0);
    expect(t.rings.length).toBeGreaterThanOrEqual(t.figures['trees'] as number);
    expect(t.classes).toEqual([]);
  });
  it('tells the classes that points were given, and where', async () => {
    const t = await ask<Tried>('cloud.window', bare, { method: 'cloud.classifyGround', params: {}, box });
    expect(t.classes.reduce((s, k) => s + k.count, 0)).toBe(t.points);
    const ground = t.classes.find((k) => k.value === 2)!;
    expect(ground.name).toBe('ground');
    expect(ground.count).toBe(t.figures['ground'] as number);
    expect(ground.xy.length).toBe(2 * ground.count);
  });
  it('lies in the middle of what is looked at, as far as the cloud reaches', () => {
    const whole = { extent: [0, 0, 1000, 400], spacing: 0.3 };
    expect(windowAbout(whole, [500, 200])).toEqual([475, 175, 525, 225]);
    expect(windowAbout(whole, [3, 399])).toEqual([0, 350, 50, 400]);
    // Looked at from beside it: its middle.
    expect(windowAbout(whole, [-50, 0])).toEqual([475, 175, 525, 225]);
    const small = windowAbout({ extent: [0, 0, 10, 8], spacing: 1 });
    expect([small[0] <= 0, small[1] <= 0, small[2] >= 10, small[3] >= 8]).toEqual([true, true, true, true]);
  });
  it('is refused where nothing lies, where it is too large, and for methods that have no window', async () => {
    const params = { method: 'cloud.trees', params: {} };
    expect((await refusalOf(ask('cloud.window', cloud, { ...params, box: [0, 0, 1, 1] }))).message).toContain(
      'No point',
    );
    expect((await refusalOf(ask('cloud.window', bare, { ...params, box }))).message).toContain('No ground');
    expect((await refusalOf(ask('cloud.window', cloud, { method: 'cloud.merge', params: {} }))).message).toContain(
      'cannot be tried',
    );
  });
});

describe('the spread of a cloud', () => {
  it('counts heights by class, in bins that hold all points but those far off', async () => {
    const whole = await ask<Spread>('cloud.spread', await stored(cloud), {});
    const classes = classesOf(cloud);
    expect(whole.unit).toBe('m');
    for (const k of whole.classes) {
      expect(k.count).toBe(k.bins.reduce((s, n) => s + n, 0));
      expect(k.bins.length).toBe(60);
    }
    expect(whole.classes.reduce((s, k) => s + k.count, 0) + whole.below + whole.above).toBe(classes.length);
    // One bin against a count by hand.
    const z = placesOf(cloud).z;
    const width = (whole.high - whole.low) / 60;
    let most = 0;
    for (let b = 1; b < 60; b++) if (whole.classes[0]!.bins[b]! > whole.classes[0]!.bins[most]!) most = b;
    let n = 0;
    for (let i = 0; i < z.length; i++)
      if (classes[i] === whole.classes[0]!.value && Math.floor((z[i]! - whole.low) / width) === most) n++;
    expect(whole.classes[0]!.bins[most]!).toBe(n);
  });
  it('gives few whole numbers a bin each, and knows what attributes there are', async () => {
    const t = await ask<Spread>('cloud.spread', cloud, { value: 'classification' });
    for (const k of t.classes) expect(k.bins[k.value - Math.ceil(t.low)]).toBe(k.count);
    expect(attributeOf(cloud, 'intensity')).not.toBeNull();
    expect((await ask<Spread>('cloud.spread', cloud, { value: 'intensity' })).high).toBeGreaterThan(4000);
    expect((await refusalOf(ask('cloud.spread', cloud, { value: 'colour' }))).message).toContain('classification');
  });
});
