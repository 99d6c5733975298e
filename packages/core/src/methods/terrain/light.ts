/** Light directions as unit vectors (east, south, up), each with its azimuth for the weights of several lights. */
export interface Light {
  multiple: boolean;
  east: number[];
  south: number[];
  up: number;
}

/**
 * @param azimuth degrees clockwise from north the light comes from
 * @param altitude degrees above the horizon
 */
export function shader(azimuth: number, altitude: number, lights: 'single' | 'multiple'): Light {
  const h = (altitude * Math.PI) / 180;
  const azimuths = lights === 'multiple' ? [225, 270, 315, 360] : [azimuth];
  const rad = azimuths.map((a) => (a * Math.PI) / 180);
  return {
    multiple: lights === 'multiple',
    east: rad.map((a) => Math.sin(a) * Math.cos(h)),
    south: rad.map((a) => -Math.cos(a) * Math.cos(h)),
    up: Math.sin(h),
  };
}

/**
 * Brightness 0-255 of one row from its gradients (rise to the east and to the south): the cosine between the surface's
 * normal (-gx, -gy, 1) and the light, which equals the zenith/aspect formula without trigonometry per cell.
 */
export function shadeRow(
  light: Light,
  gx: Float64Array,
  gy: Float64Array,
  out: Float32Array | Float64Array,
  offset: number,
): void {
  const { up } = light;
  if (!light.multiple) {
    const le = light.east[0]!;
    const ls = light.south[0]!;
    for (let x = 0; x < gx.length; x++) {
      const e = gx[x]!;
      const s = gy[x]!;
      const c = (up - le * e - ls * s) / Math.sqrt(1 + e * e + s * s);
      out[offset + x] = c < 0 ? 0 : 255 * c;
    }
    return;
  }
  const flat = Math.sqrt(Math.max(0, 1 - up * up));
  for (let x = 0; x < gx.length; x++) {
    const e = gx[x]!;
    const s = gy[x]!;
    const g2 = e * e + s * s;
    if (g2 === 0) {
      out[offset + x] = 255 * up;
      continue;
    }
    const n = 1 / Math.sqrt(1 + g2);
    let sum = 0;
    for (let k = 0; k < 4; k++) {
      const le = light.east[k]!;
      const ls = light.south[k]!;
      // sin² of the angle between light and aspect, from the cross product of their horizontal directions.
      const cross = flat > 0 ? (le * s - ls * e) / flat : 0;
      const weight = (cross * cross) / g2;
      const c = (up - le * e - ls * s) * n;
      if (c > 0) sum += weight * c;
    }
    // The four squared sines, 45° apart, always add up to 2.
    out[offset + x] = (255 * sum) / 2;
    if (g2 !== g2) out[offset + x] = NaN;
  }
}
