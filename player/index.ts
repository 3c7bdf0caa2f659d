export * from './player.js';
export * from './plan.js';
export type { PlayerState } from './shared/messages.js';
export * from './plan-for.js';
