import { frameBudgetMs, STAGES, type FrameLog, type Stage } from '../playback/index.js';
import { effectSums } from '../cost-model/index.js';
import { mergeRanges } from '../timeline/index.js';
import { toNumber } from '../time/index.js';
import { isOversized, type FindingContext } from './context.js';
import { findingOf, type Finding, type FindingFacts } from './finding.js';
import { busiestUse, droppedIn, mean, passingMs, stageLoadsOf, type Window } from './utilisation.js';

/** A second is as good as full from here on: it leaves too little for what comes unevenly. */
const FULL = 0.9;
/** Cores below so much in use count as idle. */
const IDLE_CORES = 0.7;
/** Frames that are dropped although nothing is used as much as this are not explained by work. */
const EXPLAINED = 0.6;
/** Share of a decoder's time that goes into starts, from which on the starts are what holds it up. */
const MUCH_STARTING = 0.4;
/** An effect that takes less of what all of them take is not named. */
const FAIR_PART = 0.15;
/** Pictures decoded for each one shown, from which on the rates do not match. */
const MISMATCH = 1.4;
/** A source with so many times the timeline's frames a second is part of a mismatch. */
const FASTER = 1.2;

/** Resource or rule that can limit playback in a second. */
type BottleneckKind =
  | 'drive'
  | 'cores'
  | 'serial-decoding'
  | 'long-groups'
  | 'decoder-start'
  | 'rate-mismatch'
  | 'oversized-source'
  | 'effects'
  | 'scaling'
  | 'composing'
  | 'presentation'
  | 'unexplained';

/** Seconds that one thing holds back, and the frames that are dropped in them. */
interface Group {
  readonly windows: Window[];
  /** The seconds whose use says so: those that drop, or those before them. */
  readonly limiting: Window[];
  dropped: number;
  measured: number | null;
  predicted: number;
}

/**
 * For each second in which the log drops frames, the resource that is asked for most in it or in the second before, whose
 * delay it may still carry.
 * @param windows seconds of the context's workload
 */
export function bottlenecks(log: FrameLog, context: FindingContext, windows: readonly Window[]): Finding[] {
  const { prediction, run } = context;
  const groups = new Map<BottleneckKind, Group>();
  windows.forEach((window, at) => {
    const dropped = droppedIn(log, window.from, window.to);
    if (dropped === 0) return;
    const limiting = [window, windows[at - 1]]
      .filter((each) => each !== undefined)
      .reduce((most, each) => (busiestUse(each) > busiestUse(most) ? each : most));
    const kind = bottleneckOf(limiting, context);
    const group = groups.get(kind) ?? { windows: [], limiting: [], dropped: 0, measured: null, predicted: 0 };
    group.windows.push(window);
    group.limiting.push(limiting);
    group.dropped += dropped;
    group.predicted += droppedIn(prediction.log, window.from, window.to);
    if (run?.log.has(window.from) || run?.log.has(window.to - 1))
      group.measured = (group.measured ?? 0) + droppedIn(run.log, window.from, window.to);
    groups.set(kind, group);
  });
  return [...groups].map(([kind, group]) => describeBottleneck(kind, group, context));
}

function bottleneckOf(window: Window, context: FindingContext): BottleneckKind {
  const { use } = window;
  if (busiestUse(window) < EXPLAINED) return 'unexplained';
  const serial = { drive: use.drive, decoder: use.decoder, worker: use.worker, engine: use.engine };
  const [name] = Object.entries(serial).reduce((most, each) => (each[1] > most[1] ? each : most));
  if (name === 'drive' && use.drive >= FULL) return 'drive';
  if (name === 'worker') return window.effectsMs > window.scaleMs ? 'effects' : 'scaling';
  if (name === 'engine') return window.composeMs > window.showMs ? 'composing' : 'presentation';
  return decodingBottleneck(window, context);
}

function decodingBottleneck(
  { use, decodedPerShown, reachMs, startMs, decodeMs, busiestSource }: Window,
  { situation: { timeline, sources } }: FindingContext,
): BottleneckKind {
  const share = (ms: number): number => ms / Math.max(1e-9, decodeMs);
  const steady = use.decoder * (1 - share(reachMs + startMs));
  if (decodedPerShown > MISMATCH && steady > FULL * 0.9) return 'rate-mismatch';
  if (share(startMs) > MUCH_STARTING && startMs > reachMs) return 'decoder-start';
  if (reachMs > 0 && steady < 1) {
    if (use.cores >= FULL && use.decoder <= use.cores) return 'cores';
    return reachMs > 1 ? 'long-groups' : 'serial-decoding';
  }
  const size = sources.find(({ id }) => id === busiestSource)?.facts?.picture?.size;
  if (size && isOversized(size, timeline.size)) return 'oversized-source';
  return use.cores >= IDLE_CORES ? 'cores' : 'serial-decoding';
}

