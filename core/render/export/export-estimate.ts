import { toNumber } from '../../time/index.js';
import { shownSize } from '../../media/index.js';
import { CODEC_CHOICES, soundBits } from './encoders.js';
import type { ExportGraph } from './export-graph.js';
import type { FactsOf } from '../graph/facts-of.js';
import { sourcesOf, type RenderGraph } from '../graph/graph.js';

/** Frames [from, to) of a graph as a graph of its own, without sound. */
export function pieceOf(graph: RenderGraph, from: number, to: number): RenderGraph {
  const stretches = graph.stretches
    .filter((stretch) => stretch.from < to && stretch.to > from)
    .map((stretch) => ({
      from: Math.max(stretch.from, from) - from,
      to: Math.min(stretch.to, to) - from,
      layers: stretch.layers.map((layer) => ({
        ...layer,
        clipStart: layer.clipStart - from,
        mix: layer.mix && { ...layer.mix, from: layer.mix.from - from, to: layer.mix.to - from },
      })),
    }));
  return { ...graph, length: to - from, stretches, sound: [] };
}

/** Seconds from key frame to key frame of an export, and so of a piece that is as dense as the whole. */
const PIECE_SECONDS = 2;
const PIECES = 3;

/** Sample pieces of an export, spread over it, one group of pictures each. */
export function samplePieces({ graph }: ExportGraph): readonly (readonly [from: number, to: number])[] {
  const frames = Math.min(graph.length, Math.round(PIECE_SECONDS * toNumber(graph.rate)));
  const count = Math.max(1, Math.min(PIECES, Math.floor(graph.length / frames)));
  return Array.from({ length: count }, (_, index) => {
    const from = Math.round(((index + 0.5) * graph.length) / count - frames / 2);
    return [from, from + frames] as const;
  });
}

/** Warnings about a delivery before it is made, one sentence each. @param bytes predicted size, where there is one */
export function deliveryRemarks(
  { graph, delivery }: ExportGraph,
  factsOf: FactsOf,
  bytes: number | null,
): string[] {
  const remarks: string[] = [];
  const facts = sourcesOf(graph).flatMap((id) => factsOf(id) ?? []);
  const sizes = facts.flatMap(({ picture }) => (picture ? [shownSize(picture)] : []));
  const largest = sizes.reduce((most, size) => (size.height > most.height ? size : most), {
    width: 0,
    height: 0,
  });
  const isLarger =
    sizes.length > 0 &&
    sizes.every(({ width, height }) => width < delivery.size.width && height < delivery.size.height);
  if (isLarger)
    remarks.push(
      `It is larger than every source; the largest has ${Math.round(largest.width)} × ${Math.round(largest.height)}. More pixels make the file larger, not the picture.`,
    );
  const rates = facts.flatMap(({ picture, bitsPerSecond }) => (picture ? [bitsPerSecond] : []));
  const seconds = graph.length / toNumber(graph.rate);
  const predicted = delivery.megabits
    ? delivery.megabits * 1e6
    : bytes === null
      ? null
      : (8 * bytes) / seconds;
  const heaviest = Math.max(0, ...rates);
  const isMaster = !CODEC_CHOICES[delivery.codec].hasQuality;
  if (predicted !== null && !isMaster && heaviest > 0 && predicted > heaviest)
    remarks.push(
      `It takes ${(predicted / 1e6).toFixed(0)} Mbit/s, and the heaviest source has ${(heaviest / 1e6).toFixed(0)}: to watch it, that is more than is in it. Choose a smaller quality or bit rate.`,
    );
  return remarks;
}

/** Bytes of a film that has a bit rate, with its sound; null when it has a quality instead. */
export const bytesByRate = ({ graph, delivery }: ExportGraph): number | null =>
  delivery.megabits === undefined
    ? null
    : Math.round(
        ((delivery.megabits * 1e6 + soundBits(delivery.codec)) / 8) * (graph.length / toNumber(graph.rate)),
      );
