export * from './tuning.js';
export * from './monitored-tracks.js';
