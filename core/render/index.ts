export * from './graph.js';
export * from './layering.js';
export * from './mix.js';
export * from './delivery.js';
export * from './encoders.js';
export * from './export-graph.js';
export * from './preview-graph.js';
export * from './proof-frames.js';
