import { mean as meanOf } from 'd3-array';
import { drawMsAt, isMade, stageMsOf, stageWork, type Workload } from '../cost-model/index.js';
import { frameBudgetMs, type FrameLog, type Stage } from '../playback/index.js';
import type { FrameRange } from '../timeline/index.js';

/** Resources that are serial, or shared, during playback. */
export const RESOURCES = ['drive', 'cores', 'decoder', 'worker', 'engine'] as const;

export type Resource = (typeof RESOURCES)[number];

/** About a second of a timeline: how much of each resource it asks for, 1 for all there is. */
export interface Window {
  /** Timeline frames [from, to). */
  readonly from: number;
  readonly to: number;
  readonly use: Readonly<Record<Resource, number>>;
  /** Name of the drive that is asked for most. */
  readonly drive: string;
  readonly bytesPerSecond: number;
  /** Readers of that drive at once. */
  readonly readers: number;
  /**
   * Of the decoder that has most to do: its pictures for each one shown, the ms that go into reaching first frames and
   * into starting, and all of its ms.
   */
  readonly decodedPerShown: number;
  readonly reachMs: number;
  readonly startMs: number;
  readonly decodeMs: number;
  /** Core-ms of all decoders. */
  readonly decodeCoreMs: number;
  readonly scaleMs: number;
  readonly effectsMs: number;
  readonly composeMs: number;
  readonly showMs: number;
  readonly busiestSource: string;
}

/** Use of the resource that a second asks for most, 1 for all there is. */
export const busiestUse = ({ use }: Window): number =>
  Math.max(use.drive, use.decoder, use.worker, use.engine, use.cores);

/** Demand of each second of a workload, from the costs of its frames alone. */
export function windowsOf(workload: Workload): Window[] {
  const budgetMs = frameBudgetMs(workload.rate);
  const length = Math.max(1, Math.round(1000 / budgetMs));
  const windows: Window[] = [];
  let first = 0;
  for (let from = workload.from; from < workload.to; from += length) {
    const to = Math.min(workload.to, from + length);
    while (first < workload.segments.length && workload.segments[first]!.to <= from) first++;
    windows.push(windowAt(workload, from, to, budgetMs, first));
  }
  return windows;
}

