export * from './frame-content.js';
export * from './cached-stretch.js';
export * from './played-graph.js';
export * from './eviction.js';
