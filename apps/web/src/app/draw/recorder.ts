import type { DisplayItem, Face, Point, Rect } from './display';

interface State {
  m: DOMMatrix;
  fillStyle: string | CanvasGradient | CanvasPattern;
  strokeStyle: string | CanvasGradient | CanvasPattern;
  lineWidth: number;
  dash: number[];
  alpha: number;
  font: string;
  textAlign: CanvasTextAlign;
  textBaseline: CanvasTextBaseline;
  clip: Rect | null;
}

/** Points to a turn of a circle. */
const TURN = 48;
/** Points along a Bézier curve. */
const CURVE = 12;

/** Colours that are no colour (gradients, patterns) become the middle grey of a drawing. */
const plain = (c: State['fillStyle']): string => (typeof c === 'string' ? c : '#8a8a8a');

function seenThrough(colour: string, alpha: number): string {
  return alpha >= 1 ? colour : `color-mix(in srgb, ${colour} ${(alpha * 100).toFixed(1)}%, transparent)`;
}

/**
 * Stands for the context of a canvas and writes down what is drawn on it, as lines, areas and letters: so that charts are charts on paper
 * too, at any size. What it draws, it draws with the methods that charts use; a clip is taken for the box around it.
 */
export class Recorder {
  readonly items: DisplayItem[] = [];
  private s: State;
  private readonly stack: State[] = [];
  private rings: Point[][] = [];
  private closed = false;
  lineCap: CanvasLineCap = 'butt';
  lineJoin: CanvasLineJoin = 'miter';
  miterLimit = 10;
  lineDashOffset = 0;
  shadowBlur = 0;
  shadowColor = '';
  shadowOffsetX = 0;
  shadowOffsetY = 0;
  direction: CanvasDirection = 'ltr';
  globalCompositeOperation = 'source-over';
  imageSmoothingEnabled = true;

  /** @param canvas what the drawing is said to be on; widths of letters come from its context */
  constructor(readonly canvas: HTMLCanvasElement) {
    this.s = {
      m: new DOMMatrix(),
      fillStyle: '#000000',
      strokeStyle: '#000000',
      lineWidth: 1,
      dash: [],
      alpha: 1,
      font: '10px sans-serif',
      textAlign: 'start',
      textBaseline: 'alphabetic',
      clip: null,
    };
  }

  get fillStyle(): State['fillStyle'] {
    return this.s.fillStyle;
  }
  set fillStyle(v: State['fillStyle']) {
    this.s.fillStyle = v;
  }
  get strokeStyle(): State['strokeStyle'] {
    return this.s.strokeStyle;
  }
  set strokeStyle(v: State['strokeStyle']) {
    this.s.strokeStyle = v;
  }
  get lineWidth(): number {
    return this.s.lineWidth;
  }
  set lineWidth(v: number) {
    if (Number.isFinite(v)) this.s.lineWidth = v;
  }
  get globalAlpha(): number {
    return this.s.alpha;
  }
  set globalAlpha(v: number) {
    this.s.alpha = v;
  }
  get font(): string {
    return this.s.font;
  }
  set font(v: string) {
    this.s.font = v;
  }
  get textAlign(): CanvasTextAlign {
    return this.s.textAlign;
  }
  set textAlign(v: CanvasTextAlign) {
    this.s.textAlign = v;
  }
  get textBaseline(): CanvasTextBaseline {
    return this.s.textBaseline;
  }
  set textBaseline(v: CanvasTextBaseline) {
    this.s.textBaseline = v;
  }

  save(): void {
    this.stack.push({ ...this.s, m: DOMMatrix.fromMatrix(this.s.m) });
  }
  restore(): void {
    const before = this.stack.pop();
    if (before) this.s = before;
  }
  translate(x: number, y: number): void {
    this.s.m.translateSelf(x, y);
  }
  scale(x: number, y: number): void {
    this.s.m.scaleSelf(x, y);
  }
  rotate(a: number): void {
    this.s.m.rotateSelf((a * 180) / Math.PI);
  }
  transform(a: number, b: number, c: number, d: number, e: number, f: number): void {
    this.s.m.multiplySelf(new DOMMatrix([a, b, c, d, e, f]));
  }
  setTransform(a: number | DOMMatrix2DInit = 1, b = 0, c = 0, d = 1, e = 0, f = 0): void {
    this.s.m = typeof a === 'number' ? new DOMMatrix([a, b, c, d, e, f]) : DOMMatrix.fromMatrix(a);
  }
  getTransform(): DOMMatrix {
    return DOMMatrix.fromMatrix(this.s.m);
  }
  resetTransform(): void {
    this.s.m = new DOMMatrix();
  }
  setLineDash(d: number[]): void {
    this.s.dash = [...d];
  }
  getLineDash(): number[] {
    return [...this.s.dash];
  }

  private at(x: number, y: number): Point {
    const { a, b, c, d, e, f } = this.s.m;
    return [a * x + c * y + e, b * x + d * y + f];
  }
  /** How many times longer lengths are drawn. */
  private get size(): number {
    const { a, b, c, d } = this.s.m;
    return Math.sqrt(Math.abs(a * d - b * c)) || 1;
  }

