export * from './change.js';
export * from './place.js';
export { timeInClip, type NewId, type SourceLength } from './room.js';
