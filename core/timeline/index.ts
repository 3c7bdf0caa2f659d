export * from './effect.js';
export * from './model.js';
export * from './schema.js';
export * from './timeline-fingerprint.js';
export * from './whole-sources.js';
export * from './edits/index.js';
export * from './even-side.js';
export * from './frame-range.js';
