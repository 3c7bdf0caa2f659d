import { sum } from 'd3-array';
import { clockOf, evictionsFor, priorityOf, type Evictable } from '@hone/core/cache';
import { randomOf } from '@hone/core/simulation';

/** Something that is wanted again and again: what it takes, and what it costs to make. */
interface Item {
  readonly id: string;
  readonly bytes: number;
  readonly madeInMs: number;
}

/** Share of the wanted bytes that a cache holds when they are wanted. */
export function byteHitRate(trace: readonly Item[], capacityBytes: number): number {
  let kept: Evictable[] = [];
  // The server remembers how often what it evicted was used.
  const usesOf = new Map<string, number>();
  let hitBytes = 0;
  for (const item of trace) {
    const known = kept.find(({ id }) => id === item.id);
    if (known) hitBytes += item.bytes;
    const used = { ...item, uses: (usesOf.get(item.id) ?? 0) + 1 };
    usesOf.set(item.id, used.uses);
    const entry = { ...used, priority: priorityOf(clockOf(kept), used) };
    kept = [...kept.filter(({ id }) => id !== item.id), entry];
    const gone = new Set(evictionsFor(kept, capacityBytes, (id) => id === item.id));
    kept = kept.filter(({ id }) => !gone.has(id));
  }
  return hitBytes / sum(trace, ({ bytes }) => bytes);
}

/**
 * The most that any cache could hold of a trace: what is wanted next the latest leaves first (Belady 1966), byte by byte, so
 * that sizes are no obstacle.
 */
export function beladyBound(trace: readonly Item[], capacityBytes: number): number {
  const nextUse = new Array<number>(trace.length).fill(Infinity);
  const later = new Map<string, number>();
  for (let at = trace.length - 1; at >= 0; at--) {
    nextUse[at] = later.get(trace[at]!.id) ?? Infinity;
    later.set(trace[at]!.id, at);
  }
  const kept = new Map<string, { bytes: number; next: number }>();
  let hitBytes = 0;
  let used = 0;
  trace.forEach(({ id, bytes }, at) => {
    const held = kept.get(id)?.bytes ?? 0;
    hitBytes += held;
    used += bytes - held;
    kept.set(id, { bytes, next: nextUse[at]! });
    while (used > capacityBytes) {
      const [last, entry] = [...kept].reduce((latest, each) =>
        each[1].next > latest[1].next ? each : latest,
      );
      const taken = Math.min(entry.bytes, used - capacityBytes);
      used -= taken;
      if (taken === entry.bytes) kept.delete(last);
      else kept.set(last, { ...entry, bytes: entry.bytes - taken });
    }
  });
  return hitBytes / sum(trace, ({ bytes }) => bytes);
}

/** Stretches of four seconds in a random order, those at the front far more often: Zipf's law with exponent 1. */
export function zipfTrace(seed: number, items = 200, length = 4000): Item[] {
  const random = randomOf(seed);
  const all = Array.from({ length: items }, (_, at): Item => {
    const bytes = 1e6 * (1 + 9 * random());
    return { id: `${at}`, bytes, madeInMs: bytes * (0.5 + random()) * 2e-3 };
  });
  const weights = all.map((_, at) => 1 / (at + 1));
  const whole = sum(weights);
  return Array.from({ length }, () => {
    let left = random() * whole;
    return all.find((_, at) => (left -= weights[at]!) <= 0) ?? all.at(-1)!;
  });
}
