import { frameBudgetMs, isRealTime, STAGES, type FrameLog, type Stage } from '../playback/index.js';
import { effectSums, expectedDrops, type Prediction, type Situation, type Work } from '../rig/index.js';
import { toNumber } from '../time/index.js';
import { isOversized, merged, emptyCause, type Cause, type CauseKind, type Scene } from './cause.js';
import { concurrencyOf, costliest, loadsIn } from './limiting-stage.js';
import { machineNotes } from './machine-notes.js';
import { mediaNotes } from './media-notes.js';
import { runNotes } from './run-notes.js';
import { droppedIn, passingMs, windowsOf, type Window } from './utilisation.js';

/**
 * Finds what holds a timeline back: for each second in which frames are dropped, the resource that is asked for most,
 * and beside it what is known of machine, media and run. Ranked by dropped frames.
 */
export function causesOf(scene: Scene): Cause[] {
  const windows = windowsOf(scene.prediction.workload);
  const limits = limitsOf(scene, windows);
  const notes = [...mediaNotes(scene, windows), ...machineNotes(scene), ...runNotes(scene)];
  const drops = ({ measuredDrops, predictedDrops }: Cause): number => measuredDrops ?? predictedDrops;
  const all = [...limits, ...notes].sort((a, b) => drops(b) - drops(a));
  return plays(scene) ? [headroom(scene, windows), ...all] : all;
}

/** Whether nothing holds it back: by the run where that went, and by the prediction elsewhere. */
function plays({ measured, prediction }: Scene): boolean {
  if (!measured) return isRealTime(prediction.summary);
  const { workload: line } = prediction;
  const [from, to] = [measured.log.firstFrame, measured.log.firstFrame + measured.log.length];
  const elsewhere = [
    [line.from, Math.min(from, line.to)],
    [Math.max(to, line.from), line.to],
  ] as const;
  const sum = (of: (from: number, to: number) => number): number =>
    elsewhere.reduce((all, [start, end]) => all + (end > start ? of(start, end) : 0), 0);
  const dropped = measured.summary.dropped + sum((start, end) => expectedDrops(prediction, start, end));
  const wanted = measured.summary.wanted + sum((start, end) => end - start);
  const { worstSecondDropShare } = measured.summary;
  return isRealTime({ dropped, wanted, worstSecondDropShare });
}

function headroom({ prediction: { workload: line } }: Scene, windows: readonly Window[]): Cause {
  const uses = windows.map(({ use }) => Math.max(use.drive, use.cores, use.decoder, use.worker, use.engine));
  const most = Math.max(0, ...uses);
  const at = windows[uses.indexOf(most)];
  return {
    ...emptyCause('plays'),
    spans: at ? [{ from: at.from, to: at.to }] : [],
    numbers: { usePercent: 100 * most, budgetMs: frameBudgetMs(line.rate) },
  };
}

/** A second is as good as full from here on: it leaves too little for what comes unevenly. */
const FULL = 0.9;
/** Cores below so much in use count as idle. */
const IDLE_CORES = 0.7;
/** An effect that takes less of what all of them take is not named. */
const FAIR_PART = 0.15;
const THROWN_AWAY = 1.4;
/** A source with so many times the timeline's frames a second has frames that are thrown away. */
const FASTER = 1.2;

function limitsOf({ situation, prediction, measured }: Scene, windows: readonly Window[]): Cause[] {
  const found = new Map<
    CauseKind,
    { stage: Stage; windows: Window[]; predicted: number; measured: number }
  >();
  const log = measured?.log;
  windows.forEach((window, at) => {
    const predicted = droppedIn(prediction.log, window.from, window.to);
    const seen = log ? droppedIn(log, window.from, window.to) : 0;
    if (predicted + seen === 0) return;
    // What is late now may have been held up by the second before.
    const limiting = [window, windows[at - 1]]
      .filter((each) => each !== undefined)
      .reduce((most, each) => (mostOf(each) > mostOf(most) ? each : most));
    const { kind, stage } = limitOf(limiting, situation);
    const entry = found.get(kind) ?? { stage, windows: [], predicted: 0, measured: 0 };
    entry.windows.push(window);
    found.set(kind, { ...entry, predicted: entry.predicted + predicted, measured: entry.measured + seen });
  });
  return [...found].map(([kind, { stage, windows: its, predicted, measured: seen }]): Cause => ({
    kind,
    stage: kind === 'cores' ? crowdedStage(its, prediction) : stage,
    spans: merged(its),
    predictedDrops: predicted,
    measuredDrops: log ? seen : null,
    numbers: numbersOf(its, prediction),
    names: namesOf(kind, its, situation, prediction),
    loads: loadsOf(its, prediction, log),
  }));
}

const mostOf = ({ use }: Window): number =>
  Math.max(use.drive, use.decoder, use.worker, use.engine, use.cores);

