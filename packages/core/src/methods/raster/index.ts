export { mosaic } from './mosaic';
export { gaps } from './gaps';
export { fillGaps } from './fill-gaps';
export { reproject } from './reproject';
export { clip } from './clip';
export { difference } from './difference';
export { rescale } from './rescale';
export { statistics } from './statistics';
