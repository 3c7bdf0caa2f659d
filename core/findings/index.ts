export * from './limiting-stage.js';
export * from './needy-sources.js';
export * from './utilisation.js';
export * from './cause.js';
export * from './causes.js';
export * from './moves.js';
export * from './offers.js';
export * from './sharpness.js';
