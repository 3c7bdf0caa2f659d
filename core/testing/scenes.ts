import {
  diagnosedLog,
  findings,
  recommending,
  type Finding,
  type FindingContext,
  type FindingKind,
  type Recommendation,
} from '../findings/index.js';
import { PLAINEST, type Tuning } from '../levers/index.js';
import type { PictureFacts, PictureStructure } from '../media/index.js';
import { FrameLog, pacingSummary, type RunFacts } from '../playback/index.js';
import { UNCALIBRATED, type KnownCopy, type KnownSource, type Situation } from '../cost-model/index.js';
import {
  driveFigures,
  memoryShares,
  SIMULATED_DRIVES,
  SIMULATED_RIGS,
  usualCeiling,
  type Rig,
} from '../machine/index.js';
import { predict, type Prediction } from '../simulation/index.js';
import { rational } from '../time/index.js';
import type { Clip, Timeline, Track } from '../timeline/index.js';
import { readySource, sourceFacts } from './sources.js';

export const UHD = { width: 3840, height: 2160 };
export const GIB = 2 ** 30;

const structure = (gop: number, bitsPerFrame: number): PictureStructure =>
  ({ gopFrames: { shortest: gop, median: gop, longest: gop }, bitsPerFrame }) as PictureStructure;

export function source(
  id: string,
  { gop = 1, megabits = 2.5, ...picture }: Partial<PictureFacts> & { gop?: number; megabits?: number } = {},
): KnownSource {
  return readySource(id, sourceFacts({ frameCount: 4000, ...picture }), {
    structure: structure(gop, megabits * 1e6),
    drive: 'media',
  });
}

export const halfCopy = (sourceId: string, bytesPerFrame: number): KnownCopy => ({
  id: `copy-${sourceId}`,
  sourceId,
  state: 'ready',
  width: 1920,
  height: 1080,
  alphaRow: null,
  bytes: 4000 * bytesPerFrame,
});

/** A machine that nothing but what a case names holds back. */
export function strongRig(change: Partial<Rig> = {}, driveBytesPerSecond = 3e9, msPerFrame = 2): Rig {
  const base = SIMULATED_RIGS.find(({ id }) => id === 'simulated-tower')!;
  const drive = driveFigures({
    ...SIMULATED_DRIVES.at(-1)!,
    name: 'media',
    readBytesPerSecond: driveBytesPerSecond,
  });
  const figure = {
    value: msPerFrame,
    low: msPerFrame,
    high: msPerFrame,
    times: 1,
    method: '',
    measuredAt: '',
    disturbed: false,
  };
  // Its decoders take as long for many bits as for few.
  const decoders = (codec: string): Rig['decoders'] =>
    [2.5e6, 350e6].map((bitsPerFrame) => ({
      ...{ decoder: 'browser', codec, profile: '', chroma: '4:2:0', bitDepth: 8, ...UHD, bitsPerFrame },
      ...{ acceleration: 'software', msPerFrame: figure, together: [], problem: null },
    }));
  return {
    ...base,
    drives: [drive],
    decoders: [...decoders('h264'), ...decoders('prores')],
    graphics: { ...base.graphics, software: false, stronger: null },
    ...change,
  };
}

export const withCores = (rig: Rig, cores: number): Rig => ({ ...rig, machine: { ...rig.machine, cores } });

export const clipOf = (
  id: string,
  sourceId: string,
  start: number,
  length: number,
  more: Partial<Clip> = {},
): Clip => ({
  ...{ id, name: id, sourceId, start, length, sourceIn: rational(0), enabled: true },
  ...more,
});

export const trackOf = (id: string, clips: Clip[], more: Partial<Track> = {}): Track => ({
  ...{ id, kind: 'picture', name: id, enabled: true, clips },
  ...more,
});

export const timelineOf = (tracks: Track[]): Timeline => ({
  rate: rational(24),
  startFrame: 0,
  size: UHD,
  tracks,
});

export function situationOf(
  timeline: Timeline,
  sources: readonly KnownSource[],
  rig: Rig,
  tuning: Partial<Tuning> = {},
  copies: readonly KnownCopy[] = [],
): Situation {
  return {
    ...{ timeline, sources, copies, rig, tuning: { ...PLAINEST, playScale: 4, ...tuning } },
    shares: memoryShares(usualCeiling(32 * GIB), rig.machine.cores),
    ...{ drive: null, calibration: UNCALIBRATED },
  };
}

export const contextOf = (situation: Situation, more: Partial<FindingContext> = {}): FindingContext => ({
  situation,
  prediction: predict(situation),
  ...{ run: null, scrub: null, scrubWait: null, planned: null },
  ...more,
});

/** Findings of a context's own log: measured where its run went, predicted elsewhere. */
export const findingsOf = (context: FindingContext): Finding[] =>
  findings(diagnosedLog(context.prediction, context.run), context);

export const kindsOf = (context: FindingContext): FindingKind[] =>
  findingsOf(context).map(({ kind }) => kind);

export function find<Kind extends FindingKind>(
  context: FindingContext,
  kind: Kind,
): Extract<Finding, { kind: Kind }> | undefined {
  return findingsOf(context).find((each): each is Extract<Finding, { kind: Kind }> => each.kind === kind);
}

/** Recommendations for findings, in one go. @returns one list for each, in their order */
export function recommend(
  situation: Situation,
  now: Prediction,
  findings: readonly Finding[],
): readonly Recommendation[][] {
  const steps = recommending(situation, now, findings);
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value;
  }
}

/** Recommendations for the finding of a situation that is of one kind. */
export function recommendationsFor(situation: Situation, kind: FindingKind): Recommendation[] {
  const context = contextOf(situation);
  const found = findingsOf(context).filter((each) => each.kind === kind);
  return recommend(situation, context.prediction, found)[0]!;
}

export const FRAMES = 240;
export const alone = (sourceId: string, more: Partial<Clip> = {}): Timeline =>
  timelineOf([trackOf('p', [clipOf('c', sourceId, 0, FRAMES, more)])]);

/** A run that went well, or of which some frames are late or missing. */
export function runOf(fate: (frame: number) => { late?: number; decodeMs?: number; dropped?: boolean }): {
  log: FrameLog;
  summary: ReturnType<typeof pacingSummary>;
  facts: RunFacts;
} {
  const log = FrameLog.empty(0, FRAMES);
  for (let frame = 0; frame < FRAMES; frame++) {
    const { late = 0, decodeMs = 10, dropped = false } = fate(frame);
    log.set(frame, 'due', 100 + (frame * 1000) / 24);
    if (!dropped) log.set(frame, 'shown', 100 + late + (frame * 1000) / 24);
    log.set(frame, 'decode', decodeMs);
    log.set(frame, 'decoded', 1);
    log.set(frame, 'settled', 1);
  }
  const facts = { sound: { mixMs: 10, gapSamples: 0 } } as RunFacts;
  return { log, summary: pacingSummary(log, rational(24)), facts };
}
