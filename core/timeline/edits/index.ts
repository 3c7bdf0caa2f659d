export * from './effects.js';
export * from './change.js';
export * from './place.js';
export * from './transitions.js';
export { timeInClip, type NewId, type SourceLength } from './room.js';
