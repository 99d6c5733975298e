import {
  AmbientLight,
  Color,
  DirectionalLight,
  Group,
  PerspectiveCamera,
  Raycaster,
  Scene,
  Vector2,
  Vector3,
  WebGLRenderer,
  type Object3D,
} from 'three';
import { eyeOffset, HALF_VIEW, type Eye } from './eye';

/** How long after the last move it counts as resting, ms. */
const REST = 220;

export interface Lamp {
  /** From where the light comes, degrees clockwise from north, and how high it stands. */
  azimuth: number;
  altitude: number;
}

/**
 * A scene that is drawn when something has changed, never in a loop: without a graphics card a picture takes some tenths of a second. While
 * one moves, whoever fills it shows less.
 */
export class Stage {
  readonly scene = new Scene();
  /** Everything that is looked at; its heights are drawn so many times as high. */
  readonly world = new Group();
  readonly camera = new PerspectiveCamera((2 * HALF_VIEW * 180) / Math.PI, 1, 1, 1e5);
  readonly renderer: WebGLRenderer;
  private readonly sun = new DirectionalLight(0xffffff, 2.2);
  private readonly ray = new Raycaster();
  private asked = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;
  moving = false;
  private held = false;
  /** Milliseconds the last picture took. */
  took = 0;

  /** @throws Error where the browser draws no scenes */
  constructor(
    private readonly canvas: HTMLCanvasElement,
    /** Called before each picture, and once things rest. */
    private readonly before: () => void,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    this.camera.up.set(0, 0, 1);
    this.scene.add(this.world, this.sun, this.sun.target, new AmbientLight(0xffffff, 1.1));
  }

  resize(width: number, height: number): void {
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 1.5));
    this.renderer.setSize(width, height, false);
    this.camera.aspect = width / Math.max(1, height);
    this.camera.updateProjectionMatrix();
    this.ask();
  }

  get height(): number {
    return this.canvas.clientHeight;
  }

  ground(colour: string): void {
    this.scene.background = new Color(colour);
    this.ask();
  }

  /** @param x, y of the place that is looked at, metres from the scene's own origin */
  look(x: number, y: number, eye: Eye, exaggeration: number): void {
    this.world.scale.z = exaggeration;
    const z = eye.z * exaggeration;
    const [dx, dy, dz] = eyeOffset(eye);
    this.camera.position.set(x + dx, y + dy, z + dz);
    // Straight down there is no "up" to turn by: the heading says it.
    const h = (eye.heading * Math.PI) / 180;
    if (eye.tilt < 0.5) this.camera.up.set(Math.sin(h), Math.cos(h), 0);
    else this.camera.up.set(0, 0, 1);
    this.camera.lookAt(x, y, z);
    this.camera.near = Math.max(0.2, eye.distance / 200);
    this.camera.far = eye.distance * 60 + 20_000;
    this.camera.updateProjectionMatrix();
    this.ask();
  }

  lamp({ azimuth, altitude }: Lamp): void {
    const [a, h] = [(azimuth * Math.PI) / 180, (altitude * Math.PI) / 180];
    this.sun.position.set(Math.sin(a) * Math.cos(h), Math.cos(a) * Math.cos(h), Math.sin(h)).multiplyScalar(1000);
    this.ask();
  }

  /** Something moves: less is shown until it rests. */
  stir(): void {
    this.moving = true;
    this.settle();
    this.ask();
  }

  /** While it is held nothing rests, however long it takes until it moves on. */
  hold(on: boolean): void {
    this.held = on;
    if (this.moving) this.settle();
  }

  private settle(): void {
    clearTimeout(this.timer);
    if (this.held) return;
    this.timer = setTimeout(() => {
      this.moving = false;
      this.ask();
    }, REST);
  }

  /** Wants a new picture, soon. */
  ask(): void {
    if (this.asked) return;
    this.asked = requestAnimationFrame(() => {
      this.asked = 0;
      this.draw();
    });
  }

  draw(): void {
    this.before();
    const start = performance.now();
    this.renderer.render(this.scene, this.camera);
    this.took = performance.now() - start;
  }

  /** What lies under a pixel, nearest first, among some objects. */
  under(px: number, py: number, among: Object3D[]): ReturnType<Raycaster['intersectObjects']> {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    this.ray.params.Points.threshold = this.camera.near * 0.6;
    this.ray.setFromCamera(new Vector2((2 * px) / w - 1, 1 - (2 * py) / h), this.camera);
    return this.ray.intersectObjects(among, true);
  }

  /** Where a ray through a pixel meets the level of a height; null where it goes up. */
  level(px: number, py: number, z: number): Vector3 | null {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    this.ray.setFromCamera(new Vector2((2 * px) / w - 1, 1 - (2 * py) / h), this.camera);
    const { origin, direction } = this.ray.ray;
    const t = (z - origin.z) / direction.z;
    return t > 0 && Number.isFinite(t) ? origin.clone().addScaledVector(direction, t) : null;
  }

  /** A picture of a size of its own. */
  async picture(width: number, height: number): Promise<Blob> {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(width, height, false);
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    this.draw();
    const blob = await new Promise<Blob | null>((done) => this.canvas.toBlob(done, 'image/png'));
    this.resize(w, h);
    if (!blob) throw new Error('The picture could not be made.');
    return blob;
  }

  dispose(): void {
    cancelAnimationFrame(this.asked);
    clearTimeout(this.timer);
    this.renderer.dispose();
    // A page may hold only some contexts; one that is given back at once is not waited for.
    this.renderer.forceContextLoss();
  }
}
