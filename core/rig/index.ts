export * from './simulated-drives.js';
export * from './token-bucket.js';
