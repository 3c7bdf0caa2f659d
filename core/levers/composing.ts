/** The processors that frames can be composed on. */
export const COMPOSE_PROCESSORS = ['graphics processor', 'processor'] as const;

/** One of COMPOSE_PROCESSORS. */
export type ComposeProcessor = (typeof COMPOSE_PROCESSORS)[number];
