export { build } from './build';
export { reach } from './reach';
export { route } from './route';
export { matrix } from './matrix';
export { nearest } from './nearest';
export { compareReach } from './compare-reach';
export { served } from './served';
