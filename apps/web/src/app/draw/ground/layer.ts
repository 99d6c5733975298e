import Feature from 'ol/Feature';
import LineString from 'ol/geom/LineString';
import type BaseLayer from 'ol/layer/Base';
import TileLayer from 'ol/layer/Tile';
import VectorLayer from 'ol/layer/Vector';
import type OlMap from 'ol/Map';
import VectorSource from 'ol/source/Vector';
import { Stroke, Style } from 'ol/style';
import { systemText, type Crs } from '@helk/core';
import { rgbOf, type Theme } from '../theme';
import { coastLines, worldCoasts } from './coasts';
import { tileLayer, type Tiles } from './tiles';

/** What lies under the data of a map. */
export interface Ground {
  what: 'coasts' | Tiles;
  /** 0 to 1. */
  strength: number;
}

/** Under every dataset. */
const UNDER = -10;
/** Of a layer's own, and found by whoever makes pictures of a map. */
const CLASS = 'ol-layer helk-ground';

/** Lines in a system, held so long as anybody draws in it. */
const sources = new Map<string, VectorSource>();
const MOST_SYSTEMS = 4;

function coastsIn(crs: Crs): { source: VectorSource; ready: Promise<void> } {
  const key = systemText(crs);
  const kept = sources.get(key);
  if (kept) return { source: kept, ready: (kept.get('ready') as Promise<void> | undefined) ?? Promise.resolve() };
  const source = new VectorSource({ wrapX: false });
  const ready = worldCoasts()
    .then((w) => coastLines(w, crs))
    .then((lines) => source.addFeatures(lines.map((l) => new Feature(new LineString(l)))));
  source.set('ready', ready);
  ready.catch(() => sources.delete(key));
  sources.set(key, source);
  if (sources.size > MOST_SYSTEMS) sources.delete(sources.keys().next().value!);
  return { source, ready };
}

const strokeOf = (theme: Theme, strength: number): Style =>
  new Style({
    stroke: new Stroke({ color: [...rgbOf(theme.quiet), 0.25 + 0.6 * strength], width: 0.9 + 0.5 * strength }),
  });

/** Keeps what lies under the data of one map in line with what is wished. */
export class GroundLayer {
  private layer: BaseLayer | null = null;
  private key = '';
  private missed = new Set<string>();
  /** When it is there, as far as it does not come while it is drawn. */
  ready: Promise<void> = Promise.resolve();

  constructor(
    private readonly map: OlMap,
    private readonly failed: (e: unknown) => void,
    /** Told how many tiles did not come, and why the last did not. */
    private readonly lost: (tiles: number, why: unknown) => void = () => undefined,
  ) {}

  sync(ground: Ground | null, crs: Crs, theme: Theme): void {
    const what = ground && (ground.what === 'coasts' ? 'coasts' : ground.what.id);
    const key = what ? `${what} ${systemText(crs)}` : '';
    if (key !== this.key) {
      this.clear();
      this.key = key;
      if (ground) {
        this.layer = this.make(ground, crs);
        this.map.addLayer(this.layer);
      }
    }
    if (!ground || !this.layer) return;
    if (this.layer instanceof VectorLayer) this.layer.setStyle(strokeOf(theme, ground.strength));
    // In the dark a pale map would be the brightest thing there is.
    else this.layer.setOpacity(theme.dark ? 0.05 + 0.45 * ground.strength : 0.1 + 0.9 * ground.strength);
  }

  private make(ground: Ground, crs: Crs): BaseLayer {
    if (ground.what !== 'coasts') {
      const missed = (this.missed = new Set());
      let last: unknown = null;
      return tileLayer(ground.what, CLASS, UNDER, (tile, why) => {
        if (why === null) missed.delete(tile);
        else {
          missed.add(tile);
          last = why;
        }
        // A layer that was there before may still hear of what it asked for.
        if (this.missed === missed) this.lost(missed.size, last);
      });
    }
    const { source, ready } = coastsIn(crs);
    this.ready = ready.catch((e: unknown) => this.failed(e));
    return new VectorLayer({ source, className: CLASS, zIndex: UNDER });
  }

  /** Asks once more for what did not come. */
  again(): void {
    if (!(this.layer instanceof TileLayer)) return;
    this.missed.clear();
    this.lost(0, null);
    this.layer.getSource()?.refresh();
  }

  clear(): void {
    if (!this.layer) return;
    this.missed = new Set();
    this.lost(0, null);
    this.map.removeLayer(this.layer);
    // The lines are shared with other maps.
    if (this.layer instanceof VectorLayer) this.layer.setSource(null);
    this.layer.dispose();
    this.layer = null;
    this.key = '';
    this.ready = Promise.resolve();
  }
}
