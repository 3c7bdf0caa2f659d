export * from './frame-content.js';
export * from './cached-stretch.js';
export * from './cache-point.js';
export * from './proposed-point.js';
export * from './played-graph.js';
export * from './eviction.js';
