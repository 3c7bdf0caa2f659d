export * from './tuning.js';