function describeBottleneck(kind: BottleneckKind, group: Group, context: FindingContext): Finding {
  const { windows, limiting } = group;
  const { workload, work } = context.prediction;
  const budgetMs = frameBudgetMs(workload.rate);
  const loadPercent = stageLoadsOf(windows);
  const passing = (stage: Stage): number => passingMs(workload, stage, windows);
  const sources = busiestSources(windows, context);
  const decoded = busiestSources(limiting, context);
  const corePercent =
    100 *
    Math.min(
      1,
      mean(windows, ({ use }) => use.cores),
    );
  const facts = (stage: Stage): Partial<FindingFacts> => ({
    stage,
    ranges: mergeRanges(windows),
    dropped: group.dropped,
    measuredDrops: group.measured,
    predictedDrops: group.predicted,
    loadPercent,
  });
  const decoding = facts('decode');
  switch (kind) {
    case 'drive': {
      const { drive } = windows[0]!;
      const evidence = {
        drive,
        wantedBytesPerSecond: mean(windows, ({ bytesPerSecond }) => bytesPerSecond),
        peakBytesPerSecond: Math.max(...windows.map(({ bytesPerSecond }) => bytesPerSecond)),
        driveBytesPerSecond: workload.drives.find(({ name }) => name === drive)?.bytesPerSecond ?? 0,
        readers: Math.max(...windows.map(({ readers }) => readers)),
      };
      return findingOf(kind, evidence, facts('read'));
    }
    case 'cores': {
      const ms = {
        decodeMs: passing('decode'),
        scaleMs: passing('scale'),
        effectsMs: passing('effects'),
        composeMs: passing('compose'),
        showMs: passing('show'),
      };
      return findingOf(kind, { sources, ...ms, budgetMs, corePercent }, facts(mostCoreTime(windows)));
    }
    case 'serial-decoding': {
      const decoderMs = mean(limiting, ({ from, to, decodeMs }) => decodeMs / (to - from));
      return findingOf(kind, { sources: decoded, decoderMs, budgetMs, corePercent }, decoding);
    }
    case 'long-groups':
      return findingOf(
        kind,
        { sources: decoded, reachMs: mean(limiting, ({ reachMs }) => reachMs), corePercent },
        decoding,
      );
    case 'decoder-start':
      return findingOf(
        kind,
        { sources: decoded, startMs: mean(limiting, ({ startMs }) => startMs) },
        decoding,
      );
    case 'rate-mismatch': {
      const decodedPerShown = mean(windows, (each) => each.decodedPerShown);
      return findingOf(kind, { sources: fasterSources(windows, context), decodedPerShown }, decoding);
    }
    case 'oversized-source':
      return findingOf(kind, { sources }, decoding);
    case 'effects': {
      const sums = effectSums(context.situation.rig, work, windows);
      const whole = sums.reduce((sum, { ms }) => sum + ms, 0);
      const effects = sums.filter(({ ms }) => ms > FAIR_PART * whole).map((each) => each.kind);
      return findingOf(kind, { effects, effectsMs: passing('effects'), budgetMs }, facts('effects'));
    }
    case 'scaling':
      return findingOf(kind, { scaleMs: passing('scale'), budgetMs }, facts('scale'));
    case 'composing':
      return findingOf(kind, { composeMs: passing('compose'), budgetMs }, facts('compose'));
    case 'presentation':
      return findingOf(kind, { showMs: passing('show'), budgetMs }, facts('show'));
    case 'unexplained': {
      const busiestStage = STAGES.reduce((most, each) =>
        loadPercent[each] > loadPercent[most] ? each : most,
      );
      const usePercent = 100 * mean(windows, busiestUse);
      return findingOf(kind, { busiestStage, usePercent }, { ...facts('decode'), stage: null });
    }
  }
}

/** The stage that takes most of the cores. */
function mostCoreTime(windows: readonly Window[]): Stage {
  const ms = {
    decode: mean(windows, ({ decodeCoreMs }) => decodeCoreMs),
    scale: mean(windows, ({ scaleMs }) => scaleMs),
    effects: mean(windows, ({ effectsMs }) => effectsMs),
    compose: mean(windows, ({ composeMs }) => composeMs),
    show: mean(windows, ({ showMs }) => showMs),
  };
  return (Object.keys(ms) as (keyof typeof ms)[]).reduce((most, each) => (ms[each] > ms[most] ? each : most));
}

function busiestSources(windows: readonly Window[], { situation: { sources } }: FindingContext): string[] {
  const ids = new Set(windows.map(({ busiestSource }) => busiestSource));
  return sources.filter(({ id }) => ids.has(id)).map(({ name }) => name);
}

/** The busiest sources with a higher frame rate than the timeline; all sources where none has. */
function fasterSources(windows: readonly Window[], context: FindingContext): string[] {
  const { timeline, sources } = context.situation;
  const isFaster = ({ facts }: (typeof sources)[number]): boolean =>
    toNumber(facts?.picture?.rate ?? timeline.rate) > FASTER * toNumber(timeline.rate);
  const ids = new Set(windows.map(({ busiestSource }) => busiestSource));
  const faster = sources.filter((source) => ids.has(source.id) && isFaster(source));
  return faster.length ? faster.map(({ name }) => name) : busiestSources(windows, context);
}