  beginPath(): void {
    this.rings = [];
    this.closed = false;
  }
  moveTo(x: number, y: number): void {
    this.rings.push([this.at(x, y)]);
  }
  lineTo(x: number, y: number): void {
    const ring = this.rings.at(-1);
    if (ring) ring.push(this.at(x, y));
    else this.moveTo(x, y);
  }
  closePath(): void {
    this.closed = true;
  }
  rect(x: number, y: number, w: number, h: number): void {
    this.rings.push([this.at(x, y), this.at(x + w, y), this.at(x + w, y + h), this.at(x, y + h)]);
    this.closed = true;
  }
  roundRect(x: number, y: number, w: number, h: number): void {
    this.rect(x, y, w, h);
  }
  bezierCurveTo(x1: number, y1: number, x2: number, y2: number, x: number, y: number): void {
    const ring = this.rings.at(-1) ?? (this.moveTo(x1, y1), this.rings.at(-1)!);
    const [p0, p1, p2, p3] = [ring.at(-1)!, this.at(x1, y1), this.at(x2, y2), this.at(x, y)];
    for (let i = 1; i <= CURVE; i++) {
      const t = i / CURVE;
      const u = 1 - t;
      const [a, b, c, d] = [u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t];
      ring.push([a * p0[0] + b * p1[0] + c * p2[0] + d * p3[0], a * p0[1] + b * p1[1] + c * p2[1] + d * p3[1]]);
    }
  }
  quadraticCurveTo(cx: number, cy: number, x: number, y: number): void {
    const last = this.rings.at(-1)?.at(-1);
    if (!last) {
      this.moveTo(cx, cy);
      return;
    }
    const control = this.at(cx, cy);
    const end = this.at(x, y);
    for (let i = 1; i <= CURVE; i++) {
      const t = i / CURVE;
      const [a, b, c] = [(1 - t) ** 2, 2 * t * (1 - t), t * t];
      this.rings.at(-1)!.push([a * last[0] + b * control[0] + c * end[0], a * last[1] + b * control[1] + c * end[1]]);
    }
  }
  arc(x: number, y: number, r: number, from: number, to: number, back = false): void {
    this.ellipse(x, y, r, r, 0, from, to, back);
  }
  ellipse(x: number, y: number, rx: number, ry: number, turn: number, from: number, to: number, back = false): void {
    let sweep = to - from;
    const whole = 2 * Math.PI;
    if (back) sweep = sweep > 0 ? sweep - whole * Math.ceil(sweep / whole) : Math.max(sweep, -whole);
    else sweep = sweep < 0 ? sweep + whole * Math.ceil(-sweep / whole) : Math.min(sweep, whole);
    const n = Math.max(2, Math.ceil((Math.abs(sweep) / whole) * TURN));
    const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
    for (let i = 0; i <= n; i++) {
      const t = from + (sweep * i) / n;
      const [u, v] = [rx * Math.cos(t), ry * Math.sin(t)];
      const [px, py] = [x + u * cos - v * sin, y + u * sin + v * cos];
      if (i === 0 && (!this.rings.length || Math.abs(sweep) >= whole - 1e-9)) this.moveTo(px, py);
      else this.lineTo(px, py);
    }
    if (Math.abs(sweep) >= whole - 1e-9) this.closed = true;
  }

