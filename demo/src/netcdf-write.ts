import { ready, File, type Dataset } from 'h5wasm/node';

/** A grid of depths on longitudes and latitudes, rows from the south. */
export interface SeaGrid {
  longitudes: Float64Array;
  latitudes: Float64Array;
  /** Kilometres, positive down; NaN for missing. */
  depth: Float32Array;
}

const FILL = -99;
const TITLE = 'Seabed around Veyra (invented)';
const NAMES = { lat: 'latitude', lon: 'longitude' } as const;

/** Writes a NetCDF classic file by hand: header, then the three arrays (Unidata, "NetCDF Classic Format Specification"). */
export function writeNetcdfClassic(g: SeaGrid): Uint8Array {
  const size = 2048 + g.depth.length * 4 + (g.latitudes.length + g.longitudes.length) * 8;
  const out = new Uint8Array(size);
  const view = new DataView(out.buffer);
  let at = 0;
  const int = (v: number): void => {
    view.setInt32(at, v);
    at += 4;
  };
  const text = (s: string): void => {
    int(s.length);
    for (let i = 0; i < s.length; i++) out[at + i] = s.charCodeAt(i);
    at += Math.ceil(s.length / 4) * 4;
  };
  const attributes = (list: [string, string | number][]): void => {
    int(list.length ? 12 : 0);
    int(list.length);
    for (const [name, value] of list) {
      text(name);
      if (typeof value === 'string') {
        int(2);
        text(value);
      } else {
        int(5);
        int(1);
        view.setFloat32(at, value);
        at += 4;
      }
    }
  };
  out.set([0x43, 0x44, 0x46, 1]);
  at = 4;
  int(0);
  int(10);
  int(2);
  text('lat');
  int(g.latitudes.length);
  text('lon');
  int(g.longitudes.length);
  attributes([
    ['Conventions', 'CF-1.11'],
    ['title', TITLE],
  ]);
  int(11);
  int(3);
  const offsets: number[] = [];
  const variable = (
    name: string,
    dims: number[],
    list: [string, string | number][],
    type: number,
    bytes: number,
  ): void => {
    text(name);
    int(dims.length);
    dims.forEach(int);
    attributes(list);
    int(type);
    int(bytes);
    offsets.push(at);
    int(0);
  };
  variable('lat', [0], coordinate('lat'), 6, g.latitudes.length * 8);
  variable('lon', [1], coordinate('lon'), 6, g.longitudes.length * 8);
  variable('depth', [0, 1], [...DEPTH, ['_FillValue', FILL]], 5, g.depth.length * 4);
  [g.latitudes, g.longitudes, g.depth].forEach((values, k) => {
    view.setInt32(offsets[k]!, at);
    for (const v of values) {
      if (k < 2) view.setFloat64(at, v);
      else view.setFloat32(at, v !== v ? FILL : v);
      at += k < 2 ? 8 : 4;
    }
  });
  return out.slice(0, at);
}

const coordinate = (name: keyof typeof NAMES): [string, string][] => [
  ['standard_name', NAMES[name]],
  ['units', name === 'lat' ? 'degrees_north' : 'degrees_east'],
];
const DEPTH: [string, string][] = [
  ['long_name', 'depth below sea level'],
  ['units', 'km'],
  ['positive', 'down'],
];

/** The same as NetCDF-4, through the HDF5 library, deflated. */
export async function writeNetcdf4(g: SeaGrid): Promise<Uint8Array> {
  const { FS } = await ready;
  const file = new File('seabed.nc', 'w');
  file.create_attribute('Conventions', 'CF-1.11');
  file.create_attribute('title', TITLE);
  const put = (d: Dataset, list: [string, string][]): void => {
    for (const [k, v] of list) d.create_attribute(k, v);
  };
  for (const name of ['lat', 'lon'] as const) {
    const d = file.create_dataset({ name, data: name === 'lat' ? g.latitudes : g.longitudes });
    put(d, coordinate(name));
    d.make_scale(name);
  }
  const shape = [g.latitudes.length, g.longitudes.length];
  const depth = file.create_dataset({
    name: 'depth',
    data: g.depth.map((v) => (v !== v ? FILL : v)),
    shape,
    chunks: shape,
    compression: 'gzip',
    compression_opts: [4],
  });
  put(depth, DEPTH);
  depth.create_attribute('_FillValue', new Float32Array([FILL]), [1]);
  depth.attach_scale(0, 'lat');
  depth.attach_scale(1, 'lon');
  file.close();
  const bytes = FS.readFile('seabed.nc') as Uint8Array;
  FS.unlink('seabed.nc');
  return bytes.slice();
}
