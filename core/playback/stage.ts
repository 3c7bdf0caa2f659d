/** The stages of playback, in the order in which a frame passes through them. */
export const STAGES = ['read', 'decode', 'scale', 'effects', 'compose', 'show'] as const;

export type Stage = (typeof STAGES)[number];

/** Something of each stage. */
export const stageRecord = <T>(of: (stage: Stage) => T): Record<Stage, T> =>
  Object.fromEntries(STAGES.map((stage) => [stage, of(stage)])) as Record<Stage, T>;

/** The milliseconds that one frame may take. */
export function frameBudgetMs(rate: { num: number; den: number }): number {
  return (1000 * rate.den) / rate.num;
}
