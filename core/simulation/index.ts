export * from './cpu-speed-process.js';
export * from './learning.js';
export * from './prediction.js';
export * from './processor-sharing.js';
export * from './random.js';
export * from './scrubbing.js';
export * from './simulation.js';
export * from './decode-plan.js';
