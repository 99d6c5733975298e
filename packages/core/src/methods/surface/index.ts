export { nearest } from './nearest';
export { thiessen } from './thiessen';
export { idw } from './idw';
export { spline } from './spline';
export { variogram } from './variogram';
export { kriging } from './kriging';
export { validate } from './validate';
