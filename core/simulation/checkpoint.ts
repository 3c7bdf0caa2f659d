import type { Workload } from '../cost-model/index.js';
import type { ContextState } from './simulation-context.js';
import type { StreamsState } from './simulated-streams.js';

/** State of a simulation at a time without running jobs, from which another can continue. */
export interface Checkpoint {
  /** Frame on the screen. */
  readonly frame: number;
  readonly settled: number;
  readonly context: ContextState;
  readonly streams: StreamsState;
}

/** Whether two moments at which nothing is under way are alike in everything that what follows hangs on, but for the workload. */
export const statesEqual = (one: Checkpoint, other: Checkpoint): boolean =>
  one.frame === other.frame && signatureOf(one) === signatureOf(other);

function signatureOf({ frame, settled, context, streams }: Checkpoint): string {
  const { free, released, readyUntil } = context;
  const { nextSegment, nextWorker, prefetch } = streams;
  const each = streams.streams
    .map((stream) => {
      const { at, worker, next, needed, out, read, slots, decoded, resting, delayMs } = stream;
      const states = [
        at,
        worker,
        next,
        needed,
        out,
        read,
        slots,
        decoded,
        Number(resting),
        Number(delayMs > 0),
      ];
      return [...states, stream.stateKey(frame)].join(',');
    })
    .sort();
  return [
    frame,
    settled,
    free,
    released,
    readyUntil,
    nextSegment,
    nextWorker,
    prefetch.stateKey(),
    ...each,
  ].join(' ');
}

/** Difference between two workloads: the first segment, and the frames [first, last). */
export interface Change {
  readonly segment: number;
  readonly first: number;
  readonly last: number;
}

const SCALARS = [
  ...['from', 'to', 'showMs', 'presentMs', 'cores', 'coresOfOthers', 'decodeWorkers', 'slots'],
  ...['readAheadBytes', 'startMs', 'unsteadiness'],
] as const;

/**
 * Where two workloads differ.
 * @returns undefined when they differ as a whole, so that nothing of one simulation holds for the other
 */
export function changeOf(before: Workload, now: Workload): Change | undefined {
  const isSame = SCALARS.every((name) => before[name as keyof Workload] === now[name as keyof Workload]);
  const { segments } = now;
  if (!isSame || segments.length !== before.segments.length) return undefined;
  if (!sameNumbers(now.isIncomplete, before.isIncomplete)) return undefined;
  if (!sameNumbers(now.isStanding, before.isStanding)) return undefined;
  if (JSON.stringify([before.rate, before.drives]) !== JSON.stringify([now.rate, now.drives]))
    return undefined;
  let [segment, first, last] = [segments.length, Infinity, -Infinity];
  for (let at = 0; at < segments.length; at++) {
    const [a, b] = [before.segments[at]!, segments[at]!];
    if (a.from !== b.from || a.to !== b.to || a.clipId !== b.clipId || a.beginAt !== b.beginAt)
      return undefined;
    const isEqual =
      a.decodeMs === b.decodeMs &&
      a.bitShare === b.bitShare &&
      a.decodeCores === b.decodeCores &&
      a.bytesPerPicture === b.bytesPerPicture &&
      a.drive === b.drive &&
      a.scaleMs === b.scaleMs &&
      a.effectsMs === b.effectsMs &&
      a.openMs === b.openMs &&
      a.firstMs === b.firstMs &&
      a.restartMs === b.restartMs &&
      sameNumbers(a.decodes, b.decodes) &&
      sameNumbers(a.bits, b.bits) &&
      sameNumbers(a.unreferenced, b.unreferenced) &&
      sameNumbers(a.ownBits, b.ownBits) &&
      sameNumbers(a.repeats, b.repeats) &&
      sameNumbers(a.coldBits, b.coldBits) &&
      sameNumbers(a.coldDecodes, b.coldDecodes) &&
      sameNumbers(a.entries, b.entries);
    if (isEqual) continue;
    segment = Math.min(segment, at);
    first = Math.min(first, b.from);
    last = Math.max(last, b.to);
  }
  for (let at = 0; at < now.composeMs.length; at++)
    if (now.composeMs[at] !== before.composeMs[at]) {
      first = Math.min(first, now.from + at);
      last = Math.max(last, now.from + at + 1);
    }
  return { segment, first, last };
}

type Numbers = Uint8Array | Uint16Array | Int32Array | Float32Array;

function sameNumbers(a: Numbers | undefined, b: Numbers | undefined): boolean {
  if (a === b) return true;
  if (a?.length !== b?.length || !a || !b) return false;
  for (let at = 0; at < a.length; at++) if (a[at] !== b[at]) return false;
  return true;
}
