import { sourceTimeAt, type Rational } from '../../time/index.js';
import {
  clipEnd,
  fittingTransitions,
  speedOf,
  timelineLength,
  type Clip,
  type Fades,
  type FrameRange,
  type FrameSize,
  type Timeline,
  type Track,
} from '../../timeline/index.js';
import { effectsDone, isInvisible, textOf } from '../effects/index.js';
import { OpenFrame } from './coverage.js';
import type { FactsOf } from './facts-of.js';
import type { Layer } from './layer.js';
import type { Mix } from './mix.js';

/** Timeline frames [from, to) during which the same layers are seen, the lowest first. */
export interface Stretch {
  readonly from: number;
  readonly to: number;
  readonly layers: readonly Layer[];
}

/** Sound heard in timeline frames [from, to). */
export interface SoundPart {
  readonly clipId: string;
  readonly sourceId: string;
  readonly from: number;
  readonly to: number;
  /** Time in the source at `from`; backwards, sound before it is heard. */
  readonly sourceIn: Rational;
  /** Below zero it runs backwards. */
  readonly speed: Rational;
  /** Whether it keeps its pitch at another speed; else it is heard higher or lower by as much. */
  readonly keepsPitch: boolean;
  /** Frames in which it comes at its beginning and goes at its end, evenly. */
  readonly fades: Fades;
}

/**
 * What a timeline shows and sounds like, independent of who asks: preview, cache and export read the same graph.
 * It names sources and never files, and it knows no lever.
 */
export interface RenderGraph {
  readonly rate: Rational;
  readonly length: number;
  readonly size: FrameSize;
  readonly stretches: readonly Stretch[];
  readonly sound: readonly SoundPart[];
}

/** The source time of a layer in a timeline frame. */
export function layerTime(layer: Layer, frame: number, rate: Rational): Rational {
  return sourceTimeAt(layer.sourceIn, frame - layer.clipStart, rate, layer.speed);
}

/**
 * Derives the render graph. Clips that others above cover entirely, alone or together, are left out, and so are those
 * outside the frame and transparent ones.
 * @param factsOf facts of the sources; a picture clip whose source is unknown or has no picture shows nothing
 */
export function renderGraph(timeline: Timeline, factsOf: FactsOf): RenderGraph {
  const pictures = timeline.tracks
    .filter((track) => track.kind === 'picture' && track.enabled)
    .map((track): Walk => ({ shown: shownOn(track, factsOf), at: 0 }));
  const length = timelineLength(timeline);
  const borders = new Set([0, length]);
  for (const { from, to } of pictures.flatMap(({ shown }) => shown))
    borders.add(from).add(Math.min(length, to));
  const sorted = [...borders].sort((a, b) => a - b);

  const stretches: Stretch[] = [];
  for (let index = 0; index + 1 < sorted.length; index++) {
    const from = sorted[index]!;
    const layers = seenAt(pictures, from, timeline.size, factsOf);
    const before = stretches.at(-1);
    if (before && sameLayers(before.layers, layers)) {
      stretches[stretches.length - 1] = { ...before, to: sorted[index + 1]! };
    } else {
      stretches.push({ from, to: sorted[index + 1]!, layers });
    }
  }
  const sound = timeline.tracks
    .filter((track) => track.kind === 'sound' && track.enabled)
    .flatMap((track) => soundOn(track, timeline.rate, factsOf));
  return { rate: timeline.rate, length, size: timeline.size, stretches, sound };
}

// Two clips that give way to each other are both heard meanwhile, the one going as the other comes.
function soundOn(track: Track, rate: Rational, factsOf: FactsOf): SoundPart[] {
  const transitions = new Map(fittingTransitions(track).map((each) => [each.at, each]));
  const isHeard = (clip: Clip | undefined): clip is Clip =>
    clip !== undefined && clip.enabled && Boolean(factsOf(clip.sourceId)?.sound);
  return track.clips.flatMap((clip, index) => {
    if (!isHeard(clip)) return [];
    const into = isHeard(track.clips[index - 1]) ? transitions.get(clip.start) : undefined;
    const out = isHeard(track.clips[index + 1]) ? transitions.get(clipEnd(clip)) : undefined;
    const lead = into?.before ?? 0;
    // Backwards, a frame's sound ends where the frame begins in the source.
    const turned = speedOf(clip).num < 0 ? 1 : 0;
    return [
      {
        clipId: clip.id,
        sourceId: clip.sourceId,
        from: clip.start - lead,
        to: clipEnd(clip) + (out?.after ?? 0),
        sourceIn: sourceTimeAt(clip.sourceIn, -lead - turned, rate, speedOf(clip)),
        speed: speedOf(clip),
        keepsPitch: clip.keepsPitch ?? false,
        fades: {
          in: into ? into.before + into.after : Math.min(clip.length, clip.fades?.in ?? 0),
          out: out ? out.before + out.after : Math.min(clip.length, clip.fades?.out ?? 0),
        },
      },
    ];
  });
}

