/** Where one looks from: a place that is looked at, and from which side, how steeply and how far away. Metres and degrees. */
export interface Eye {
  /** Height of the place that is looked at. */
  z: number;
  /** Towards where one looks, clockwise from north. */
  heading: number;
  /** 0 straight down, 90 along the ground. */
  tilt: number;
  /** From the eye to the place. */
  distance: number;
}

/** Half of the vertical angle of view. */
export const HALF_VIEW = (20 * Math.PI) / 180;
export const STEEPEST = 0;
export const FLATTEST = 86;

export const START: Eye = { z: 0, heading: 20, tilt: 58, distance: 1000 };

const radians = (degrees: number): number => (degrees * Math.PI) / 180;

/** From the place that is looked at to the eye. */
export function eyeOffset({ heading, tilt, distance }: Eye): [x: number, y: number, z: number] {
  const [h, t] = [radians(heading), radians(tilt)];
  return [-Math.sin(h) * Math.sin(t) * distance, -Math.cos(h) * Math.sin(t) * distance, Math.cos(t) * distance];
}

/** Metres that a pixel shows at the place that is looked at. */
export const metresPerPixel = (distance: number, height: number): number =>
  (2 * distance * Math.tan(HALF_VIEW)) / Math.max(1, height);
export const distanceFor = (metres: number, height: number): number =>
  (metres * Math.max(1, height)) / (2 * Math.tan(HALF_VIEW));

/** How far the place moves over the ground, east and north, when the picture is dragged by so many pixels. */
export function dragged(eye: Eye, dx: number, dy: number, height: number): [east: number, north: number] {
  const k = metresPerPixel(eye.distance, height);
  const h = radians(eye.heading);
  // What is seen flat moves further for the same way on the picture.
  const ahead = (dy * k) / Math.max(0.25, Math.cos(radians(eye.tilt)));
  const aside = -dx * k;
  return [aside * Math.cos(h) + ahead * Math.sin(h), -aside * Math.sin(h) + ahead * Math.cos(h)];
}

/** Turned about the place, within what one can look from. */
export const turned = (eye: Eye, heading: number, tilt: number): Eye => ({
  ...eye,
  heading: (((eye.heading + heading) % 360) + 360) % 360,
  tilt: Math.min(FLATTEST, Math.max(STEEPEST, eye.tilt + tilt)),
});
