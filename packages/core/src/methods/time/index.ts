export { stack } from './stack';
export { stackRasters } from './stack-rasters';
export { trend } from './trend';
export { groupSeries } from './group-series';
export { change } from './change';
export { slice } from './slice';
