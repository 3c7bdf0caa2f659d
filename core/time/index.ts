export * from './rational.js';
export * from './timecode.js';
export * from './conform.js';