function limitOf(window: Window, situation: Situation): { kind: CauseKind; stage: Stage } {
  const { use } = window;
  const lines = { drive: use.drive, decoder: use.decoder, worker: use.worker, engine: use.engine };
  const [name] = Object.entries(lines).reduce((most, each) => (each[1] > most[1] ? each : most));
  if (name === 'drive' && use.drive >= FULL) return { kind: 'drive', stage: 'read' };
  if (name === 'worker')
    return window.effectsMs > window.scaleMs
      ? { kind: 'effects', stage: 'effects' }
      : { kind: 'scaling or composing', stage: 'scale' };
  if (name === 'engine')
    return window.composeMs > window.showMs
      ? { kind: 'scaling or composing', stage: 'compose' }
      : { kind: 'showing', stage: 'show' };
  return { kind: decodingLimit(window, situation), stage: 'decode' };
}

/** Where all cores are wanted at once: the stage that the others wait for then. */
function crowdedStage(windows: readonly Window[], { log, workload: line, work }: Prediction): Stage {
  const { loads, worked } = loadsIn(log, windows, frameBudgetMs(line.rate));
  if (worked === 0) return 'decode';
  const beside = concurrencyOf(work.preview.graph, line.decodeWorkers);
  return costliest(loads, beside({ from: windows[0]!.from, to: windows.at(-1)!.to }));
}

function decodingLimit(window: Window, { timeline, sources }: Situation): CauseKind {
  const { use, decodedPerShown, reachMs, decodeMs } = window;
  const steady = use.decoder * (1 - reachMs / Math.max(1e-9, decodeMs));
  if (decodedPerShown > THROWN_AWAY && steady > FULL * 0.9) return 'thrown away';
  if (reachMs > 0 && steady < 1)
    return use.cores < FULL || use.decoder > use.cores ? 'serial decoding' : 'cores';
  const source = sources.find(({ id }) => id === window.busiestSource);
  const size = source?.facts?.picture?.size;
  if (size && isOversized(size, timeline.size)) return 'oversized source';
  return use.cores >= IDLE_CORES ? 'cores' : 'serial decoding';
}

const mean = (windows: readonly Window[], of: (window: Window) => number): number =>
  windows.reduce((sum, window) => sum + of(window), 0) / Math.max(1, windows.length);

function numbersOf(
  windows: readonly Window[],
  { workload: line, coreUse }: Prediction,
): Record<string, number> {
  const budgetMs = frameBudgetMs(line.rate);
  const passing = (stage: Stage): number => passingMs(line, stage, windows);
  const drive = line.drives.find(({ name }) => name === windows[0]?.drive);
  return {
    budgetMs,
    decodeMs: passing('decode'),
    decoderMs: mean(windows, ({ from, to, decodeMs }) => decodeMs / (to - from)),
    reachMs: mean(windows, ({ reachMs }) => reachMs),
    decodedPerShown: mean(windows, ({ decodedPerShown }) => decodedPerShown),
    scaleMs: passing('scale'),
    effectsMs: passing('effects'),
    composeMs: passing('compose'),
    showMs: passing('show'),
    corePercent: 100 * coreUse,
    bytesPerSecond: mean(windows, ({ bytesPerSecond }) => bytesPerSecond),
    peakBytesPerSecond: Math.max(...windows.map(({ bytesPerSecond }) => bytesPerSecond)),
    driveBytesPerSecond: drive?.bytesPerSecond ?? 0,
    readers: Math.max(...windows.map(({ readers }) => readers)),
  };
}

/** As they were measured, where the run went through its stretches. */
function loadsOf(
  windows: readonly Window[],
  { workload: line }: Prediction,
  log: FrameLog | undefined,
): Cause['loads'] {
  const budgetMs = frameBudgetMs(line.rate);
  const measured = log && loadsIn(log, windows, budgetMs);
  if (measured && measured.wanted > 0) return { percent: measured.loads, areMeasured: true };
  const percent = STAGES.map((stage) => [stage, (100 * passingMs(line, stage, windows)) / budgetMs]);
  return { percent: Object.fromEntries(percent) as Record<Stage, number>, areMeasured: false };
}

function namesOf(
  kind: CauseKind,
  windows: readonly Window[],
  { sources, timeline, rig }: Situation,
  { work }: Prediction,
): string[] {
  if (kind === 'drive') return [...new Set(windows.map(({ drive }) => drive))];
  if (kind === 'effects') return heaviestEffects(windows, rig, work);
  const ids = new Set(windows.map(({ busiestSource }) => busiestSource));
  const busiest = sources.filter(({ id }) => ids.has(id));
  const isFaster = ({ facts }: (typeof sources)[number]): boolean =>
    facts?.picture !== undefined &&
    facts.picture !== null &&
    toNumber(facts.picture.rate) > FASTER * toNumber(timeline.rate);
  const limiting = kind === 'thrown away' ? busiest.filter(isFaster) : busiest;
  return (limiting.length ? limiting : busiest).map(({ name }) => name);
}

/** Kinds of effects that take a fair part of all of them in some stretches, the heaviest first. */
function heaviestEffects(windows: readonly Window[], rig: Situation['rig'], work: Work): string[] {
  const sums = effectSums(rig, work, windows);
  const whole = sums.reduce((sum, { ms }) => sum + ms, 0);
  return sums.filter(({ ms }) => ms > FAIR_PART * whole).map(({ kind }) => kind);
}