function windowAt(workload: Workload, from: number, to: number, budgetMs: number, first: number): Window {
  const spanMs = (to - from) * budgetMs;
  const bytes = workload.drives.map(() => 0);
  const readers = workload.drives.map(() => 0);
  let scaleMs = 0;
  let effectsMs = 0;
  let busiestWorkerMs = 0;
  let decodeCoreMs = 0;
  let busiest = { ms: 0, decodedPerShown: 0, reachMs: 0, startMs: 0, sourceId: '' };
  for (let at = first; at < workload.segments.length; at++) {
    const segment = workload.segments[at]!;
    if (segment.from >= to) break;
    if (segment.to <= from) continue;
    let decoded = 0;
    let made = 0;
    let reached = 0;
    let work = 0;
    let read = 0;
    for (let frame = Math.max(from, segment.from); frame < Math.min(to, segment.to); frame++) {
      const pictures = segment.decodes[frame - segment.from]!;
      decoded += pictures;
      made += Number(isMade(segment, frame - segment.from));
      work += stageWork(segment, 'decode', frame);
      read += stageWork(segment, 'read', frame);
      if (frame === segment.from) reached += Math.max(0, pictures - 1);
    }
    const startMs = from <= segment.from && segment.from < to ? segment.firstMs : 0;
    decodeCoreMs += work * segment.decodeMs * segment.decodeCores;
    const ms = work * segment.decodeMs + startMs;
    scaleMs += made * segment.scaleMs;
    effectsMs += made * segment.effectsMs;
    busiestWorkerMs = Math.max(busiestWorkerMs, made * (segment.scaleMs + segment.effectsMs));
    if (segment.drive >= 0 && bytes.length) {
      bytes[segment.drive]! += read * segment.bytesPerPicture;
      readers[segment.drive]!++;
    }
    if (ms > busiest.ms)
      busiest = {
        ms,
        decodedPerShown: made ? (decoded - reached) / made : 0,
        reachMs: reached * segment.decodeMs,
        startMs,
        sourceId: segment.sourceId,
      };
  }
  let [composeMs, showMs, presentMs] = [0, 0, 0];
  for (let frame = from; frame < to; frame++) {
    const { show, present } = drawMsAt(workload, frame);
    composeMs += workload.composeMs[frame - workload.from]!;
    showMs += show;
    presentMs += present;
  }
  const coreMs = decodeCoreMs + scaleMs + effectsMs + composeMs + showMs + presentMs;
  const driveUse = workload.drives.map(
    ({ bytesPerSecond }, at) => (1000 * bytes[at]!) / bytesPerSecond / spanMs,
  );
  const fullest = driveUse.reduce((most, use, at) => (use > (driveUse[most] ?? -1) ? at : most), 0);
  return {
    from,
    to,
    use: {
      drive: driveUse[fullest] ?? 0,
      cores: coreMs / spanMs / Math.max(0.2, workload.cores - workload.coresOfOthers),
      decoder: busiest.ms / spanMs,
      // A clip has one worker for all its pictures.
      worker: Math.max(busiestWorkerMs, (scaleMs + effectsMs) / workload.decodeWorkers) / spanMs,
      engine: (composeMs + showMs) / spanMs,
    },
    drive: workload.drives[fullest]?.name ?? '',
    bytesPerSecond: (1000 * (bytes[fullest] ?? 0)) / spanMs,
    readers: readers[fullest] ?? 0,
    decodedPerShown: busiest.decodedPerShown,
    reachMs: busiest.reachMs,
    startMs: busiest.startMs,
    decodeMs: busiest.ms,
    decodeCoreMs,
    scaleMs,
    effectsMs,
    composeMs,
    showMs,
    busiestSource: busiest.sourceId,
  };
}

/** Frames of a stretch that were not shown. */
export function droppedIn(log: FrameLog, from: number, to: number): number {
  let dropped = 0;
  for (let frame = Math.max(from, log.firstFrame); frame < Math.min(to, log.firstFrame + log.length); frame++)
    if (log.get(frame, 'settled') > 0 && Number.isNaN(log.get(frame, 'shown'))) dropped++;
  return dropped;
}

/** Mean ms that a stage takes of the frames of some stretches that pass through it; 0 when none does. */
export function passingMs(workload: Workload, stage: Stage, spans: readonly FrameRange[]): number {
  const ms = stageMsOf(workload, stage);
  let sum = 0;
  let count = 0;
  for (const { from, to } of spans)
    for (let frame = Math.max(from, workload.from); frame < Math.min(to, workload.to); frame++) {
      const each = ms[frame - workload.from]!;
      if (each <= 0) continue;
      sum += each;
      count++;
    }
  return count ? sum / count : 0;
}

/** The mean of a figure of some seconds; 0 where there are none. */
export const mean = (windows: readonly Window[], of: (window: Window) => number): number =>
  meanOf(windows, of) ?? 0;

/** Utilisation of each stage, per cent of its resource; two stages share a worker, and two the engine. */
export function stageLoadsOf(windows: readonly Window[]): Record<Stage, number> {
  const part = (a: number, b: number): number => a / Math.max(1e-9, a + b);
  return {
    read: 100 * mean(windows, ({ use }) => use.drive),
    decode: 100 * mean(windows, ({ use }) => use.decoder),
    scale: 100 * mean(windows, ({ use, scaleMs, effectsMs }) => use.worker * part(scaleMs, effectsMs)),
    effects: 100 * mean(windows, ({ use, scaleMs, effectsMs }) => use.worker * part(effectsMs, scaleMs)),
    compose: 100 * mean(windows, ({ use, composeMs, showMs }) => use.engine * part(composeMs, showMs)),
    show: 100 * mean(windows, ({ use, composeMs, showMs }) => use.engine * part(showMs, composeMs)),
  };
}
