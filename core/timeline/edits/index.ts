export * from './effects.js';
export * from './change.js';
export * from './insert-overwrite.js';
export * from './transitions.js';
export { timeInClip, type NewId, type SourceLength } from './clip-slicing.js';
