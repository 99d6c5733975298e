export { describe } from './describe';
export { correlate } from './correlate';
