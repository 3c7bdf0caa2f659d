export * from './stage.js';
export * from './frame-log.js';
export * from './freezes.js';
export * from './statistics.js';
export * from './run.js';
export * from './live-figures.js';