  clip(): void {
    const all = this.rings.flat();
    if (!all.length) return;
    let [x, y, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
    for (const [px, py] of all) {
      [x, y] = [Math.min(x, px), Math.min(y, py)];
      [right, bottom] = [Math.max(right, px), Math.max(bottom, py)];
    }
    const box = { x, y, width: right - x, height: bottom - y };
    const c = this.s.clip;
    if (!c) {
      this.s.clip = box;
      return;
    }
    const [l, t] = [Math.max(c.x, box.x), Math.max(c.y, box.y)];
    this.s.clip = {
      x: l,
      y: t,
      width: Math.max(0, Math.min(c.x + c.width, box.x + box.width) - l),
      height: Math.max(0, Math.min(c.y + c.height, box.y + box.height) - t),
    };
  }

  private put(item: DisplayItem): void {
    const { clip } = this.s;
    if (!clip) {
      this.items.push(item);
      return;
    }
    if (clip.width <= 0 || clip.height <= 0) return;
    const last = this.items.at(-1);
    // What follows under the same clip goes into the same group.
    if (last?.kind === 'group' && last.clip === clip) last.items.push(item);
    else this.items.push({ kind: 'group', clip, items: [item] });
  }
  private shape(look: { fill?: string; stroke?: string; line?: number; dash?: number[] }, closed: boolean): void {
    const rings = this.rings
      .map((r) => r.filter(([x, y]) => Number.isFinite(x) && Number.isFinite(y)))
      .filter((r) => r.length > 1);
    if (rings.length)
      this.put({ kind: 'shape', rings: rings.map((r) => r.map((p): Point => [p[0], p[1]])), closed, ...look });
  }
  fill(): void {
    const fill = plain(this.s.fillStyle);
    if (fill !== 'transparent' && this.s.alpha > 0) this.shape({ fill: seenThrough(fill, this.s.alpha) }, true);
  }
  stroke(): void {
    const { strokeStyle, lineWidth, dash, alpha } = this.s;
    if (plain(strokeStyle) === 'transparent' || lineWidth <= 0 || alpha <= 0) return;
    const k = this.size;
    this.shape(
      {
        stroke: seenThrough(plain(strokeStyle), alpha),
        line: lineWidth * k,
        ...(dash.length ? { dash: dash.map((d) => d * k) } : {}),
      },
      this.closed,
    );
  }
  fillRect(x: number, y: number, w: number, h: number): void {
    this.aside(() => {
      this.rect(x, y, w, h);
      this.fill();
    });
  }
  strokeRect(x: number, y: number, w: number, h: number): void {
    this.aside(() => {
      this.rect(x, y, w, h);
      this.stroke();
    });
  }
  clearRect(): void {
    // Nothing lies beneath that could be taken away.
  }
  private aside(draw: () => void): void {
    const [rings, closed] = [this.rings, this.closed];
    this.beginPath();
    draw();
    [this.rings, this.closed] = [rings, closed];
  }

  measureText(text: string): TextMetrics {
    const g = this.canvas.getContext('2d')!;
    const [font, baseline] = [g.font, g.textBaseline];
    g.font = this.s.font;
    g.textBaseline = this.s.textBaseline;
    const m = g.measureText(text);
    g.font = font;
    g.textBaseline = baseline;
    return m;
  }
  fillText(text: string, x: number, y: number): void {
    const m = /(\d+(?:\.\d+)?)px/.exec(this.s.font);
    const size = Number(m?.[1] ?? 11);
    const weight = /\b([1-9]00)\b/.exec(this.s.font)?.[1] ?? (/bold/.test(this.s.font) ? '600' : '450');
    const face: Face = /mono/i.test(this.s.font)
      ? 'mono'
      : /newsreader|serif/i.test(this.s.font.replace('sans-serif', ''))
        ? 'voice'
        : 'sans';
    // From wherever it is laid to the line that letters stand on.
    const { textBaseline } = this.s;
    this.s.textBaseline = 'alphabetic';
    const low = this.measureText('x').actualBoundingBoxAscent;
    this.s.textBaseline = textBaseline;
    const down = low - this.measureText('x').actualBoundingBoxAscent;
    const [px, py] = this.at(x, y + down);
    const turn = (Math.atan2(this.s.m.b, this.s.m.a) * 180) / Math.PI;
    const { textAlign: t, alpha, fillStyle } = this.s;
    if (!text.trim() || alpha <= 0 || !Number.isFinite(px + py)) return;
    this.put({
      kind: 'text',
      x: px,
      y: py,
      text: text.slice(0, 2000),
      size: size * this.size,
      weight: Number(weight),
      face,
      fill: seenThrough(plain(fillStyle), alpha),
      anchor: t === 'center' ? 'middle' : t === 'right' || t === 'end' ? 'end' : 'start',
      ...(Math.abs(turn) > 0.01 ? { turn } : {}),
    });
  }
  strokeText(): void {
    // Charts edge no letters.
  }
  drawImage(image: CanvasImageSource, ...at: number[]): void {
    const source = image as HTMLCanvasElement;
    const [sx, sy, sw, sh] =
      at.length === 8 ? (at.slice(0, 4) as [number, number, number, number]) : [0, 0, source.width, source.height];
    const [x, y, w, h] =
      at.length === 8 ? (at.slice(4) as [number, number, number, number]) : [at[0]!, at[1]!, at[2] ?? sw, at[3] ?? sh];
    const c = document.createElement('canvas');
    c.width = Math.max(1, Math.round(Math.abs(sw)));
    c.height = Math.max(1, Math.round(Math.abs(sh)));
    c.getContext('2d')!.drawImage(image, sx, sy, sw, sh, 0, 0, c.width, c.height);
    const [a, b] = [this.at(x, y), this.at(x + w, y + h)];
    const box = {
      x: Math.min(a[0], b[0]),
      y: Math.min(a[1], b[1]),
      width: Math.abs(b[0] - a[0]),
      height: Math.abs(b[1] - a[1]),
    };
    this.put({ kind: 'group', alpha: this.s.alpha, items: [{ kind: 'image', image: c, ...box }] });
  }
  createLinearGradient(...at: [number, number, number, number]): CanvasGradient {
    return this.canvas.getContext('2d')!.createLinearGradient(...at);
  }
  createPattern(image: CanvasImageSource, how: string | null): CanvasPattern | null {
    return this.canvas.getContext('2d')!.createPattern(image, how);
  }
  isPointInPath(): boolean {
    return false;
  }
}
