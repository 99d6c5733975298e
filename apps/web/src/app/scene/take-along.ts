import {
  BufferAttribute,
  BufferGeometry,
  Color,
  Group,
  InstancedMesh,
  Matrix4,
  Mesh,
  Points,
  type Material,
  type Object3D,
} from 'three';

/** Corners of things that are many times there, laid out one by one, at most. */
const MOST_CORNERS = 12_000_000;

export type ModelFormat = 'glb' | 'obj';

/** A mesh that stands many times, as one that stands once: readers of models seldom know of the other. */
function laidOut(m: InstancedMesh): Mesh {
  const own = m.geometry.index ? m.geometry.toNonIndexed() : m.geometry;
  const at = own.getAttribute('position') as BufferAttribute;
  const n = at.count;
  if (n * m.count > MOST_CORNERS)
    throw new Error(`A model of ${m.count} trees would be too large; pick fewer, or look at a part of them.`);
  const ownColours = own.getAttribute('color') as BufferAttribute | undefined;
  const position = new Float32Array(3 * n * m.count);
  const colours = new Float32Array(position.length);
  const [place, tint, v] = [new Matrix4(), new Color(1, 1, 1), new Float32Array(3)];
  const part = new BufferAttribute(v, 3);
  for (let k = 0; k < m.count; k++) {
    m.getMatrixAt(k, place);
    if (m.instanceColor) m.getColorAt(k, tint);
    for (let i = 0; i < n; i++) {
      part.setXYZ(0, at.getX(i), at.getY(i), at.getZ(i)).applyMatrix4(place);
      const to = 3 * (k * n + i);
      position.set(v, to);
      colours[to] = tint.r * (ownColours?.getX(i) ?? 1);
      colours[to + 1] = tint.g * (ownColours?.getY(i) ?? 1);
      colours[to + 2] = tint.b * (ownColours?.getZ(i) ?? 1);
    }
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(position, 3));
  geometry.setAttribute('color', new BufferAttribute(colours, 3));
  geometry.computeVertexNormals();
  const material = (m.material as Material).clone();
  (material as Material & { vertexColors: boolean }).vertexColors = true;
  const mesh = new Mesh(geometry, material);
  mesh.name = m.name;
  return mesh;
}

/** What is seen, apart from the scene itself: each thing once, at its true heights. */
function copyOf(world: Object3D): Group {
  const out = new Group();
  world.updateMatrixWorld(true);
  const own = world.matrixWorld.clone().invert();
  world.traverseVisible((o) => {
    const copy =
      o instanceof InstancedMesh ? laidOut(o) : o instanceof Mesh || o instanceof Points ? o.clone(false) : null;
    if (!copy) return;
    copy.matrix.multiplyMatrices(own, o.matrixWorld);
    copy.matrix.decompose(copy.position, copy.quaternion, copy.scale);
    out.add(copy);
  });
  return out;
}

/**
 * What is seen of a scene as a model, metres from its origin: ground with its picture, blocks, trees and the points that are shown. Up is y in
 * GLB, as its standard has it, and z in OBJ, where the first lines say what the origin is.
 *
 * @param where the system and the place of the origin in it, in words
 */
export async function modelOf(world: Object3D, format: ModelFormat, where: string): Promise<Blob> {
  const seen = copyOf(world);
  seen.updateMatrixWorld(true);
  if (format === 'obj') {
    const { OBJExporter } = await import('three/examples/jsm/exporters/OBJExporter.js');
    const head = `# metres east (x), north (y) and up (z) of ${where}\n`;
    return new Blob([head, new OBJExporter().parse(seen)], { type: 'model/obj' });
  }
  const { GLTFExporter } = await import('three/examples/jsm/exporters/GLTFExporter.js');
  // Up is z here and y in such a model.
  seen.rotation.x = -Math.PI / 2;
  const found = await new GLTFExporter().parseAsync(seen, { binary: true, onlyVisible: true });
  return new Blob([found as ArrayBuffer], { type: 'model/gltf-binary' });
}
