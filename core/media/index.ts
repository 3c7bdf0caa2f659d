export * from './facts.js';
export * from './copy-format.js';
