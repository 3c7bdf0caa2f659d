export * from './limiting-stage.js';
export * from './overloaded-sources.js';
export * from './utilisation.js';
export * from './cause.js';
export * from './causes.js';
export * from './lever-changes.js';
export * from './recommendations.js';
export * from './sharpness.js';
