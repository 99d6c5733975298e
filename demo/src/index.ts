export * from './landscape';
export * from './elevation';