/** Clips that one track shows in timeline frames [from, to): one, or the two of a transition. */
interface Shown {
  readonly from: number;
  readonly to: number;
  readonly layers: readonly Layer[];
}

function shownOn(track: Track, factsOf: FactsOf): Shown[] {
  const isSeen = (clip: Clip | undefined): clip is Clip =>
    clip !== undefined && clip.enabled && Boolean(factsOf(clip.sourceId)?.picture);
  const { clips } = track;
  const transitions = new Map(fittingTransitions(track).map((each) => [each.at, each]));
  // A clip that is not seen gives way to nothing.
  const mixAt = (index: number): Mix | undefined => {
    const clip = clips[index];
    const each = clip && transitions.get(clip.start);
    if (!each || !isSeen(clip) || !isSeen(clips[index - 1])) return undefined;
    const { at, before, after, kind, colour = '#000000' } = each;
    return { kind, from: at - before, to: at + after, colour };
  };
  return clips.flatMap((clip, index) => {
    if (!isSeen(clip)) return [];
    const into = mixAt(index);
    const out = mixAt(index + 1);
    const from = into?.to ?? clip.start;
    const to = out?.from ?? clipEnd(clip);
    const alone = to > from ? [{ from, to, layers: [layerOf(clip, null)] }] : [];
    if (!out) return alone;
    const layers = [layerOf(clip, null), layerOf(clips[index + 1]!, out)];
    return [...alone, { from: out.from, to: out.to, layers }];
  });
}

const layerOf = (clip: Clip, mix: Mix | null): Layer => ({
  clipId: clip.id,
  sourceId: clip.sourceId,
  clipStart: clip.start,
  sourceIn: clip.sourceIn,
  speed: speedOf(clip),
  effects: effectsDone(clip.effects),
  framing: clip.framing ?? 'fit',
  mix,
});

/** Where in what a track shows one has come, frame by frame upwards. */
interface Walk {
  readonly shown: readonly Shown[];
  at: number;
}

function seenAt(pictures: readonly Walk[], frame: number, size: FrameSize, factsOf: FactsOf): Layer[] {
  const layers: Layer[] = [];
  const open = new OpenFrame(size, factsOf);
  for (const track of [...pictures].reverse()) {
    while (track.at < track.shown.length && track.shown[track.at]!.to <= frame) track.at++;
    const shown = track.shown[track.at];
    if (!shown || shown.from > frame || isTransparent(shown)) continue;
    if (open.put(shown.layers)) layers.unshift(...shown.layers);
    if (open.isCovered) break;
  }
  return layers;
}

/** Whether nothing of a clip is seen; one that takes part in a transition counts as seen. */
const isTransparent = ({ layers }: Shown): boolean => layers.length === 1 && isInvisible(layers[0]!.effects);

const sameLayers = (a: readonly Layer[], b: readonly Layer[]): boolean =>
  a.length === b.length &&
  a.every((layer, index) => {
    const other = b[index]!;
    return layer.clipId === other.clipId && layer.mix?.from === other.mix?.from;
  });

/** The stretches of a graph within a range. */
export function stretchesIn({ stretches }: RenderGraph, { from, to }: FrameRange): Stretch[] {
  return stretches
    .filter((stretch) => stretch.from < to && from < stretch.to)
    .map((stretch) => ({
      ...stretch,
      from: Math.max(from, stretch.from),
      to: Math.min(to, stretch.to),
    }));
}

/** Timeline frames at which the picture changes from one clip to another. */
export function cutsOf(graph: RenderGraph): number[] {
  return graph.stretches.slice(1).map((stretch) => stretch.from);
}

/** Identifiers of all colour tables that the graph uses. */
export function tablesOf(graph: RenderGraph): string[] {
  const effects = graph.stretches.flatMap(({ layers }) => layers.flatMap((layer) => layer.effects));
  const ids = effects.flatMap((effect) => (effect.kind === 'table' ? [textOf(effect, 'table')] : []));
  return [...new Set(ids.filter(Boolean))];
}

/** Identifiers of all sources that the graph reads, each once, in the order in which they are met. */
export function sourcesOf(graph: RenderGraph): string[] {
  const pictures = graph.stretches.flatMap((stretch) => stretch.layers.map((layer) => layer.sourceId));
  return [...new Set([...pictures, ...graph.sound.map((part) => part.sourceId)])];
}
