export * from './sources.js';
export { alone, runOf } from './scenes.js';
