export * from './landscape';
export * from './elevation';
export * from './features';
export * from './seabed';
export * from './cover';
export * from './people';
export * from './peat';
export * from './scenes';
