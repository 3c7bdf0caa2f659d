export * from './stage.js';
export * from './frame-log.js';
export * from './moments.js';
export * from './pacing.js';
export * from './statistics.js';
export * from './clock.js';
export * from './run.js';
