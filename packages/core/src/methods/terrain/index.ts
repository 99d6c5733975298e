export { fill } from './fill';
export { slope } from './slope';
export { aspect } from './aspect';
export { hillshade } from './hillshade';
