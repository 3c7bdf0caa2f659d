import {
  monitored,
  type Bypassable,
  type ComposeProcessor,
  type Tuning,
  previewPixels,
} from '../../levers/index.js';
import type { FrameRange, FrameSize, Timeline } from '../../timeline/index.js';
import { withoutBypassed } from './bypassed-effects.js';
import type { Rational } from '../../time/index.js';
import { effectsDone, passKindOf, type KnownEffect } from '../effects/index.js';
import type { FactsOf } from '../graph/facts-of.js';
import { renderGraph, sourcesOf, type RenderGraph } from '../graph/graph.js';
import type { Posed } from '../graph/layer.js';

/** Origin of a source's pictures: original or light copy. */
export type MediaChoice =
  { readonly kind: 'original' } | { readonly kind: 'light copy'; readonly copyId: string };

/** Origin of a picture that is played. */
export type PictureChoice = MediaChoice['kind'] | 'render cache';

/** Node of the render graph whose result is rendered in advance, where it is not the whole picture. */
export interface CachePoint {
  /** Everything below a clip, or the clip alone. */
  readonly kind: 'below' | 'clip';
  readonly clipId: string;
  /** Number of the clip's enabled effects that are rendered, from the first on; all of them when absent. */
  readonly effects?: number | undefined;
}

/** Timeline frames that are played from frames rendered in advance. */
export interface CachedUse extends FrameRange {
  readonly stretchId: string;
  /** Frame of the cached stretch that is shown at `from`. */
  readonly first: number;
  /** What it stands for, beside which the rest is made live; absent where it is the whole picture. */
  readonly point?: CachePoint | undefined;
}

/** The render graph of a timeline with the levers that a preview obeys. */
export interface PreviewGraph {
  /** What it shows, as the export does. */
  readonly graph: RenderGraph;
  /** What it shows at rest: as the export, or without the effects of clips that are bypassed there too. */
  readonly rested: RenderGraph;
  /** What it plays, all of it live: without tracks and without effects of clips that are left out. */
  readonly live: RenderGraph;
  /** What it plays: a cached stretch stands for the layers and effects that it holds. */
  readonly played: RenderGraph;
  /** Uses of cached stretches, in order; those of parts of the picture may overlap. */
  readonly cached: readonly CachedUse[];
  readonly playSize: FrameSize;
  readonly restSize: FrameSize;
  readonly media: Readonly<Record<string, MediaChoice>>;
  /** Kinds of effects that are left out while it plays. */
  readonly bypass: readonly Bypassable[];
  /** Frames of the timeline that a picture stands for while it plays. */
  readonly hold: 1 | 2;
  /** What composes it, where that was chosen. */
  readonly composeOn: ComposeProcessor | undefined;
  /** Kinds of effects that are left out at rest. */
  readonly restBypass: readonly Bypassable[];
}

/** The effects of a layer without bypassed kinds. */
export const withoutKinds = (
  effects: readonly KnownEffect[],
  bypass: readonly Bypassable[],
): readonly KnownEffect[] =>
  bypass.length ? effects.filter(({ kind }) => !isBypassed(bypass, kind)) : effects;

/** Kinds of effects on a timeline that can be bypassed. */
export function bypassableIn({ tracks }: Pick<Timeline, 'tracks'>): Bypassable[] {
  const clips = tracks.flatMap((track) => (track.kind === 'picture' ? track.clips : []));
  const kinds = clips.flatMap(({ effects }) => effectsDone(effects).map(({ kind }) => passKindOf(kind)));
  return [...new Set(kinds.filter((kind) => kind !== null))];
}

/** Whether a kind of effect is among those that are left out. */
export function isBypassed(bypass: readonly Bypassable[], kind: KnownEffect['kind']): boolean {
  const step = passKindOf(kind);
  return step !== null && bypass.includes(step);
}

/**
 * Derives the graph of a preview.
 * @param copyOf identifier of the light copy that is ready for a source, if there is one
 */
export function previewGraph(
  timeline: Timeline,
  tuning: Tuning,
  factsOf: FactsOf,
  copyOf: (sourceId: string) => string | undefined,
): PreviewGraph {
  const graph = renderGraph(timeline, factsOf);
  const monitoredLine = withoutBypassed(monitored(timeline, tuning), tuning);
  const live = monitoredLine === timeline ? graph : renderGraph(monitoredLine, factsOf);
  const restedLine = tuning.bypassAtRest ? withoutBypassed(timeline, tuning) : timeline;
  const rested = restedLine === timeline ? graph : renderGraph(restedLine, factsOf);
  const media: Record<string, MediaChoice> = {};
  for (const sourceId of sourcesOf(graph)) {
    const copyId = tuning.lightCopies ? copyOf(sourceId) : undefined;
    media[sourceId] = copyId === undefined ? { kind: 'original' } : { kind: 'light copy', copyId };
  }
  return {
    graph,
    rested,
    live,
    played: live,
    cached: [],
    playSize: previewPixels(timeline.size, tuning, 'playing'),
    restSize: previewPixels(timeline.size, tuning, 'at rest'),
    media,
    bypass: tuning.bypass ?? [],
    composeOn: tuning.composeOn,
    hold: tuning.everySecondFrame ? 2 : 1,
    restBypass: (tuning.bypassAtRest && tuning.bypass) || [],
  };
}

/** The frames [from, to) during which a clip is seen without a break: what one decoder works through in one go. */
export interface Passage extends Posed {
  readonly clipId: string;
  readonly sourceId: string;
  readonly from: number;
  readonly to: number;
  readonly clipStart: number;
  readonly sourceIn: Rational;
  readonly speed: Rational;
}

/** All passages of a graph, by their first frame. */
export function passagesOf(graph: RenderGraph): Passage[] {
  const done: Passage[] = [];
  let open = new Map<string, Passage>();
  for (const stretch of graph.stretches) {
    const still = new Map<string, Passage>();
    for (const layer of stretch.layers) {
      const before = open.get(layer.clipId);
      open.delete(layer.clipId);
      const { clipId, sourceId, clipStart, sourceIn, speed, effects, framing } = layer;
      const from = before?.from ?? stretch.from;
      const to = stretch.to;
      still.set(clipId, { clipId, sourceId, from, to, clipStart, sourceIn, speed, effects, framing });
    }
    done.push(...open.values());
    open = still;
  }
  done.push(...open.values());
  return done.sort((a, b) => a.from - b.from);
}
