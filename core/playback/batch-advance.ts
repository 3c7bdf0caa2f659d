import { decodeWork, type DecodeSegment } from './workload.js';
import { IN_FLIGHT, REFILL_AT } from './pacing.js';
import type { Stream } from './simulated-stream.js';

/** All that clips do at once when the room of a frame that was shown is handed out, while nothing else is under way. */
export interface BatchAdvance {
  /** Cores that it takes at most. */
  readonly cores: number;
  /** How long it takes at most when it gets them, ms. */
  readonly ms: number;
}

/**
 * @param queues clips that wait to have a picture made, by worker
 * @returns undefined when one of them would have to wait for its decoder meanwhile
 */
export function batchAdvanceOf(queues: readonly (readonly Stream[])[]): BatchAdvance | undefined {
  let [cores, ms] = [0, 0];
  for (const queue of queues) {
    if (queue.length === 0) continue;
    cores++;
    let [making, decoding] = [0, 0];
    for (const stream of queue) {
      const { scaleMs, effectsMs, decodeMs, decodeCores } = stream.passage;
      const left = stream.out - wantedOf(stream);
      if (left < 0) return undefined;
      making += (stream.slots + 1) * (scaleMs + effectsMs);
      if (stream.resting && left > REFILL_AT) continue;
      cores += decodeCores;
      decoding = Math.max(decoding, (IN_FLIGHT - left) * decodeMs * mostWork(stream.passage));
    }
    ms = Math.max(ms, making + decoding);
  }
  return { cores, ms };
}

/** Pictures that a clip takes out of its decoder while it fills its room, and to be ready to go on. */
function wantedOf(stream: Stream): number {
  const { passage, end, slots } = stream;
  let wanted = 0;
  let frame = stream.next;
  for (let made = 0; made <= slots && frame < end; made++) {
    frame = stream.following(frame);
    if (frame < end) wanted += passage.decodes[frame - passage.from]!;
  }
  return wanted;
}

const known = new WeakMap<DecodeSegment, number>();

/** What a picture of a passage takes to decode at most, in mean pictures. */
function mostWork(passage: DecodeSegment): number {
  const { bits, coldBits, ownBits, decodes, coldDecodes } = passage;
  if (!bits && !ownBits) return 1;
  const before = known.get(passage);
  if (before !== undefined) return before;
  let most = 1;
  for (let at = 0; at < decodes.length; at++)
    most = Math.max(
      most,
      decodeWork(passage, decodes[at]!, bits?.[at]),
      decodeWork(passage, 1, ownBits?.[at]),
      decodeWork(passage, coldDecodes[at]!, coldBits?.[at]) / Math.max(1, coldDecodes[at]!),
    );
  known.set(passage, most);
  return most;
}
