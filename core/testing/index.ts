export * from './sources.js';
export { alone, runOf } from './scenes.js';
export * from './seen-layers.js';
