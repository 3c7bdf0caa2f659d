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

/** Stages that the drive, or a thread of the player, does one after the other for a picture. */
export const STAGE_THREADS: readonly (readonly Stage[])[] = [
  ['read'],
  ['decode'],
  ['scale', 'effects'],
  ['compose', 'show'],
];

/**
 * The stage that holds playback up: of the thread with the highest load, the stage with the largest part of it.
 * @param loadOf load of a stage; undefined where it is not known
 * @returns undefined where no stage has a load
 */
export function limitingStageOf(loadOf: (stage: Stage) => number | undefined): Stage | undefined {
  let most = 0;
  let limiting: Stage | undefined;
  for (const thread of STAGE_THREADS) {
    const whole = thread.reduce((sum, stage) => sum + (loadOf(stage) ?? 0), 0);
    if (whole <= most) continue;
    most = whole;
    limiting = thread.reduce((a, b) => ((loadOf(b) ?? 0) > (loadOf(a) ?? 0) ? b : a));
  }
  return limiting;
}
