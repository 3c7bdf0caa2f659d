export * from './composing.js';
export * from './decode-paths.js';
export * from './tuning.js';
export * from './monitored-tracks.js';
export * from './run-scale.js';
export * from './saved-tuning.js';
