export * from './player.js';
export * from './plan.js';
export type { PictureOrigin, PlayerState } from './shared/messages.js';
export * from './plan-for.js';
