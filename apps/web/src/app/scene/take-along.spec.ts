import { BoxGeometry, Color, Group, InstancedMesh, Matrix4, Mesh, MeshLambertMaterial } from 'three';
import { modelOf } from './take-along';

/** A block that is moved, one that is hidden, and three small ones at x = 10, 20, 30; heights drawn three times. */
function world(): Group {
  const out = new Group();
  out.scale.z = 3;
  const block = new Mesh(new BoxGeometry(2, 2, 4), new MeshLambertMaterial());
  block.position.set(100, 50, 2);
  const hidden = block.clone();
  hidden.visible = false;
  const many = new InstancedMesh(new BoxGeometry(1, 1, 1), new MeshLambertMaterial(), 3);
  for (let k = 0; k < 3; k++) {
    many.setMatrixAt(k, new Matrix4().makeTranslation(10 * (k + 1), 0, 0.5));
    many.setColorAt(k, new Color(0, 1, 0));
  }
  out.add(block, hidden, many);
  return out;
}

describe('a model of a scene', () => {
  it('as OBJ holds everything that is seen, at its place and true height, with z up', async () => {
    const text = await (await modelOf(world(), 'obj', 'EPSG:25832 560000 5930000')).text();
    expect(text.split('\n')[0]).toContain('EPSG:25832 560000 5930000');
    const places = [...text.matchAll(/^v (\S+) (\S+) (\S+)/gm)].map((m) => m.slice(1, 4).map(Number));
    const x = places.map((p) => p[0]!);
    expect([Math.min(...x), Math.max(...x)]).toEqual([9.5, 101]);
    expect([20, 30].map((at) => x.some((v) => Math.abs(v - at) <= 0.5))).toEqual([true, true]);
    // The block stands on the ground and is four metres high, however heights are drawn.
    const z = places.filter((p) => p[0]! > 90).map((p) => p[2]!);
    expect([Math.min(...z), Math.max(...z)]).toEqual([0, 4]);
    expect(text.match(/^o /gm)!.length).toBe(2);
  });
  it('as GLB is readable without extensions and has y up', async () => {
    const bytes = new Uint8Array(await (await modelOf(world(), 'glb', '')).arrayBuffer());
    const view = new DataView(bytes.buffer);
    expect(new TextDecoder().decode(bytes.subarray(0, 4))).toBe('glTF');
    expect(view.getUint32(8, true)).toBe(bytes.length);
    const head = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + view.getUint32(12, true)))) as {
      extensionsRequired?: string[];
      meshes: unknown[];
      nodes: { matrix?: number[] }[];
      accessors: { count: number; type: string }[];
    };
    expect(head.extensionsRequired).toBeUndefined();
    expect(head.meshes.length).toBe(2);
    // What goes up in the scene (third column of the turn) goes along y.
    const up = head.nodes.flatMap((n) => (n.matrix ? [n.matrix.slice(8, 11).map((v) => Math.round(v) + 0)] : []));
    expect(up).toContain([0, 1, 0]);
    // Three boxes of 36 corners each.
    expect(head.accessors.some((a) => a.count === 108)).toBeTrue();
  });
});
