export * from './landscape';
export * from './elevation';
export * from './features';
