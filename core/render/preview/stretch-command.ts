import type { CacheFormat, StretchEncoder } from '../../media/index.js';
import type { FrameRange, FrameSize } from '../../timeline/index.js';
import { GraphWriter, renderCommand, type RenderAssets, type RenderCommand } from '../graph/graph-writer.js';
import { stretchesIn, type RenderGraph } from '../graph/graph.js';

/** A render of timeline frames for the render cache. */
export interface StretchRender extends FrameRange {
  /** Size of the pictures. */
  readonly size: FrameSize;
  /** Most frames in a file. */
  readonly pieceFrames: number;
  /** File that lists each other file as soon as it is complete, one line of comma-separated values each. */
  readonly listFile: string;
  readonly encoder: StretchEncoder;
  readonly muxer: CacheFormat['muxer'];
}

/**
 * Writes the render of a part of a timeline as ffmpeg's arguments: pictures only, in files of a few frames each, whose
 * paths follow a pattern that is still to be added. It makes the pictures that a preview shows, from the originals.
 */
export function stretchCommand(
  graph: RenderGraph,
  { from, to, size, pieceFrames, listFile, encoder, muxer }: StretchRender,
  assets: RenderAssets,
): RenderCommand {
  const rendered = { graph, size, scaling: 'area' } as const;
  const borders: number[] = [];
  for (let frame = pieceFrames; frame < to - from; frame += pieceFrames) borders.push(frame);
  return renderCommand(
    rendered,
    stretchesIn(graph, { from, to }),
    assets,
    (draw) => new GraphWriter(rendered, assets, draw),
    (writer) => [
      ...['-map', writer.uploaded(encoder.upload), '-colorspace', 'bt709', '-color_range', 'tv'],
      ...['-fps_mode', 'passthrough', '-enc_time_base', '-1'],
      ...encoder.arguments,
      ...['-f', 'segment', '-segment_format', muxer, '-reset_timestamps', '1'],
      ...(muxer === 'mp4' ? ['-segment_format_options', 'movflags=+faststart'] : []),
      ...['-segment_frames', (borders.length ? borders : [to - from]).join(',')],
      ...['-segment_list', `file:${listFile}`, '-segment_list_type', 'csv'],
    ],
  );
}
