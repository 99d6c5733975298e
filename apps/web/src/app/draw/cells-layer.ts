import type OlMap from 'ol/Map';
import ImageLayer from 'ol/layer/Image';
import ImageCanvas from 'ol/source/ImageCanvas';
import { formatNumber, symbolsOf, type Features, type Grid, type Symbols, type VectorStyle } from '@helk/core';
import { CELL } from '@helk/core/data/stack';
import type { LayerDriver, LayerState, MadeOf } from '../kinds/kind';
import { onPaper, symbolsOnPaper } from './theme';

/** Picked cells that are outlined one by one; more are washed over. */
const MOST_OUTLINED = 5000;

/** Places that are the cells of a grid, painted as one picture: a hundred thousand areas would be too slow. Only where the map is in the grid's own system. */
export class CellsDrawn implements LayerDriver<VectorStyle> {
  private readonly map: OlMap;
  private readonly layer: ImageLayer<ImageCanvas>;
  private readonly source: ImageCanvas;
  private readonly picture = document.createElement('canvas');
  private features: Features | null = null;
  /** The place of each cell, -1 where there is none. */
  private rows = new Int32Array(0);
  private cells: ArrayLike<number> = [];
  private worked: Symbols | null = null;
  private key = '';
  private picked: Uint8Array | null = null;
  private state: LayerState<VectorStyle>;
  private gone = false;
  readonly ready: Promise<void>;

  constructor(
    private readonly made: MadeOf<VectorStyle>,
    private readonly grid: Grid,
    load: () => Promise<Features>,
  ) {
    this.map = made.map;
    this.state = made.first;
    this.picture.width = grid.columns;
    this.picture.height = grid.rows;
    this.source = new ImageCanvas({
      ratio: 1,
      canvasFunction: (extent, resolution, ratio, size) => this.paint(extent, resolution, ratio, size),
    });
    this.layer = new ImageLayer({ source: this.source });
    this.map.addLayer(this.layer);
    this.ready = load().then((f) => {
      if (this.gone) return;
      this.rows = new Int32Array(grid.columns * grid.rows).fill(-1);
      this.cells = f.columns.find((c) => c.name === CELL)?.values as Float64Array;
      for (let i = 0; i < this.cells.length; i++) this.rows[this.cells[i]! - 1] = i;
      this.value(f);
      this.update(this.state);
    }, made.failed);
    this.update(made.first);
  }

  value(f: Features): void {
    this.features = f;
    this.key = '';
  }

  update(state: LayerState<VectorStyle>): void {
    this.state = state;
    const { look, visible, z, theme, item } = state;
    this.layer.setOpacity(look.opacity);
    this.layer.setVisible(visible);
    this.layer.setZIndex(z);
    if (!this.features) return;
    const picked = this.made.tools.picks.of(item.id);
    const key = JSON.stringify({ ...look, opacity: 0, dark: theme.dark });
    if (key === this.key && picked === this.picked) return;
    const told = key !== this.key;
    if (told) {
      const outline = look.outline && onPaper(look.outline, theme.dark);
      this.worked = symbolsOnPaper(
        symbolsOf({ ...look, outline, label: null }, this.features, (v, range = 1000) => formatNumber(v, range)),
        theme.dark,
      );
      this.colour(this.worked, look.fill);
    }
    this.key = key;
    this.picked = picked;
    this.source.changed();
    if (told) this.made.changed();
  }

  private colour(s: Symbols, fill: number): void {
    const image = new ImageData(this.grid.columns, this.grid.rows);
    const colours = s.colours.map((c) => [1, 3, 5].map((i) => parseInt(c.slice(i, i + 2), 16)));
    for (let i = 0; i < this.cells.length; i++) {
      const [r, g, b] = colours[s.index[i]!]!;
      const o = 4 * (this.cells[i]! - 1);
      image.data[o] = r!;
      image.data[o + 1] = g!;
      image.data[o + 2] = b!;
      image.data[o + 3] = Math.round(255 * fill);
    }
    this.picture.getContext('2d')!.putImageData(image, 0, 0);
  }

  private paint(extent: number[], resolution: number, ratio: number, size: number[]): HTMLCanvasElement {
    const canvas = document.createElement('canvas');
    [canvas.width, canvas.height] = [Math.round(size[0]!), Math.round(size[1]!)];
    const g = canvas.getContext('2d')!;
    const { x, y, dx, dy, columns, rows } = this.grid;
    const k = ratio / resolution;
    const [left, top] = [(x - extent[0]!) * k, (extent[3]! - y) * k];
    const [w, h] = [dx * k, dy * k];
    // Smaller than a pixel, cells are averaged; else each keeps its edges.
    g.imageSmoothingEnabled = w < 1;
    g.drawImage(this.picture, left, top, columns * w, rows * h);
    const { picked } = this;
    if (!picked) return canvas;
    let many = 0;
    for (const v of picked) many += v;
    g.strokeStyle = this.state.theme.pick;
    g.fillStyle = this.state.theme.pick;
    g.lineWidth = 2 * ratio;
    for (let i = 0; i < picked.length; i++) {
      if (!picked[i]) continue;
      const cell = this.cells[i]! - 1;
      const [c, r] = [cell % columns, Math.floor(cell / columns)];
      if (many <= MOST_OUTLINED) g.strokeRect(left + c * w, top + r * h, Math.max(w, 2), Math.max(h, 2));
      else g.fillRect(left + c * w, top + r * h, w, h);
    }
    return canvas;
  }

  symbols(): Symbols | null {
    return this.worked;
  }

  hit(pixel: number[]): number {
    const at = this.map.getCoordinateFromPixel(pixel);
    if (!at || !this.rows.length) return -1;
    const { x, y, dx, dy, columns, rows } = this.grid;
    const [c, r] = [Math.floor((at[0]! - x) / dx), Math.floor((y - at[1]!) / dy)];
    return c >= 0 && r >= 0 && c < columns && r < rows ? this.rows[r * columns + c]! : -1;
  }

  dispose(): void {
    this.gone = true;
    this.map.removeLayer(this.layer);
    this.layer.dispose();
  }
}
