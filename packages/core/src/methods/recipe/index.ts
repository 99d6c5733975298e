export { simulate } from './simulate';
